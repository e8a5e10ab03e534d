// Looking around on the map of a whole model: pan, zoom, find, choose a neighbourhood or a table.

import { say } from "../ui/messages.js";
import { MapCanvas, prepared, under } from "./map_canvas.js";
import { fitted, kept, zoomed } from "./view.js";

const holder = document.getElementById("canvas");
const canvas = document.getElementById("map");
const state = document.getElementById("map-state");
const words = document.getElementById("map-words");
const margin = document.getElementById("margin");
const find = document.getElementById("find-on-map");
const STEP = 60;

let drawn = null;
let bounds = { x: 0, y: 0, width: 400, height: 300 };
let view = { x: 0, y: 0, scale: 1 };
let waiting;
let listOfAreas = "";

function size() {
  return { width: holder.clientWidth, height: holder.clientHeight };
}

function show(wanted) {
  view = kept(wanted, bounds, { width: drawn.width, height: drawn.height });
  cancelAnimationFrame(waiting);
  waiting = requestAnimationFrame(() => {
    drawn.draw(view);
    const share = `${Math.round(view.scale * 100)} %`;
    const label = document.getElementById("zoom-share");
    if (label.textContent !== share) label.textContent = share;
  });
}

const fit = (box) => show(fitted(box, drawn.width, drawn.height));
const zoom = (factor, at) =>
  show(zoomed(view, view.scale * factor, at || { x: drawn.width / 2, y: drawn.height / 2 }));
const at = (event) => {
  const box = canvas.getBoundingClientRect();
  return { x: (event.clientX - box.left - view.x) / view.scale, y: (event.clientY - box.top - view.y) / view.scale };
};

function choose(place) {
  drawn.chosen = place;
  show(view);
  if (!place) return;
  const table = place.table !== undefined && drawn.map.tables[place.table];
  const address = table
    ? holder.dataset.table.replace(/0\/$/, `${table.id}/`)
    : holder.dataset.area.replace(/0\/$/, `${place.area}/`);
  window.htmx.ajax("GET", address, { target: "#margin", swap: "innerHTML" });
}

function flyTo(position) {
  const table = drawn.map.tables[position];
  const [width, height] = drawn.map.cell;
  const scale = Math.max(view.scale, 0.8);
  choose({ area: table.area, table: position });
  const [x, y] = [table.x + width / 2, table.y + height / 2];
  show({ scale, x: drawn.width / 2 - x * scale, y: drawn.height / 2 - y * scale });
}

function open(number) {
  const area = drawn.map.areas[number];
  choose({ area: number });
  fit(area);
}

function listAreas() {
  const { areas } = drawn.map;
  document.getElementById("area-count").textContent = areas.length.toLocaleString("en-GB");
  document.getElementById("area-list").replaceChildren(
    ...areas.map((area, number) => {
      const [item, button, count] = ["li", "button", "small"].map((name) => document.createElement(name));
      Object.assign(button, { type: "button", className: "as-link", textContent: area.name });
      button.dataset.open = number;
      count.textContent = area.count.toLocaleString("en-GB");
      item.append(button, " ", count);
      return item;
    }),
  );
  listOfAreas = margin.innerHTML;
}

function showLegend() {
  document.getElementById("map-legend").replaceChildren(
    ...drawn.map.legend.map(([hue, text]) => {
      const item = document.createElement("li");
      Object.assign(item, { className: `h${hue}`, textContent: text });
      return item;
    }),
  );
}

async function load() {
  const answer = await fetch(holder.dataset.content, { headers: { "HX-Request": "true" } }).catch(() => null);
  if (!answer?.ok) {
    state.textContent = "The map could not be made. Load the page again.";
    return;
  }
  const map = prepared(await answer.json());
  if (!map.areas.length) {
    state.textContent = "This model has no tables yet.";
    return;
  }
  state.hidden = true;
  await document.fonts.ready;
  drawn = new MapCanvas(canvas, map);
  bounds = {
    x: 0,
    y: 0,
    width: Math.max(...map.areas.map((area) => area.x + area.width)) + 40,
    height: Math.max(...map.areas.map((area) => area.y + area.height)) + 40,
  };
  const { width, height } = size();
  drawn.resize(width, height);
  fit(bounds);
  listAreas();
  showLegend();
  listen();
  canvas.dataset.ready = "";
}

// Mouse and keys ----------------------------------------------------------------------------------

let drag = null;
function listen() {
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    drag = { x: event.clientX, y: event.clientY, from: view, moved: false };
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!drag) {
      tell(at(event));
      return;
    }
    const [x, y] = [event.clientX - drag.x, event.clientY - drag.y];
    if (!drag.moved && Math.hypot(x, y) < 4) return;
    drag.moved = true;
    show({ ...drag.from, x: drag.from.x + x, y: drag.from.y + y });
  });
  canvas.addEventListener("pointerup", (event) => {
    const { moved } = drag || { moved: true };
    drag = null;
    if (moved) return;
    const place = under(drawn.map, at(event));
    if (place) choose(place);
    else showList();
  });
  canvas.addEventListener("pointercancel", () => {
    drag = null;
  });
  canvas.addEventListener("dblclick", (event) => {
    const place = under(drawn.map, at(event));
    if (place) fit(drawn.map.areas[place.area]);
  });
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      const box = canvas.getBoundingClientRect();
      zoom(1.0015 ** -event.deltaY, { x: event.clientX - box.left, y: event.clientY - box.top });
    },
    { passive: false },
  );
  canvas.addEventListener("keydown", pressed);
  new ResizeObserver(() => {
    const { width, height } = size();
    drawn.resize(width, height);
    show(view);
  }).observe(holder);
  new MutationObserver(() => {
    drawn.readPaints();
    show(view);
  }).observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
}

function pressed(event) {
  const keys = {
    ArrowLeft: () => show({ ...view, x: view.x + STEP }),
    ArrowRight: () => show({ ...view, x: view.x - STEP }),
    ArrowUp: () => show({ ...view, y: view.y + STEP }),
    ArrowDown: () => show({ ...view, y: view.y - STEP }),
    "+": () => zoom(1.25),
    "=": () => zoom(1.25),
    "-": () => zoom(0.8),
    0: () => fit(bounds),
    Escape: showList,
  };
  if (!keys[event.key] || event.ctrlKey || event.metaKey || event.altKey) return;
  keys[event.key]();
  event.preventDefault();
  event.stopPropagation();
}

/** Tell what is under the mouse, for what is too small to be read. */
function tell(point) {
  const place = under(drawn.map, point);
  const area = place && drawn.map.areas[place.area];
  const table = place?.table !== undefined && drawn.map.tables[place.table];
  canvas.classList.toggle("over", Boolean(place));
  words.textContent = table
    ? [table.name, table.business, area.name].filter(Boolean).join(" · ")
    : area
      ? `${area.name} · ${area.count.toLocaleString("en-GB")} tables`
      : "";
}

function showList() {
  drawn.chosen = null;
  margin.innerHTML = listOfAreas;
  show(view);
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button || !drawn) return;
  const { zoom: how, open: area, fly } = button.dataset;
  if (how === "in") zoom(1.25);
  else if (how === "out") zoom(0.8);
  else if (how === "fit") fit(bounds);
  else if (area !== undefined) open(Number(area));
  else if (fly) {
    const position = drawn.map.tables.findIndex((table) => table.id === Number(fly));
    if (position >= 0) flyTo(position);
    else say("That is a view; the map shows tables.");
  } else if ("showMap" in button.dataset) showList();
});

// Finding: what matches is marked while one types; Enter goes from one to the next ------------------

let next = 0;
find.addEventListener("input", () => {
  if (!drawn) return;
  const text = find.value.trim().toLowerCase();
  const matches = ({ name, business }) => name.toLowerCase().includes(text) || business.toLowerCase().includes(text);
  const found = text ? drawn.map.tables.flatMap((table, position) => (matches(table) ? [position] : [])) : [];
  drawn.found = text ? new Set(found) : null;
  next = 0;
  words.textContent = text ? `${found.length.toLocaleString("en-GB")} found; Enter goes to the next` : "";
  show(view);
});
find.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || !drawn?.found) return;
  event.preventDefault();
  const found = [...drawn.found];
  if (!found.length) {
    say(`No table on the map has “${find.value}” in its name.`);
    return;
  }
  flyTo(found[next % found.length]);
  next += 1;
});
document.querySelector("[data-submit-on-change]").addEventListener("change", (event) => {
  event.target.form.requestSubmit();
});

load();
