// A grid of columns that is edited in place: arrows, Enter, Escape, a block by Shift, fill down, copy and paste.

import { requestToken, say } from "../ui/messages.js";
import { signInAgain } from "../ui/sign_in_again.js";

const table = document.querySelector("table.cells[data-set-url]");
const FIELDS = ["name", "type", "required", "default"];

let at = null; // the cell where the keyboard is
let from = null; // where a chosen block begins
let field = null; // the input of the cell that is being edited

const rows = () => [...table.querySelectorAll("tbody.block tr")];
const cellOf = (row, name) => row.querySelector(`[data-field="${name}"]`);
const place = (cell) => ({ row: rows().indexOf(cell.parentElement), column: FIELDS.indexOf(cell.dataset.field) });

/** Return the cells of the chosen block, row by row. */
function block() {
  const [one, other] = [place(from || at), place(at)];
  const [top, bottom] = [Math.min(one.row, other.row), Math.max(one.row, other.row)];
  const [left, right] = [Math.min(one.column, other.column), Math.max(one.column, other.column)];
  return rows()
    .slice(top, bottom + 1)
    .map((row) => FIELDS.slice(left, right + 1).map((name) => cellOf(row, name)));
}

function mark() {
  table.querySelectorAll("[aria-selected]").forEach((cell) => cell.removeAttribute("aria-selected"));
  if (from && from !== at) block().flat().forEach((cell) => cell.setAttribute("aria-selected", "true"));
}

function go(cell, extend) {
  if (!cell) return;
  if (extend) from = from || at;
  else from = null;
  if (at) at.tabIndex = -1;
  at = cell;
  at.tabIndex = 0;
  at.focus({ preventScroll: true });
  at.scrollIntoView({ block: "nearest", inline: "nearest" });
  const scroller = table.closest(".scroll");
  const top = at.getBoundingClientRect().top - table.tHead.getBoundingClientRect().bottom;
  if (top < 0) scroller.scrollTop += top;
  mark();
}

function move(down, right, extend) {
  const { row, column } = place(at);
  const all = rows();
  const name = FIELDS[Math.max(0, Math.min(FIELDS.length - 1, column + right))];
  go(cellOf(all[Math.max(0, Math.min(all.length - 1, row + down))], name), extend);
}

// Saving -------------------------------------------------------------------------------------------

const waiting = new Map(); // what is being saved, by column and field
let saving = Promise.resolve();

/** Show new values at once and save them; what the server refuses is shown as it was. */
function set(changes) {
  const cells = changes.filter(({ cell, value }) => cell.textContent !== value);
  if (!cells.length) return;
  const before = cells.map(({ cell }) => cell.textContent);
  cells.forEach(({ cell, value }) => {
    cell.textContent = value;
    cell.classList.add("saving");
  });
  const told = cells.map(({ cell, value }) => ({
    column: Number(cell.parentElement.dataset.column),
    field: cell.dataset.field,
    value,
  }));
  saving = saving.then(() => save(cells, told, before));
}

async function save(cells, told, before) {
  const body = new URLSearchParams({ cells: JSON.stringify(told) });
  const headers = { "X-CSRFToken": requestToken(), "HX-Request": "true" };
  let answer;
  try {
    answer = await fetch(table.dataset.setUrl, { method: "POST", headers, body });
  } catch {
    say("The server does not answer. What you typed is still here; it is saved with the next change.");
    return again(cells, told, before);
  }
  if (answer.status === 401) {
    signInAgain(() => save(cells, told, before));
    return;
  }
  const done = await answer.json().catch(() => ({ message: "This did not work. Load the page again." }));
  cells.forEach(({ cell }) => cell.classList.remove("saving"));
  if (!answer.ok) {
    cells.forEach(({ cell }, number) => (cell.textContent = before[number]));
    say(done.message);
    return;
  }
  show(done.rows);
  if (done.told.length) say(done.told.join(" "));
}

function again(cells, told, before) {
  waiting.set(told, { cells, before });
  window.addEventListener(
    "online",
    () => {
      for (const [values, kept] of waiting) {
        waiting.delete(values);
        saving = saving.then(() => save(kept.cells, values, kept.before));
      }
    },
    { once: true },
  );
}

function show(values) {
  for (const [id, row] of Object.entries(values)) {
    const shown = table.querySelector(`tr[data-column="${id}"]`);
    if (shown) FIELDS.forEach((name) => (cellOf(shown, name).textContent = row[name]));
  }
}

// Editing ------------------------------------------------------------------------------------------

function edit(text) {
  const cell = at;
  if (cell.dataset.field === "required" && text === undefined) {
    set([{ cell, value: cell.textContent === "yes" ? "no" : "yes" }]);
    return;
  }
  const before = cell.textContent;
  field = document.createElement("input");
  field.className = "cell-input";
  field.value = text === undefined ? before : text;
  field.maxLength = 400;
  field.setAttribute("aria-label", `${cell.dataset.field} of ${cellOf(cell.parentElement, "name").textContent}`);
  if (cell.dataset.field === "type") field.setAttribute("list", "build-types");
  cell.replaceChildren(field);
  field.focus();
  if (text === undefined) field.select();
  const input = field;
  const close = (value) => {
    if (field !== input) return;
    field = null;
    cell.textContent = before;
    if (value !== before) set([{ cell, value }]);
  };
  input.addEventListener("blur", () => close(input.value.trim()));
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape") close(before);
    else if (event.key === "Enter" || event.key === "Tab") close(input.value.trim());
    else return;
    event.preventDefault();
    if (event.key === "Escape") go(cell);
    else if (event.key === "Enter") move(1, 0);
    else move(0, event.shiftKey ? -1 : 1);
  });
}

function emptyDefaults() {
  const defaults = block()
    .flat()
    .filter((cell) => cell.dataset.field === "default");
  set(defaults.map((cell) => ({ cell, value: "" })));
}

function fillDown() {
  const [first, ...rest] = block();
  set(rest.flatMap((row) => row.map((cell, number) => ({ cell, value: first[number].textContent }))));
}

function paste(text) {
  const lines = text.replace(/\r/g, "").replace(/\n$/, "").split("\n");
  const begin = block()[0][0];
  const { row, column } = place(begin);
  const all = rows();
  const changes = [];
  lines.forEach((line, down) => {
    line.split("\t").forEach((value, right) => {
      const name = FIELDS[column + right];
      if (name && all[row + down]) changes.push({ cell: cellOf(all[row + down], name), value: value.trim() });
    });
  });
  set(changes);
}

const KEYS = {
  ArrowUp: (event) => move(-1, 0, event.shiftKey),
  ArrowDown: (event) => move(1, 0, event.shiftKey),
  ArrowLeft: (event) => move(0, -1, event.shiftKey),
  ArrowRight: (event) => move(0, 1, event.shiftKey),
  PageDown: (event) => move(20, 0, event.shiftKey),
  PageUp: (event) => move(-20, 0, event.shiftKey),
  Home: (event) => move(0, -FIELDS.length, event.shiftKey),
  End: (event) => move(0, FIELDS.length, event.shiftKey),
  Enter: () => edit(),
  F2: () => edit(),
  Delete: emptyDefaults,
};

table?.addEventListener("keydown", (event) => {
  if (field || !event.target.closest("[data-field]")) return;
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "d") {
    fillDown();
  } else if (event.ctrlKey || event.metaKey || event.altKey) {
    return;
  } else if (KEYS[event.key]) {
    KEYS[event.key](event);
  } else if (event.key.length === 1 && event.key !== " " && !"uU?/".includes(event.key)) {
    edit(event.key);
  } else {
    return;
  }
  event.preventDefault();
  event.stopPropagation();
});
table?.addEventListener("click", (event) => {
  const cell = event.target.closest("[data-field]");
  if (cell && !field) go(cell, event.shiftKey);
});
table?.addEventListener("dblclick", (event) => event.target.closest("[data-field]") && !field && edit());
document.addEventListener("copy", (event) => {
  if (!at || field || !table.contains(document.activeElement)) return;
  const lines = block().map((row) => row.map((cell) => cell.textContent).join("\t"));
  const text = lines.join("\n");
  event.clipboardData.setData("text/plain", text);
  event.preventDefault();
});
document.addEventListener("paste", (event) => {
  if (!at || field || !table.contains(document.activeElement)) return;
  paste(event.clipboardData.getData("text/plain"));
  event.preventDefault();
});

at = table?.querySelector("[data-field]");
if (at) at.tabIndex = 0;
// Rows that are fetched anew, as after an undo, are other elements: the keyboard goes on where it was.
document.body.addEventListener("words-changed", () => {
  if (!at) return;
  const { column } = at.parentElement.dataset;
  const name = at.dataset.field;
  setTimeout(() => {
    const row = table.querySelector(`tr[data-column="${column}"]`);
    if (row && !at.isConnected) go(cellOf(row, name));
  }, 400);
});
