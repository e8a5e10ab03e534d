// Working on a diagram: look around, select, drag, add and remove tables. Every change is saved at once and can
// be undone.

import { requestToken, say } from "../ui/messages.js";
import { linedUp } from "./line_up.js";
import { middlePiece, movedPiece, nearestPiece, pathOf } from "./lines.js";
import { holds, meets, Pieces } from "./pieces.js";
import { View } from "./view.js";

const canvas = document.getElementById("canvas");
const svg = document.getElementById("drawing");
const band = document.getElementById("band");
const zoomShare = document.getElementById("zoom-share");
const minimap = document.getElementById("minimap");
const addresses = canvas.dataset;
const mayEdit = "mayEdit" in addresses;
const GRID = 5;
const LOOK_AGAIN = 4000; // milliseconds

const pieces = new Pieces(
  document.getElementById("pieces"),
  document.getElementById("far-boxes"),
  document.getElementById("far-lines"),
  JSON.parse(document.getElementById("drawn-pieces").textContent),
);
const selected = new Set();
let { state } = addresses;
let waiting;
const view = new View(svg, document.getElementById("view"), `diagram ${location.pathname}`, () => {
  cancelAnimationFrame(waiting);
  waiting = requestAnimationFrame(() => {
    if (!minimapOf) drawMinimap();
    if (pieces.cull(view)) showSelection();
    drawMinimap();
    const share = `${Math.round(view.scale * 100)} %`;
    if (zoomShare.textContent !== share) zoomShare.textContent = share; // it has the whole page laid out
  });
});

// What is sent to the server ----------------------------------------------------------------------

async function send(url, body) {
  const headers = { "X-CSRFToken": requestToken(), "HX-Request": "true" };
  if (typeof body === "string") headers["Content-Type"] = "application/json";
  const answer = await fetch(url, { method: "POST", headers, body }).catch(() => null);
  if (!answer) {
    say("The server can't be reached. What you did is not saved.");
    return null;
  }
  const result = await answer.json().catch(() => ({}));
  if (!answer.ok) {
    say(result.message || "That could not be saved. Load the page again.");
    return null;
  }
  if (result.message) say(result.message);
  return result;
}

const form = (values) => {
  const made = new URLSearchParams();
  Object.entries(values).forEach(([name, value]) => [value].flat().forEach((one) => made.append(name, one)));
  return made;
};

/** Show what the server has, where that is another state than the page shows. */
async function refresh() {
  const headers = { "HX-Request": "true" };
  const answer = await fetch(`${addresses.content}?state=${state}`, { headers }).catch(() => null);
  if (!answer?.ok) return;
  const found = await answer.json();
  if (!found.pieces || drag) return;
  state = found.state;
  const focused = document.activeElement?.dataset?.card || document.activeElement?.dataset?.note;
  pieces.replaceAll(found.pieces);
  document.getElementById("shown-tables").textContent = pieces.cards.size.toLocaleString("en-GB");
  document.getElementById("all-tables").textContent = found.total.toLocaleString("en-GB");
  if (pieces.cards.size) document.getElementById("nothing-on-it")?.remove();
  [...selected].filter((id) => !pieces.cards.has(id)).forEach((id) => selected.delete(id));
  pieces.cull(view);
  showSelection();
  minimapOf = null;
  view.changed();
  if (focused) (pieces.cards.get(focused) || pieces.notes.get(focused))?.element?.focus({ preventScroll: true });
}

const numbers = (ids) => [...ids].map((id) => id.slice(1));

async function addTables(values) {
  const wasEmpty = pieces.cards.size === 0;
  const done = await send(addresses.add, form(values));
  if (!done) return;
  await refresh();
  if (wasEmpty) view.fit(pieces.bounds());
  select(done.added);
  if (selected.size === 1) loadMargin([...selected][0]);
}

async function removeTables(ids) {
  if (!ids.length) return;
  await send(addresses.remove, form({ table: numbers(ids) }));
  selected.clear();
  await refresh();
}

async function moveBy(x, y) {
  const places = {};
  const snap = (value) => Math.round(value / GRID) * GRID;
  selected.forEach((id) => {
    const card = pieces.cards.get(id);
    places[id] = [snap(card.x + x), snap(card.y + y)];
  });
  await moveTo(places);
}

async function moveTo(placesById) {
  const places = Object.fromEntries(Object.entries(placesById).map(([id, place]) => [id.slice(1), place]));
  if (!(await takeChanged(await send(addresses.move, JSON.stringify({ places }))))) return;
  const [only] = selected;
  if (selected.size === 1) pieces.cards.get(only).element?.focus({ preventScroll: true });
}

/** Show what an answer says has changed; false where there is none, when all is loaded again. */
async function takeChanged(done) {
  if (!done) {
    state = "";
    await refresh();
    return false;
  }
  if (done.before === state) state = done.state; // else others changed it too: the next look brings that
  pieces.replace(done);
  pieces.cull(view);
  showSelection();
  minimapOf = null;
  view.changed();
  return true;
}

const addressOf = (lineId) => addresses.lines.replace(/0\/$/, `${lineId.slice(1)}/`);

/** Save the corners of a line, or have its way searched again where none are given. */
async function bend(line, points) {
  const bends = points.slice(1, -1).map(([x, y]) => [snapped(x), snapped(y)]);
  if (await takeChanged(await send(addressOf(line.id), JSON.stringify({ bends })))) selectLine(line.id);
}

/** Show a line as selected, with what belongs to it in the margin. */
function selectLine(id) {
  const line = pieces.lines.get(id);
  if (!line) return;
  if (!line.element?.isConnected) {
    view.fly((line.from.x + line.to.x) / 2, (line.from.y + line.to.y) / 2);
    pieces.cull(view);
  }
  selected.clear();
  showSelection();
  const { element } = line;
  element.setAttribute("tabindex", "0");
  element.setAttribute("role", "group");
  element.setAttribute("aria-label", element.querySelector("title").textContent);
  element.focus({ preventScroll: true });
  tellLine(element);
  showInMargin(addressOf(id));
}

// Selection and the margin ------------------------------------------------------------------------

function showSelection() {
  for (const [id, card] of pieces.cards) card.element?.classList.toggle("sel", selected.has(id));
  const beside = (line) => selected.has(line.child) || selected.has(line.parent);
  for (const line of pieces.lines.values()) line.element?.classList.toggle("lit", beside(line));
  offerCopy();
}

/** Offer a new diagram of what is selected, which keeps its arrangement. */
function offerCopy() {
  const copy = document.querySelector(".copy-selection");
  if (!copy) return;
  copy.hidden = selected.size < 2;
  copy.querySelector("[data-add-path]").hidden = selected.size !== 2;
  copy.querySelector("[data-selected-count]").textContent = `${selected.size} tables`;
  copy.querySelectorAll("[name=table]").forEach((field) => field.remove());
  numbers(selected).forEach((id) => {
    const field = document.createElement("input");
    Object.assign(field, { type: "hidden", name: "table", value: id });
    copy.append(field);
  });
}

function select(ids, also) {
  if (!also) selected.clear();
  ids.forEach((id) => pieces.cards.has(id) && selected.add(id));
  showSelection();
}

/** Show what an address has in the margin; an answer to an earlier question that comes later is dropped. */
let wanted = null;
const asked = new Set();
function showInMargin(address) {
  wanted = address;
  asked.add(address);
  window.htmx.ajax("GET", address, { target: "#margin", swap: "innerHTML" });
}
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const { requestPath } = detail.pathInfo;
  const isOurs = detail.target.id === "margin" && detail.requestConfig.verb === "get" && asked.has(requestPath);
  if (isOurs && requestPath !== wanted) detail.shouldSwap = false;
});

function loadMargin(id) {
  const url = addresses.margin.replace(/0\/$/, `${id.slice(1)}/`);
  showInMargin(url);
}

function fly(id) {
  const card = pieces.cards.get(id);
  if (!card) return;
  select([id]);
  view.fly(card.x + card.width / 2, card.y + card.height / 2);
  pieces.cull(view);
  pieces.element(card).focus({ preventScroll: true });
  loadMargin(id);
}

/** Show the diagram itself in the margin: what is on it as a list, as it is now. */
function showDiagramInMargin() {
  if (document.getElementById("table-list")?.children.length === pieces.cards.size) return;
  showInMargin(addresses.list);
}

// Lines tell what they are ------------------------------------------------------------------------

function tellLine(element) {
  document.querySelectorAll("#drawing .row.lit").forEach((row) => row.classList.remove("lit"));
  const words = document.getElementById("line-words");
  if (!element) {
    words.textContent = "";
    showSelection();
    return;
  }
  const line = pieces.lines.get(element.dataset.line);
  element.classList.add("lit");
  const light = (id, names) => {
    const card = pieces.cards.get(id);
    names.split("\n").forEach((name) => {
      card?.element?.querySelector(`.row[data-column="${CSS.escape(name)}"]`)?.classList.add("lit");
    });
  };
  light(line.child, element.dataset.columns);
  light(line.parent, element.dataset.refs);
  words.textContent = element.querySelector("title").textContent;
}
/** Show what speaks for a proposed relationship in the margin, where it is decided. */
function loadProposal(element) {
  showInMargin(element.dataset.address);
}
svg.addEventListener("pointerover", (event) => {
  if (!drag) tellLine(event.target.closest(".rel-line"));
});

// The mouse ---------------------------------------------------------------------------------------

let drag = null;
/** A line of the model between two tables, whose pieces can be dragged. */
function canBend(target) {
  const line = target.closest(".rel-line:not(.asked)");
  return Boolean(line) && pieces.lines.get(line.dataset.line).points.length > 1;
}
svg.addEventListener("pointerdown", (event) => {
  if (event.button > 1) return;
  const card = event.target.closest(".card-box");
  const note = event.target.closest(".note-box");
  const begin = { x: event.clientX, y: event.clientY };
  svg.setPointerCapture(event.pointerId);
  if (card && event.target.classList.contains("edge") && event.button === 0) {
    drag = { kind: "width", begin, card: pieces.cards.get(card.dataset.card), moved: false };
  } else if (card && event.button === 0) {
    const id = card.dataset.card;
    if (event.ctrlKey || event.metaKey) {
      if (!selected.delete(id)) selected.add(id);
      showSelection();
    } else if (!selected.has(id)) select([id]);
    drag = { kind: "cards", begin, id, moved: false };
  } else if (note && event.button === 0) {
    const grips = event.target.classList.contains("grip");
    drag = { kind: "note", begin, note: pieces.notes.get(note.dataset.note), grips, moved: false };
  } else if (canBend(event.target)) {
    const line = pieces.lines.get(event.target.closest(".rel-line").dataset.line);
    drag = { kind: "line", begin, line, piece: nearestPiece(line.points, view.at(event)), moved: false };
  } else if (event.shiftKey && event.button === 0) drag = { kind: "band", begin, from: view.at(event), moved: false };
  else drag = { kind: "pan", begin, last: begin, moved: false, line: event.target.closest(".rel-line") };
});
svg.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const [x, y] = [event.clientX - drag.begin.x, event.clientY - drag.begin.y];
  if (!drag.moved && Math.hypot(x, y) < 4) return;
  drag.moved = true;
  if (drag.kind === "pan") {
    svg.classList.add("panning");
    view.pan(event.clientX - drag.last.x, event.clientY - drag.last.y);
    drag.last = { x: event.clientX, y: event.clientY };
  } else if (drag.kind === "line" && mayEdit && drag.line.child !== drag.line.parent) {
    drag.points = movedPiece(drag.line.points, drag.piece, x / view.scale, y / view.scale);
    drag.line.element.classList.add("loose");
    drag.line.run.setAttribute("d", pathOf(drag.points));
  } else if (drag.kind === "width" && mayEdit) {
    const width = Math.max(100, drag.card.width + x / view.scale);
    drag.card.element.querySelector(".paper").setAttribute("width", width);
  } else if (drag.kind === "cards" && mayEdit) pieces.shift(selected, x / view.scale, y / view.scale);
  else if (drag.kind === "note" && mayEdit && !drag.grips) {
    const { note } = drag;
    note.element.setAttribute("transform", `translate(${note.x + x / view.scale} ${note.y + y / view.scale})`);
    if (!event.altKey) pieces.shift(inside(note), x / view.scale, y / view.scale);
  } else if (drag.kind === "note" && mayEdit) {
    drag.note.element.querySelector(".slip").setAttribute("width", Math.max(40, drag.note.width + x / view.scale));
    drag.note.element.querySelector(".slip").setAttribute("height", Math.max(40, drag.note.height + y / view.scale));
  } else if (drag.kind === "band") drawBand(drag.from, view.at(event));
});
svg.addEventListener("pointerup", (event) => {
  const done = drag;
  drag = null;
  svg.classList.remove("panning");
  if (!done) return;
  const [x, y] = [(event.clientX - done.begin.x) / view.scale, (event.clientY - done.begin.y) / view.scale];
  if (done.kind === "cards" && done.moved && mayEdit) moveBy(x, y);
  else if (done.kind === "line" && done.points) bend(done.line, done.points);
  else if (done.kind === "line") selectLine(done.line.id);
  else if (done.kind === "width" && done.moved && mayEdit) setWidth(done.card, done.card.width + x);
  else if (done.kind === "cards" && selected.has(done.id)) {
    pieces.cards.get(done.id).element?.focus({ preventScroll: true });
    if (selected.size === 1) loadMargin(done.id);
  } else if (done.kind === "note" && done.moved && mayEdit) placeNote(done.note, done.grips, x, y, event.altKey);
  else if (done.kind === "note") loadNote(done.note);
  else if (done.kind === "band") selectBand(done.from, view.at(event), event.ctrlKey || event.metaKey);
  else if (done.kind === "pan" && !done.moved) {
    select([]);
    if (done.line?.dataset.address) loadProposal(done.line);
    else showDiagramInMargin();
  }
});
const snapped = (value) => Math.round(value / GRID) * GRID;
/** The ids of the cards that lie wholly in a frame and move with it. */
function inside(note) {
  if (note.kind !== "frame") return new Set();
  const withTab = (card) => ({ ...card, y: card.y - 15, height: card.height + 15 });
  const within = [...pieces.cards].filter(([, card]) => holds(note, withTab(card)));
  return new Set(within.map(([id]) => id));
}
async function setWidth(card, width) {
  const url = addresses.margin.replace(/0\/$/, `${card.id.slice(1)}/card/`);
  await post(url, form({ width: width ? Math.max(100, snapped(width)) : "" }));
}
/** Send what answers with nothing but success, and show what the server has then. */
async function post(url, body) {
  const headers = { "X-CSRFToken": requestToken(), "HX-Request": "true" };
  const answer = await fetch(url, { method: "POST", headers, body }).catch(() => null);
  const told = answer && !answer.ok ? await answer.json().catch(() => ({})) : {};
  if (!answer?.ok) say(told.message || "That could not be saved. Load the page again.");
  state = "";
  await refresh();
}
async function placeNote(note, grips, x, y, alone) {
  const size = { width: Math.max(40, snapped(note.width + x)), height: Math.max(40, snapped(note.height + y)) };
  const given = grips ? size : { x: snapped(note.x + x), y: snapped(note.y + y) };
  if (alone) given.alone = 1;
  await post(`${addresses.notes}${note.id.slice(1)}/`, form(given));
  pieces.notes.get(note.id)?.element?.focus({ preventScroll: true });
}
function loadNote(note) {
  note.element.focus({ preventScroll: true });
  showInMargin(`${addresses.notes}${note.id.slice(1)}/`);
}
document.getElementById("new-note")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  const text = event.target.elements.text.value;
  const { width, height } = view.size;
  const [x, y] = [(width / 2 - view.x) / view.scale, (height / 2 - view.y) / view.scale].map(Math.round);
  const kind = event.submitter?.value || "note";
  const done = await send(addresses.notes, form({ kind, text, x, y, table: numbers(selected) }));
  if (!done) return;
  event.target.reset();
  event.target.closest("details").removeAttribute("open");
  await refresh();
  pieces.notes.get(done.note)?.element?.focus({ preventScroll: true });
});
async function deleteNote(id) {
  if (await send(`${addresses.notes}${id}/delete/`, form({}))) {
    showDiagramInMargin();
    await refresh();
  }
}
svg.addEventListener("pointercancel", () => {
  drag = null;
});

function rectangle(a, b) {
  return { x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) };
}
function drawBand(a, b) {
  band.removeAttribute("hidden");
  Object.entries(rectangle(a, b)).forEach(([name, value]) => band.setAttribute(name, value));
}
function selectBand(a, b, also) {
  band.setAttribute("hidden", "");
  const area = rectangle(a, b);
  const inside = [...pieces.cards].filter(([, card]) => meets(card, area));
  select(
    inside.map(([id]) => id),
    also,
  );
}

svg.addEventListener(
  "wheel",
  (event) => {
    event.preventDefault();
    const box = canvas.getBoundingClientRect();
    if (event.shiftKey) view.pan(-(event.deltaY || event.deltaX), 0);
    else view.zoom(Math.exp(-event.deltaY * 0.0015), { x: event.clientX - box.left, y: event.clientY - box.top });
  },
  { passive: false },
);

// The keyboard ------------------------------------------------------------------------------------

const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
let nudged = { x: 0, y: 0 };
let nudging;
function nudge([x, y], far) {
  const by = far ? 50 : GRID * 2;
  nudged = { x: nudged.x + x * by, y: nudged.y + y * by };
  pieces.shift(selected, nudged.x, nudged.y);
  clearTimeout(nudging);
  nudging = setTimeout(() => {
    moveBy(nudged.x, nudged.y);
    nudged = { x: 0, y: 0 };
  }, 500);
}

svg.addEventListener("focusin", (event) => {
  const card = event.target.closest?.(".card-box");
  if (event.target.closest?.(".rel-line.asked")) tellLine(event.target);
  if (card && !selected.has(card.dataset.card) && !drag) select([card.dataset.card]);
});
canvas.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const step = STEPS[event.key];
  const note = pieces.notes.get(event.target.closest(".note-box")?.dataset.note);
  if (note) {
    if (step && mayEdit) placeNote(note, event.shiftKey, step[0] * 10, step[1] * 10);
    else if ((event.key === "Delete" || event.key === "Backspace") && mayEdit) deleteNote(note.id.slice(1));
    else if (event.key === "Enter") loadNote(note);
    else return;
    event.preventDefault();
    event.stopPropagation();
    return;
  }
  const line = pieces.lines.get(event.target.closest(".rel-line:not(.asked)")?.dataset.line);
  if (line && mayEdit && line.child !== line.parent && (step || event.key === "Delete")) {
    const [x, y] = (step || [0, 0]).map((value) => value * GRID * (event.shiftKey ? 5 : 1));
    bend(line, step ? movedPiece(line.points, middlePiece(line.points), x, y) : []);
    event.preventDefault();
    event.stopPropagation();
    return;
  }
  const keys = {
    "+": () => view.zoom(1.25),
    "=": () => view.zoom(1.25),
    "-": () => view.zoom(0.8),
    0: () => view.fit(pieces.bounds()),
    1: () => view.zoom(1 / view.scale),
    Delete: () => mayEdit && removeTables([...selected]),
    Backspace: () => mayEdit && removeTables([...selected]),
    n: () => mayEdit && selected.size && addTables({ table: numbers(selected), neighbours: "both" }),
    a: () => select([...pieces.cards.keys()]),
    Enter: () => {
      const asked = event.target.closest(".rel-line.asked");
      if (asked) loadProposal(asked);
      else if (selected.size === 1) loadMargin([...selected][0]);
    },
    Escape: () => {
      document.body.classList.remove("canvas-full");
      select([]);
      showDiagramInMargin();
    },
  };
  if (step && selected.size && mayEdit) nudge(step, event.shiftKey);
  else if (step) view.pan(-step[0] * 60, -step[1] * 60);
  else if (keys[event.key]) keys[event.key]();
  else return;
  event.preventDefault();
  event.stopPropagation();
});

// Buttons -----------------------------------------------------------------------------------------

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  const { zoom, arrange, direction, fly: to } = button.dataset;
  const { addTable, addTables: several, addNeighbours, of, removeTable } = button.dataset;
  if (zoom === "in") view.zoom(1.25);
  else if (zoom === "out") view.zoom(0.8);
  else if (zoom === "fit") view.fit(pieces.bounds());
  else if (zoom === "full") toggleFull();
  else if (arrange) rearrange(arrange, direction);
  else if (to) fly(to);
  else if (addTable) addTables({ table: addTable });
  else if (several) addTables({ table: several.split(",") });
  else if (addNeighbours) addTables({ table: of, neighbours: addNeighbours });
  else if (button.dataset.lineUp && selected.size > 1) {
    moveTo(linedUp([...selected].map((id) => pieces.cards.get(id)), button.dataset.lineUp));
  } else if (button.dataset.deleteNote) deleteNote(button.dataset.deleteNote);
  else if ("addPath" in button.dataset) addTables({ table: numbers(selected), neighbours: "path" });
  else if (button.dataset.selectLine) selectLine(button.dataset.selectLine);
  else if (button.dataset.straighten) bend(pieces.lines.get(button.dataset.straighten), []);
  else if (removeTable) removeTables([`t${removeTable}`]);
  else if ("showAsked" in button.dataset) {
    const hidden = svg.classList.toggle("without-asked");
    button.setAttribute("aria-pressed", String(!hidden));
  } else if ("showDiagram" in button.dataset) showDiagramInMargin();
  else if ("copyPlace" in button.dataset) copyPlace();
});

document.querySelector("[data-submit-on-change]")?.addEventListener("change", (event) => {
  event.target.form.requestSubmit();
});

function toggleFull() {
  document.body.classList.toggle("canvas-full");
  requestAnimationFrame(() => view.changed());
}

async function rearrange(style, direction) {
  const some = selected.size > 1 ? numbers(selected) : [];
  const done = await send(addresses.arrange, form({ style, direction: direction || "right", table: some }));
  if (!done) return;
  await refresh();
  if (!some.length) view.fit(pieces.bounds());
}

async function copyPlace() {
  const address = `${location.origin}${location.pathname}#at=${view.place()}`;
  await navigator.clipboard?.writeText(address).then(
    () => say("The address of this view is copied."),
    () => say(address),
  );
}

// Finding -----------------------------------------------------------------------------------------

const find = document.getElementById("find-on-it");
find.addEventListener("focus", () => {
  const options = [...pieces.cards.values()].map((card) => {
    const option = document.createElement("option");
    option.value = card.label;
    return option;
  });
  document.getElementById("tables-on-it").replaceChildren(...options);
});
find.addEventListener("change", () => {
  const text = find.value.trim().toLowerCase();
  if (!text) return;
  const all = [...pieces.cards];
  const label = ([, card]) => card.label.toLowerCase();
  const hit = all.find((one) => label(one) === text) || all.find((one) => label(one).includes(text));
  if (hit) fly(hit[0]);
  else say(`No table on this diagram has “${find.value}” in its name.`);
});

// The overview ------------------------------------------------------------------------------------

let minimapOf = null;
let here;
function drawMinimap() {
  if (!minimapOf) {
    minimapOf = view.bounds = pieces.bounds();
    minimap.toggleAttribute("hidden", pieces.cards.size === 0);
    const { x, y, width, height } = minimapOf;
    minimap.setAttribute("viewBox", `${x - 40} ${y - 40} ${width + 80} ${height + 80}`);
    here = box(view.seen(0), "here");
    minimap.replaceChildren(...[...pieces.cards.values()].map((card) => box(card, `h${card.hue}`)), here);
  }
  const seen = view.seen(0);
  ["x", "y", "width", "height"].forEach((name) => here.setAttribute(name, seen[name]));
}
function box(one, kind) {
  const rect = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  ["x", "y", "width", "height"].forEach((name) => rect.setAttribute(name, one[name]));
  if (kind) rect.setAttribute("class", kind);
  return rect;
}
minimap.addEventListener("click", (event) => {
  const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(minimap.getScreenCTM().inverse());
  const { width, height } = view.size;
  view.set({ scale: view.scale, x: width / 2 - at.x * view.scale, y: height / 2 - at.y * view.scale });
});

// What others do, and what was undone -------------------------------------------------------------

document.body.addEventListener("words-changed", refresh);
setInterval(() => {
  if (document.visibilityState === "visible" && !drag && !nudged.x && !nudged.y) refresh();
}, LOOK_AGAIN);
new ResizeObserver(() => {
  view.measure();
  view.changed();
}).observe(canvas);
if (!view.restore()) view.fit(pieces.bounds());

/** What other modules that work on the same diagram need of it. */
export const diagram = { canvas, svg, view, pieces, selected, form, send, refresh, select, loadMargin };
