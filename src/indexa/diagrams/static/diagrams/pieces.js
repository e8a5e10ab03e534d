// The cards and lines of a drawing: known by id with their places, and made into elements only while they are seen.

const SVG = "http://www.w3.org/2000/svg";
const PADDING = 500;
const FEW = 80; // so many cards stay in the page even where they are not seen, so that Tab goes through all of them
const NAME = 11; // px on the screen that a name has at the middle level, where its card has room for it

export function meets(a, b) {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

export function holds(area, one) {
  const [right, below] = [area.x + area.width, area.y + area.height];
  return area.x <= one.x && area.y <= one.y && right >= one.x + one.width && below >= one.y + one.height;
}

/** The box around some points, with room for the marks at their ends. */
export function around(points, room = 14) {
  const xs = points.map(([x]) => x);
  const ys = points.map(([, y]) => y);
  const [x, y] = [Math.min(...xs) - room, Math.min(...ys) - room];
  return { x, y, width: Math.max(...xs) - x + room, height: Math.max(...ys) - y + room };
}

/** The corners of a way that is drawn while a card is dragged: out of one end, one step, into the other. */
export function preview(from, to) {
  const middle = (from.x + to.x) / 2;
  return `M${from.x} ${from.y}H${middle}V${to.y}H${to.x}`;
}

function made(text) {
  const parsed = new DOMParser().parseFromString(`<svg xmlns="${SVG}">${text}</svg>`, "image/svg+xml");
  return document.importNode(parsed.documentElement.firstElementChild, true);
}

export class Pieces {
  constructor(group, farBoxes, farLines, known) {
    Object.assign(this, { group, farBoxes, farLines });
    this.replaceAll(known);
  }

  /** Put a whole other drawing in. */
  replaceAll({ cards, lines, notes }) {
    this.group.replaceChildren();
    this.notes = new Map(notes.map((note) => [note.id, note]));
    this.cards = new Map(cards.map((card) => [card.id, card]));
    this.lines = new Map(lines.map((line) => [line.id, this.#line(line)]));
    this.#changed();
  }

  /** Put cards or lines anew that changed. */
  replace({ cards, lines }) {
    cards.forEach((card) => {
      this.cards.get(card.id)?.element?.remove();
      this.cards.set(card.id, card);
    });
    lines.forEach((line) => {
      this.lines.get(line.id)?.element?.remove();
      this.lines.set(line.id, this.#line(line));
    });
    this.#changed();
  }

  #line(line) {
    const [[x, y], [toX, toY]] = line.points.length > 1 ? [line.points[0], line.points.at(-1)] : [[0, 0], [0, 0]];
    const [child, parent] = line.ends;
    const box = around(line.points.length ? line.points : [[0, 0]]);
    return { ...line, ...box, child, parent, from: { x, y }, to: { x: toX, y: toY } };
  }

  #changed() {
    this.area = null;
    const byHue = new Map();
    for (const { x, y, width, height, hue } of this.cards.values()) {
      byHue.set(hue, `${byHue.get(hue) || ""}M${x} ${y}h${width}v${height}h${-width}z`);
    }
    const paths = [...byHue].map(([hue, d]) => {
      const path = document.createElementNS(SVG, "path");
      path.setAttribute("d", d);
      path.setAttribute("class", `h${hue}`);
      return path;
    });
    this.farBoxes.replaceChildren(...paths);
    const runs = [...this.lines.values()].map(({ points }) => `M${points.map((point) => point.join(" ")).join("L")}`);
    this.farLines.setAttribute("d", runs.filter((run) => run.length > 1).join(""));
  }

  /** The element of a card or line, made when it is asked for first. */
  element(piece) {
    if (!piece.element) {
      piece.element = made(piece.svg);
      if (piece.kind) this.#prepareNote(piece);
      else if (piece.points) this.#prepareLine(piece);
      else this.#prepareCard(piece);
    }
    return piece.element;
  }

  #prepareNote(note) {
    note.element.setAttribute("tabindex", "0");
    note.element.setAttribute("role", "group");
    note.element.setAttribute("aria-label", `${note.kind}: ${note.element.textContent}`);
    const grip = document.createElementNS(SVG, "rect");
    Object.entries({ x: note.width - 12, y: note.height - 12, width: 12, height: 12, class: "grip" }).forEach((one) => {
      grip.setAttribute(...one);
    });
    note.element.append(grip);
    note.names = note.element.querySelectorAll(".frame-title");
  }

  #prepareCard(card) {
    card.element.setAttribute("tabindex", "0");
    card.element.setAttribute("role", "group");
    card.element.setAttribute("aria-label", card.label);
    const edge = document.createElementNS(SVG, "rect");
    Object.entries({ x: card.width - 3, y: 0, width: 6, height: card.height, class: "edge" }).forEach((one) => {
      edge.setAttribute(...one);
    });
    card.element.append(edge);
    card.names = card.element.querySelectorAll(".name, .biz.alone");
  }

  #prepareLine(line) {
    line.run = line.element.querySelector(".run");
    const hit = line.run.cloneNode();
    hit.setAttribute("class", "hit");
    line.element.append(hit);
    if (line.element.dataset.address) {
      line.element.setAttribute("tabindex", "0");
      line.element.setAttribute("role", "group");
      line.element.setAttribute("aria-label", line.element.querySelector("title").textContent);
    }
  }

  /** The box around everything. */
  bounds() {
    const all = [...this.cards.values(), ...this.notes.values()];
    if (!all.length) return { x: 0, y: 0, width: 400, height: 300 };
    const x = Math.min(...all.map((one) => one.x));
    const y = Math.min(...all.map((one) => one.y)) - 16;
    return {
      x,
      y,
      width: Math.max(...all.map((one) => one.x + one.width)) - x,
      height: Math.max(...all.map((one) => one.y + one.height)) - y,
    };
  }

  /** Have in the page what is seen and nothing else; returns whether something was put in. */
  cull(view) {
    const { level } = view;
    const scale = level === "mid" && view.scale;
    if (this.area && holds(this.area, view.seen(0)) && this.level === level && this.scale === scale) return false;
    this.area = view.seen(PADDING);
    this.level = level;
    this.scale = scale;
    const few = this.cards.size <= FEW;
    const show = (one) => level !== "far" && (few || meets(one, this.area));
    const put = (all, place) => {
      const fresh = [];
      for (const one of all.values()) {
        if (!show(one)) one.element?.remove();
        else if (!this.element(one).isConnected) fresh.push(one.element);
      }
      place(fresh);
    };
    put(this.lines, (fresh) => this.group.prepend(...fresh));
    put(this.cards, (fresh) => this.group.append(...fresh));
    const shown = [...this.notes.values()].filter((note) => level !== "far").map((note) => this.element(note));
    this.group.prepend(...shown.filter((one) => one.classList.contains("frame")));
    this.group.append(...shown.filter((one) => !one.classList.contains("frame")));
    for (const one of [...this.cards.values(), ...this.notes.values()]) {
      if (one.element?.isConnected) this.#sizeName(one, level, view.scale);
    }
    return true;
  }

  /** Names seen from afar are as large as their card has room for. */
  #sizeName(card, level, scale) {
    card.names.forEach((name) => {
      const room = (card.width - 18) / (0.64 * Math.max(1, name.textContent.length));
      name.style.fontSize = level === "mid" ? `${Math.max(13, Math.min(NAME / scale, room))}px` : "";
    });
  }

  /** Show cards elsewhere while they are dragged; their lines are drawn plainly. */
  shift(ids, x, y) {
    ids.forEach((id) => {
      const card = this.cards.get(id);
      card.element?.setAttribute("transform", `translate(${card.x + x} ${card.y + y})`);
    });
    for (const line of this.lines.values()) {
      const [own, theirs] = [ids.has(line.child), ids.has(line.parent)];
      if (!line.element || (!own && !theirs)) continue;
      line.element.classList.add("loose");
      const moved = (end, is) => (is ? { x: end.x + x, y: end.y + y } : end);
      line.run.setAttribute("d", preview(moved(line.from, own), moved(line.to, theirs)));
    }
  }
}
