// A table whose cells are edited in place: arrows, Enter, Escape, a block by Shift, fill down, copy and paste.
//
// The table carries data-set-url, to which cells are posted, and data-fields, the order of its fields; data-typing lets
// a letter begin an edit. A row carries data-column, a cell data-field, and data-value where it shows more than that.
// data-lines makes the field one of several lines, data-longest limits it, data-choices names a list of what it can be,
// data-toggle flips between yes and no.

import { say } from "./messages.js";
import { put, send, waitingCells } from "./outbox.js";

let at = null; // the cell where the keyboard is
let from = null; // where a chosen block begins
const held = new WeakMap(); // what cells held before they were set, until it is known what became of them
let field = null; // the input of the cell that is being edited

const tableNow = () => document.querySelector("table[data-set-url]");
const url = () => tableNow().dataset.setUrl;
const outbox = () => `${tableNow().dataset.person} ${url()}`; // whose cells they are, and of which page
const fields = () => tableNow().dataset.fields.split(" ");
const rows = () => [...tableNow().querySelectorAll("tbody.block tr[data-column]")];
const cellOf = (row, name) => row.querySelector(`[data-field="${name}"]`);
const place = (cell) => ({ row: rows().indexOf(cell.parentElement), column: fields().indexOf(cell.dataset.field) });
const valueOf = (cell) => cell.dataset.value ?? cell.textContent;
const find = ({ column, field: name }) =>
  tableNow()?.querySelector(`tr[data-column="${column}"] [data-field="${name}"]`);

/** Return the cells of the chosen block, row by row. */
function block() {
  const [one, other] = [place(from?.isConnected ? from : at), place(at)];
  const [top, bottom] = [Math.min(one.row, other.row), Math.max(one.row, other.row)];
  const [left, right] = [Math.min(one.column, other.column), Math.max(one.column, other.column)];
  const names = fields().slice(left, right + 1);
  return rows()
    .slice(top, bottom + 1)
    .map((row) => names.map((name) => cellOf(row, name)));
}

function mark() {
  tableNow()
    .querySelectorAll("[aria-selected]")
    .forEach((cell) => cell.removeAttribute("aria-selected"));
  if (from && from !== at) block().flat().forEach((cell) => cell.setAttribute("aria-selected", "true"));
}

function go(cell, extend) {
  if (!cell) return;
  if (extend) from = from || at;
  else from = null;
  tableNow()
    .querySelectorAll('[data-field][tabindex="0"]')
    .forEach((old) => (old.tabIndex = -1));
  at = cell;
  at.tabIndex = 0;
  at.focus({ preventScroll: true });
  at.scrollIntoView({ block: "nearest", inline: "nearest" });
  const top = at.getBoundingClientRect().top - tableNow().tHead.getBoundingClientRect().bottom;
  if (top < 0) tableNow().closest(".scroll").scrollTop += top;
  mark();
}

function move(down, right, extend) {
  const { row, column } = place(at);
  const [all, names] = [rows(), fields()];
  const next = all[Math.max(0, Math.min(all.length - 1, row + down))];
  if (column + right < 0 && !extend && cellOf(next, names[0]) === at && next.querySelector(".pick")) {
    next.querySelector(".pick").focus();
    return;
  }
  go(cellOf(next, names[Math.max(0, Math.min(names.length - 1, column + right))]), extend);
  if (down) next.dispatchEvent(new CustomEvent("row-entered", { bubbles: true }));
}

// Saving -------------------------------------------------------------------------------------------

/** Show new values at once and save them together. */
function set(changes) {
  const cells = changes.filter(({ cell, value }) => valueOf(cell) !== value);
  if (!cells.length) return;
  const isSeenTold = "seen" in tableNow().dataset;
  put(
    outbox(),
    cells.map(({ cell, value }) => ({
      column: Number(cell.parentElement.dataset.column),
      field: cell.dataset.field,
      value,
      ...(isSeenTold ? { seen: cell.dataset.theirs ?? valueOf(cell) } : {}),
    })),
  );
  showWaiting();
  send(url(), outbox(), settle);
}

/** Show what is not saved yet in its cells; what a cell held before stays with it. */
function showWaiting() {
  waitingCells(outbox()).forEach((one) => {
    const cell = find(one);
    if (!cell || cell.contains(field)) return;
    if (!held.has(cell)) held.set(cell, { html: cell.innerHTML, value: cell.dataset.value });
    write(cell, one.value);
    cell.classList.add("saving");
    delete cell.dataset.theirs;
  });
}

function write(cell, value, html) {
  if (html === undefined) cell.textContent = value;
  else cell.innerHTML = html;
  if ("value" in cell.dataset) cell.dataset.value = value;
}

/** Show what became of cells that were sent: saved, refused, or saved by somebody else in the meantime. */
function settle(cells, answer) {
  if (!tableNow()) return;
  cells.forEach((one) => {
    const cell = find(one);
    if (!cell) return;
    const before = held.get(cell);
    if (!answer.ok && before) {
      cell.innerHTML = before.html;
      if (before.value !== undefined) cell.dataset.value = before.value;
    }
    held.delete(cell);
    cell.classList.remove("saving", "conflicting");
  });
  for (const [column, row] of Object.entries(answer.rows || {})) {
    for (const [name, shown] of Object.entries(row)) {
      const cell = find({ column, field: name });
      if (!cell || cell.contains(field)) continue;
      if (typeof shown === "string") write(cell, shown);
      else write(cell, shown.value, shown.html);
    }
  }
  (answer.conflicts || []).forEach((one) => {
    const cell = find(one);
    if (!cell) return;
    write(cell, cells.find((other) => other.column === one.column && other.field === one.field).value);
    cell.dataset.theirs = one.theirs;
    cell.classList.add("conflicting");
  });
  showWaiting();
  if (answer.ok) document.body.dispatchEvent(new CustomEvent("cells-saved"));
  const told = [answer.message, ...(answer.told || [])].filter(Boolean).join(" ");
  if (told) say(told);
}

/** Let go of what was typed into a cell that somebody else saved: it shows theirs. */
function keepTheirs(cell) {
  write(cell, cell.dataset.theirs);
  delete cell.dataset.theirs;
  cell.classList.remove("conflicting");
}

// Editing ------------------------------------------------------------------------------------------

function fieldFor(cell, value) {
  const made = document.createElement("lines" in cell.dataset ? "textarea" : "input");
  made.className = "cell-input";
  made.value = value;
  made.maxLength = Number(cell.dataset.longest || 400);
  const column = tableNow().tHead.querySelectorAll("th")[cell.cellIndex].textContent.trim();
  made.setAttribute("aria-label", `${column} of ${cell.parentElement.dataset.label}`);
  if (cell.dataset.choices) made.setAttribute("list", cell.dataset.choices);
  if ("lines" in cell.dataset) {
    const fit = () => {
      made.style.height = "auto";
      made.style.height = `${made.scrollHeight}px`;
    };
    made.addEventListener("input", fit);
    requestAnimationFrame(fit);
  }
  return made;
}

function edit(text) {
  const cell = at;
  if ("toggle" in cell.dataset && text === undefined) {
    set([{ cell, value: valueOf(cell) === "yes" ? "no" : "yes" }]);
    return;
  }
  const [before, html] = [valueOf(cell), cell.innerHTML];
  const input = fieldFor(cell, text === undefined ? before : text);
  field = input;
  cell.replaceChildren(input);
  input.focus();
  if (text === undefined) input.select();
  const close = (value) => {
    if (field !== input) return;
    field = null;
    cell.innerHTML = html;
    if (value !== before || cell.dataset.theirs !== undefined) set([{ cell, value }]);
  };
  const discard = () => {
    if (field !== input) return;
    field = null;
    cell.innerHTML = html;
    if (cell.dataset.theirs !== undefined) keepTheirs(cell);
  };
  input.addEventListener("blur", () => close(input.value.trim()));
  input.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape") discard();
    else if ((event.key === "Enter" && !event.shiftKey) || event.key === "Tab") close(input.value.trim());
    else return;
    event.preventDefault();
    if (event.key === "Escape") go(cell);
    else if (event.key === "Enter") move(1, 0);
    else move(0, event.shiftKey ? -1 : 1);
  });
}

const empty = () =>
  set(
    block()
      .flat()
      .filter((cell) => "empties" in cell.dataset)
      .map((cell) => ({ cell, value: "" })),
  );

function fillDown() {
  const [first, ...rest] = block();
  set(rest.flatMap((row) => row.map((cell, number) => ({ cell, value: valueOf(first[number]) }))));
}

/** Return the cells of a block that a spreadsheet copied: lines of cells between tabs, quoted where they hold lines. */
export function cellsOf(text) {
  const lines = [[]];
  const sign = /("(?:[^"]|"")*"|[^\t\n]*)(\t|\n|$)/y;
  text = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  while (sign.lastIndex <= text.length) {
    const [whole, cell, end] = sign.exec(text) || [];
    if (whole === undefined) return text.split("\n").map((line) => line.split("\t"));
    lines.at(-1).push(cell.startsWith('"') ? cell.slice(1, -1).replaceAll('""', '"') : cell);
    if (end === "") break;
    if (end === "\n") lines.push([]);
  }
  return lines;
}

function paste(text) {
  const { row, column } = place(block()[0][0]);
  const [all, names] = [rows(), fields()];
  const lines = cellsOf(text);
  const fitting = lines.slice(0, all.length - row);
  set(
    fitting.flatMap((line, down) =>
      line
        .slice(0, names.length - column)
        .map((value, right) => ({ cell: cellOf(all[row + down], names[column + right]), value: value.trim() })),
    ),
  );
  const left = lines.length - fitting.length;
  const noun = left === 1 ? "line" : "lines";
  if (left) say(`${left} ${noun} had no row to go to: scroll further down and paste the rest there.`);
}

const KEYS = {
  ArrowUp: (event) => move(-1, 0, event.shiftKey),
  ArrowDown: (event) => move(1, 0, event.shiftKey),
  ArrowLeft: (event) => move(0, -1, event.shiftKey),
  ArrowRight: (event) => move(0, 1, event.shiftKey),
  PageDown: (event) => move(20, 0, event.shiftKey),
  PageUp: (event) => move(-20, 0, event.shiftKey),
  Home: () => go(cellOf(at.parentElement, fields()[0])),
  End: () => go(cellOf(at.parentElement, fields().at(-1))),
  Enter: () => edit(),
  F2: () => edit(),
  Delete: empty,
};

const isTyping = (event) => isOther(event) || event.target.closest("input, textarea, select, dialog");
const isOther = (event) => event.ctrlKey || event.metaKey || event.altKey;

function onKey(event) {
  if (/^[uU]$/.test(event.key) && tableNow() && !field && waitingCells(outbox()).length && !isTyping(event)) {
    say("What you typed is being saved. Undo it in a moment.");
    event.preventDefault();
    event.stopImmediatePropagation();
    return;
  }
  if (field || !tableNow()?.contains(event.target)) return;
  if (event.target.matches(".pick") && event.key === "ArrowRight" && !isOther(event)) {
    go(cellOf(event.target.closest("tr"), fields()[0]));
  } else if (!event.target.matches("[data-field]")) {
    return;
  } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "d") {
    fillDown();
  } else if (isOther(event)) {
    return;
  } else if (event.key === "Escape" && at.dataset.theirs !== undefined) {
    keepTheirs(at);
  } else if (KEYS[event.key]) {
    KEYS[event.key](event);
  } else if ("typing" in tableNow().dataset && /^[^ uU?/]$/u.test(event.key)) {
    edit(event.key);
  } else {
    return;
  }
  event.preventDefault();
  event.stopImmediatePropagation();
}

document.addEventListener("keydown", onKey, { capture: true }); // before the keys of the page
document.addEventListener("click", (event) => {
  const cell = event.target.closest("table[data-set-url] [data-field]");
  if (cell && !field && !event.target.closest("a")) go(cell, event.shiftKey);
});
document.addEventListener("dblclick", (event) => {
  if (event.target.closest("table[data-set-url] [data-field]") && !field) edit();
});
const isHere = () => at?.isConnected && !field && tableNow()?.contains(document.activeElement);
document.addEventListener("copy", (event) => {
  if (!isHere() || !document.activeElement.matches("[data-field]")) return;
  const quoted = (value) => (/[\t\n"]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value);
  const lines = block().map((row) => row.map((cell) => quoted(valueOf(cell))).join("\t"));
  event.clipboardData.setData("text/plain", lines.join("\n"));
  event.preventDefault();
});
document.addEventListener("paste", (event) => {
  if (!isHere() || !document.activeElement.matches("[data-field]")) return;
  paste(event.clipboardData.getData("text/plain"));
  event.preventDefault();
});

// Rows that come or are fetched anew are other elements: the keyboard goes on where it was, and what waits is shown.
function adopt() {
  if (!tableNow()) return;
  if (!at?.isConnected) {
    const again = at && find({ column: at.parentElement.dataset.column, field: at.dataset.field });
    if (again && document.activeElement === document.body) go(again);
    else if (again) at = again;
  }
  if (!at?.isConnected) at = tableNow().querySelector("[data-field]");
  if (at && !tableNow().querySelector('[data-field][tabindex="0"]')) at.tabIndex = 0;
  showWaiting();
}
document.body.addEventListener("rows-arrived", adopt);
document.body.addEventListener("htmx:afterSettle", adopt);
window.addEventListener("online", () => tableNow() && send(url(), outbox(), settle));
window.addEventListener("beforeunload", (event) => {
  if (tableNow() && (field || waitingCells(outbox()).length)) event.preventDefault();
});
adopt();
if (tableNow() && waitingCells(outbox()).length) {
  say("What you typed is back. It is being saved.");
  send(url(), outbox(), settle);
}
