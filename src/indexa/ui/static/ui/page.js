// Keys, menus and short messages of every page. What a key does is told by data attributes in the page.

import { ask, requestToken, say, sayAfterLoad } from "./messages.js";
import { signInAgain } from "./sign_in_again.js";
import "./drafts.js";
import "./row_labels.js";

const typing = (element) =>
  element.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable]");

function closeMenus(except) {
  document.querySelectorAll("details.chip[open], details.own[open], details.ask-first[open]").forEach((menu) => {
    if (menu !== except && !menu.contains(except)) menu.removeAttribute("open");
  });
  const found = document.getElementById("found");
  if (found && !(except && except.closest && except.closest(".lookup"))) found.replaceChildren();
}

function click(selector) {
  const target = document.querySelector(selector);
  if (!target) return false;
  window.htmx.process(target); // what was put in a moment ago is not bound yet, and the key would be lost
  target.click();
  return true;
}

function focusOn(selector) {
  const field = document.querySelector(selector);
  if (field) {
    field.focus();
    field.select();
  }
  return Boolean(field);
}

async function undo(changeSet, redo) {
  const { undoUrl, redoUrl, undoScope } = document.body.dataset;
  const url = redo ? redoUrl : undoUrl;
  if (!url) return;
  const body = new URLSearchParams(changeSet ? { change_set: changeSet } : { scope: undoScope });
  const headers = { "X-CSRFToken": requestToken(), "HX-Request": "true" };
  const answer = await fetch(url, { method: "POST", headers, body });
  if (answer.status === 401) {
    signInAgain(() => undo(changeSet, redo));
    return;
  }
  const done = await answer.json().catch(() => ({
    message: `${redo ? "Redo" : "Undo"} did not work. Load the page again.`,
  }));
  if (done.ask) {
    ask(done.ask, redo ? "Redo" : "Undo", () => undo(done.change_set, redo));
    return;
  }
  say(done.message);
  if (answer.ok && document.querySelector("[data-reload-on-undo]")) {
    sayAfterLoad(done.message);
    location.reload();
  } else if (answer.ok) {
    document.body.dispatchEvent(new CustomEvent("words-changed"));
  }
}

function moveThroughLookup(step) {
  const links = [...document.querySelectorAll("#found a")];
  if (!links.length) return false;
  const at = links.indexOf(document.activeElement);
  const next = links[Math.max(0, Math.min(links.length - 1, at + step))];
  if (at + step < 0) document.getElementById("lookup").focus();
  else next.focus();
  return true;
}

// A box that ticks all rows in sight, and a field that leaves only those in sight that hold what is typed.
const boxes = (name) => [...document.querySelectorAll(`input[name="${name}"]`)];
const tellAll = (head) => {
  const ticked = boxes(head.dataset.tickAll).filter((box) => box.checked).length;
  head.checked = ticked === boxes(head.dataset.tickAll).length;
  head.indeterminate = ticked > 0 && !head.checked;
};
document.querySelectorAll("[data-tick-all]").forEach(tellAll);
document.addEventListener("htmx:load", (event) => event.target.querySelectorAll("[data-tick-all]").forEach(tellAll));
document.addEventListener(
  "change",
  (event) => {
    if (event.target.closest("[data-find-rows]")) {
      event.stopPropagation();
      return;
    } // it changes nothing that is chosen
    const all = event.target.closest("[data-tick-all]");
    if (all)
      boxes(all.dataset.tickAll).forEach((box) => {
        if (!box.closest("tr").hidden) box.checked = all.checked;
      });
    const head = document.querySelector(`[data-tick-all="${all ? all.dataset.tickAll : event.target.name}"]`);
    if (head) tellAll(head);
  },
  true,
);
document.addEventListener("input", (event) => {
  const wanted = event.target.closest("[data-find-rows]");
  if (!wanted) return;
  document.querySelectorAll(`${wanted.dataset.findRows} tbody tr`).forEach((row) => {
    row.hidden = !row.textContent.toLowerCase().includes(wanted.value.trim().toLowerCase());
  });
});

// The list of keys holds those that do something on this page.
function showKeys() {
  const help = document.getElementById("key-help");
  help.querySelectorAll("[data-when]").forEach((entry) => {
    entry.hidden = !document.querySelector(entry.dataset.when);
  });
  help.showModal();
}

const actions = {
  "/": () => focusOn("#lookup"),
  f: () => focusOn("[data-key-filter]"),
  "?": () => {
    showKeys();
    return true;
  },
  e: () => click("[data-key-edit]") || click("tr.sel [data-key-row]"),
  ".": () => {
    const margin = document.getElementById("margin");
    const first = margin?.querySelector("a[href], button, input, textarea, select") || margin;
    first?.focus();
    return Boolean(first);
  },
  n: () => click("[data-key-name]"),
  u: () => {
    undo();
    return true;
  },
  U: () => {
    undo("", true);
    return true;
  },
};

document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey) && event.target.form) {
    event.target.form.requestSubmit();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "Escape") {
    const form = event.target.closest(".edit-form");
    if (form) form.querySelector("[data-cancel]")?.click();
    const menu = event.target.closest("details[open]");
    closeMenus();
    if (menu) menu.querySelector("summary").focus();
    if (event.target.id === "lookup") event.target.blur();
    if (!form && !menu && event.target.closest("#margin")) {
      (document.querySelector(".sel .pick") || document.querySelector("#main a"))?.focus();
    }
    return;
  }
  if (event.target.closest(".lookup") && (event.key === "ArrowDown" || event.key === "ArrowUp")) {
    if (moveThroughLookup(event.key === "ArrowDown" ? 1 : -1)) event.preventDefault();
    return;
  }
  if (typing(event.target) || document.querySelector("dialog[open]")) return;
  if (actions[event.key] && actions[event.key]()) event.preventDefault();
});

document.addEventListener("click", (event) => {
  closeMenus(event.target);
  if (event.target.closest("[data-show-keys]")) showKeys();
  const undone = event.target.closest("[data-undo]");
  if (undone) undo(undone.dataset.undo);
  const redone = event.target.closest("[data-redo]");
  if (redone) undo(redone.dataset.redo, true);
  const copy = event.target.closest("[data-copy]");
  if (copy) {
    const text = copy.dataset.copy || location.href;
    navigator.clipboard.writeText(text).then(
      () => say("Copied."),
      () => say(text),
    );
  }
});

// A menu that would reach over the edge of its sheet opens to the left.
document.addEventListener(
  "toggle",
  (event) => {
    const values = event.target.matches?.("details.chip[open]") && event.target.querySelector(".values");
    if (!values) return;
    values.classList.remove("turned");
    const edge = values.closest(".sheet")?.getBoundingClientRect().right ?? innerWidth;
    values.classList.toggle("turned", values.getBoundingClientRect().right > edge);
  },
  true,
);
document.body.addEventListener("htmx:responseError", (event) => {
  const status = event.detail.xhr.status;
  if (status === 401) return; // signing in again is under way
  if (status === 503) {
    say("Indexa's database does not answer. What you typed is still here; try again in some seconds.");
    return;
  }
  say(
    status === 403
      ? "Your role does not allow this; nothing was changed."
      : `This did not work (${status}); nothing was changed. Load the page again.`,
  );
});
// Leaving a page breaks off what it was asking for; that is no failure.
let leaving = false;
window.addEventListener("beforeunload", () => {
  leaving = true;
});
document.body.addEventListener(
  "htmx:sendError",
  () => leaving || say("The server does not answer. What you typed is still here; try again in a moment."),
);
// What is put into a page takes the focus where it asks for it, whether it replaced something or stands within it.
document.body.addEventListener("htmx:load", (event) => {
  const put = event.detail.elt;
  const field = put === document.body ? null : put.matches("[data-focus]") ? put : put.querySelector("[data-focus]");
  if (!field) return;
  field.focus();
  if (field.setSelectionRange) field.setSelectionRange(field.value.length, field.value.length);
});
