// A sign-in that ended in the middle of work: sign in on the spot, and what was refused is sent again.

import { requestToken, say } from "./messages.js";

const SIGNED_OUT = 401;

function useToken(token) {
  document.body.setAttribute("hx-headers", JSON.stringify({ "X-CSRFToken": token }));
  document.querySelectorAll("[name=csrfmiddlewaretoken]").forEach((field) => (field.value = token));
}

const waiting = new Set(); // what is done again once somebody has signed in

function repeatAll() {
  const acts = [...waiting];
  waiting.clear();
  acts.forEach((act) => act());
}

function show(dialog, words) {
  dialog.innerHTML = words;
  if (!dialog.open) dialog.showModal();
  dialog.onclose = () => waiting.clear();
  dialog.querySelector("[data-sign-in-cancel]").onclick = () => dialog.close();
  dialog.querySelector("form").onsubmit = async (event) => {
    event.preventDefault();
    const body = new URLSearchParams(new FormData(event.target));
    const answer = await fetch(dialog.dataset.url, { method: "POST", body });
    if (!answer.ok || !answer.headers.get("Content-Type").includes("json")) {
      show(dialog, await answer.text());
      dialog.querySelector("[name=password]")?.focus();
      return;
    }
    useToken((await answer.json()).token);
    dialog.onclose = null;
    dialog.close();
    say("Signed in.");
    repeatAll();
  };
}

/** Get a sign-in for this page and go on with `repeat`. A page that is signed in already gets a new token only. */
export async function signInAgain(repeat) {
  const dialog = document.getElementById("sign-in-again");
  waiting.add(repeat);
  if (dialog.open || waiting.size > 1) return; // it is asked for already
  const answer = await fetch(dialog.dataset.url, { headers: { "X-CSRFToken": requestToken() } });
  if (answer.headers.get("Content-Type").includes("json")) {
    useToken((await answer.json()).token);
    repeatAll();
  } else {
    show(dialog, await answer.text());
  }
}

let repeated = false;
document.body.addEventListener("htmx:responseError", (event) => {
  const { elt, xhr } = event.detail;
  if (xhr.status !== SIGNED_OUT || elt.matches("[hx-trigger*=every]")) return;
  if (repeated) {
    say("The browser keeps no cookies for this page, so nothing can be saved. Allow them, and load the page again.");
    return;
  }
  signInAgain(() => {
    repeated = true;
    setTimeout(() => (repeated = false), 2000);
    if (elt.matches("form")) elt.requestSubmit();
    else elt.click();
  });
});
