// Drawing on a diagram: tables where one clicks, relationships from card to card, until Escape; all by keyboard too.

import { diagram } from "../diagrams/diagram.js";

const { canvas, svg, view, pieces, selected, form, send, refresh, select, loadMargin } = diagram;
const tools = document.getElementById("draw-tools");
const tableSlip = document.getElementById("draw-table");
const relationSlip = document.getElementById("draw-relation");
const addresses = tools.dataset;
const GRID = 5;

let mode = null;
let place = null; // where the next table goes
let parent = null; // the id of the card from which a relationship is drawn

function setMode(next) {
  mode = next;
  parent = null;
  canvas.classList.toggle("draws", Boolean(mode));
  tools.querySelectorAll("[data-draw]").forEach((button) => {
    button.setAttribute("aria-pressed", String(button.dataset.draw === mode));
  });
  markParent();
  if (!mode) closeSlips();
}

function closeSlips() {
  tableSlip.hidden = true;
  relationSlip.hidden = true;
}

function markParent() {
  for (const [id, card] of pieces.cards) card.element?.classList.toggle("draw-parent", id === parent);
}

/** Show a slip at a point of the window, within the canvas. */
function open(slip, x, y) {
  closeSlips();
  slip.hidden = false;
  slip.style.left = `${Math.max(8, Math.min(x, canvas.clientWidth - slip.offsetWidth - 8))}px`;
  slip.style.top = `${Math.max(8, Math.min(y, canvas.clientHeight - slip.offsetHeight - 8))}px`;
}

function askForTable(at, x, y) {
  place = { x: Math.round(at.x / GRID) * GRID, y: Math.round(at.y / GRID) * GRID };
  open(tableSlip, x, y);
  tableSlip.reset();
  document.getElementById("draw-similar").replaceChildren();
  tableSlip.elements.name.focus();
}

function askForRelation(from, to, x, y) {
  const options = () =>
    [...pieces.cards].map(([id, card]) => {
      const option = document.createElement("option");
      Object.assign(option, { value: id.slice(1), textContent: card.label });
      return option;
    });
  const { elements } = relationSlip;
  relationSlip.reset();
  elements.parent.replaceChildren(...options());
  elements.child.replaceChildren(...options());
  if (from) elements.parent.value = from.slice(1);
  if (to) elements.child.value = to.slice(1);
  open(relationSlip, x, y);
  (to ? elements.kind[0] : from ? elements.child : elements.parent).focus();
}

const inCanvas = (event) => {
  const box = canvas.getBoundingClientRect();
  return [event.clientX - box.left, event.clientY - box.top];
};

// The mouse: while something is drawn, the diagram does not move ------------------------------------

let pressedOn = null;
svg.addEventListener(
  "pointerdown",
  (event) => {
    if (!mode || event.button) return;
    event.stopImmediatePropagation();
    pressedOn = event.target.closest(".card-box")?.dataset.card || null;
  },
  true,
);
svg.addEventListener(
  "pointerup",
  (event) => {
    if (!mode || event.button) return;
    event.stopImmediatePropagation();
    const under = document.elementFromPoint(event.clientX, event.clientY)?.closest(".card-box")?.dataset.card || null;
    if (mode === "table") {
      if (!under) askForTable(view.at(event), ...inCanvas(event));
      else showTable(under);
      return;
    }
    if (pressedOn && under && pressedOn !== under) {
      askForRelation(pressedOn, under, ...inCanvas(event));
      return;
    }
    if (!under) return;
    if (!parent) {
      parent = under;
      markParent();
      return;
    }
    askForRelation(parent, under, ...inCanvas(event));
  },
  true,
);

// Keys and buttons ------------------------------------------------------------------------------------

function begin(what) {
  setMode(what);
  const { clientWidth: width, clientHeight: height } = canvas;
  if (what === "relationship") askForRelation([...selected][0], [...selected][1], width / 2 - 125, 60);
}

svg.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "t") {
    setMode("table");
    const { clientWidth: width, clientHeight: height } = canvas;
    const [x, y] = [width / 2, height / 3];
    askForTable({ x: (x - view.x) / view.scale, y: (y - view.y) / view.scale }, x, y);
  } else if (event.key === "r") begin("relationship");
  else return;
  event.preventDefault();
  event.stopPropagation();
});
svg.addEventListener("keydown", (event) => {
  if (event.key !== "Escape" || !mode) return;
  setMode(null);
  event.preventDefault();
  event.stopPropagation();
});
/** What is typed into a slip is none of the diagram's keys. */
[tools, tableSlip, relationSlip].forEach((element) => {
  element.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && event.target.matches("select, [type=radio]")) {
      event.preventDefault();
      element.requestSubmit();
    }
    if (event.key !== "Escape") {
      event.stopPropagation();
      return;
    }
    event.preventDefault();
    event.stopPropagation();
    setMode(null);
    svg.focus({ preventScroll: true });
  });
});
tools.addEventListener("click", (event) => {
  const button = event.target.closest("[data-draw]");
  if (button) setMode(mode === button.dataset.draw ? null : button.dataset.draw);
});
relationSlip.addEventListener("click", (event) => {
  if ("drawClose" in event.target.dataset) closeSlips();
});

// What is drawn is saved at once ------------------------------------------------------------------------

function showTable(id) {
  select([id]);
  loadMargin(id);
  focusNewColumn = true;
}

let focusNewColumn = false;
document.body.addEventListener("htmx:afterSettle", (event) => {
  // Only what was put in just now: another answer may arrive while the margin still shows the table before.
  const field = event.target.closest("#margin") && event.target.querySelector("[data-new-column]");
  if (!field || !focusNewColumn) return;
  focusNewColumn = false;
  field.focus();
});

tableSlip.addEventListener("submit", async (event) => {
  event.preventDefault();
  const like = event.submitter?.name === "like" ? event.submitter.value : "";
  const values = { name: tableSlip.elements.name.value, diagram: addresses.diagram, like, ...place };
  const done = await send(addresses.tables, form(values));
  if (!done) return;
  tableSlip.hidden = true;
  await refresh();
  showTable(done.table);
});

relationSlip.addEventListener("submit", async (event) => {
  event.preventDefault();
  const { elements } = relationSlip;
  const values = {
    parent: elements.parent.value,
    child: elements.child.value,
    kind: elements.kind.value,
    role: elements.role.value,
    diagram: addresses.diagram,
  };
  const done = await send(addresses.relate, form(values));
  if (!done) return;
  relationSlip.hidden = true;
  parent = null;
  markParent();
  await refresh();
  showTable(done.table);
});
