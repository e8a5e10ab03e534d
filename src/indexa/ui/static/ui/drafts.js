// What somebody typed and did not save is never lost without a word.

import { ask, say } from "./messages.js";

const FORMS = ".edit-form, form[data-draft]";
const DRAFT = "draft"; // in the session's storage: what was sent from a whole page, until the answer is there

const isChanged = (field) => {
  if (!field.name || field.disabled || field.type === "hidden") return false;
  if (field.type === "checkbox" || field.type === "radio") return field.checked !== field.defaultChecked;
  if (field.type === "file") return field.files.length > 0;
  if (field.tagName !== "SELECT") return field.value !== field.defaultValue;
  const given = [...field.options].filter((option) => option.defaultSelected);
  return given.length > 0 && [...field.selectedOptions].some((option) => !option.defaultSelected);
};

/** Say whether a form holds something that was typed or chosen and not saved. */
export const isUnsaved = (form) => "unsaved" in form.dataset || [...form.elements].some(isChanged);

function unsavedWithin(target) {
  const inside = [...target.querySelectorAll(FORMS)];
  const around = target.closest(FORMS);
  return [...inside, ...(around ? [around] : [])].find(isUnsaved);
}

// A fragment that would replace such a form is asked for first. The form's own sending goes on, and so does what takes
// its text along.
document.body.addEventListener("htmx:confirm", (event) => {
  const { elt, target } = event.detail;
  const form = target instanceof Element && unsavedWithin(target);
  if (!form || elt === form || elt.closest("[data-keeps-text]") || elt.closest("[hx-trigger*=every]")) return;
  event.preventDefault();
  const field = [...form.elements].find(isChanged) || form.querySelector("[data-focus]");
  ask(
    "What you typed is not saved.",
    "Discard",
    () => event.detail.issueRequest(true),
    () => {
      field?.focus();
      document.body.dispatchEvent(new CustomEvent("draft-kept"));
    },
    "Keep editing",
  );
});

let sending = false;
document.addEventListener("submit", (event) => {
  if (event.defaultPrevented || event.target.hasAttribute("hx-post")) return;
  sending = true;
  if (!event.target.matches("form[data-draft]")) return;
  const fields = [...event.target.elements].filter((field) => field.type !== "password" && isChanged(field));
  const values = fields
    .filter((field) => "value" in field && field.type !== "file")
    .map((field) => [field.name, field.value]);
  sessionStorage.setItem(DRAFT, JSON.stringify({ path: location.pathname, values }));
});
window.addEventListener("beforeunload", (event) => {
  if (!sending && [...document.querySelectorAll(FORMS)].some(isUnsaved)) event.preventDefault();
});

// Whoever had to sign in on the way finds what was sent in its fields again.
const draft = JSON.parse(sessionStorage.getItem(DRAFT) || "null");
const form = document.querySelector("form[data-draft]");
if (draft && !document.querySelector("main.sign-in")) sessionStorage.removeItem(DRAFT);
if (draft && form && draft.path === location.pathname && document.referrer.includes("/sign-in/")) {
  for (const [name, value] of draft.values) {
    const field = form.elements.namedItem(name);
    if (field && "value" in field) field.value = value;
  }
  say("What you typed is back. It is not saved yet.");
}
