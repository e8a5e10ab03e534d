// Copies a script as it is shown.

import { say } from "../ui/messages.js";

document.querySelector("[data-copy-script]").addEventListener("click", async () => {
  const text = document.getElementById("ddl-text").textContent;
  await navigator.clipboard?.writeText(text).then(
    () => say("The script is copied."),
    () => say("The browser does not let the page copy. Save it as a file instead."),
  );
});
