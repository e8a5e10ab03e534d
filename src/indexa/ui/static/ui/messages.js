// Short messages and questions at the foot of the page.

const KEPT_FOR = 7000; // milliseconds
let clearing;

/** Show a message for some seconds; an empty text takes the last one away. */
export function say(text) {
  const line = document.getElementById("toast");
  line.textContent = text;
  clearTimeout(clearing);
  if (text) clearing = setTimeout(() => (line.textContent = ""), KEPT_FOR);
}

/** Show a message on the page that is loaded next. */
export function sayAfterLoad(text) {
  sessionStorage.setItem("message", text);
}

/** Ask something: Enter does `act`, Escape and the other button do `otherwise`; what had the focus gets it back. */
export function ask(words, verb, act, otherwise, refusal = "Cancel") {
  const line = document.getElementById("ask");
  const before = document.activeElement;
  const [yes, no] = [line.querySelector("[data-ask-yes]"), line.querySelector("[data-ask-no]")];
  const close = (then) => {
    line.hidden = true;
    yes.onclick = no.onclick = line.onkeydown = null;
    before?.focus?.();
    then?.();
  };
  line.querySelector("#ask-words").textContent = words;
  yes.textContent = verb;
  no.textContent = refusal;
  yes.onclick = () => close(act);
  no.onclick = () => close(otherwise);
  line.onkeydown = (event) => {
    event.stopPropagation();
    if (event.key === "Escape") close(otherwise);
  };
  say("");
  line.hidden = false;
  yes.focus();
}

/** Return the token that every changing request carries. */
export const requestToken = () => JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

const kept = sessionStorage.getItem("message");
sessionStorage.removeItem("message");
say(kept || document.getElementById("toast").textContent.trim());
document.body.addEventListener("message", (event) => say(event.detail.value));
