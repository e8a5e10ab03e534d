// The cards and lines of a drawing: found by id, replaced one by one, and in a large one there only while seen.

const SVG = "http://www.w3.org/2000/svg";
const MANY = 150;
const PADDING = 400;

function fragment(text) {
  const parsed = new DOMParser().parseFromString(`<svg xmlns="${SVG}">${text}</svg>`, "image/svg+xml");
  return [...parsed.documentElement.children].map((one) => document.importNode(one, true));
}

export function meets(a, b) {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

export function holds(area, one) {
  const [right, below] = [area.x + area.width, area.y + area.height];
  return area.x <= one.x && area.y <= one.y && right >= one.x + one.width && below >= one.y + one.height;
}

/** The corners of a way that is drawn while a card is dragged: out of one end, one step, into the other. */
export function preview(from, to) {
  const middle = (from.x + to.x) / 2;
  return `M${from.x} ${from.y}H${middle}V${to.y}H${to.x}`;
}

export class Pieces {
  constructor(group, far) {
    this.group = group;
    this.far = far;
    this.cards = new Map();
    this.lines = new Map();
    this.read();
  }

  /** Take the drawing as it is in the page. */
  read() {
    this.cards.clear();
    this.lines.clear();
    [...this.group.children].forEach((one) => this.#take(one));
    this.#drawFar();
    this.area = null;
  }

  /** Put a whole other drawing in. */
  replaceAll(text) {
    this.group.replaceChildren(...fragment(text));
    this.read();
  }

  /** Put cards or lines anew that changed. */
  replace(texts) {
    fragment(texts.join("")).forEach((one) => {
      const known = one.dataset.card ? this.cards.get(one.dataset.card) : this.lines.get(one.dataset.line);
      if (known?.element.isConnected) known.element.replaceWith(one);
      else this.group.append(one);
      this.#take(one);
    });
    this.#drawFar();
    this.area = null;
  }

  #take(element) {
    if (element.dataset.card) {
      const [x, y] = element.getAttribute("transform").match(/-?[\d.]+/g).map(Number);
      const { w, h } = element.dataset;
      const name = element.querySelector(".name, .biz")?.textContent || "";
      const schema = element.querySelector(".schema")?.textContent;
      element.setAttribute("tabindex", "0");
      element.setAttribute("role", "group");
      element.setAttribute("aria-label", schema ? `${schema}.${name}` : name);
      const hue = [...element.classList].find((one) => /^h\d$/.test(one)) || "";
      const label = element.getAttribute("aria-label");
      this.cards.set(element.dataset.card, { element, x, y, width: Number(w), height: Number(h), hue, label });
      return;
    }
    const run = element.querySelector(".run");
    const numbers = (run.getAttribute("d").match(/-?[\d.]+/g) || ["0", "0", "0", "0"]).map(Number);
    const xs = numbers.filter((_, at) => at % 2 === 0);
    const ys = numbers.filter((_, at) => at % 2 === 1);
    const hit = run.cloneNode();
    hit.setAttribute("class", "hit");
    element.append(hit);
    const box = {
      x: Math.min(...xs) - 12,
      y: Math.min(...ys) - 12,
      width: Math.max(...xs) - Math.min(...xs) + 24,
      height: Math.max(...ys) - Math.min(...ys) + 24,
    };
    if (element.dataset.address) {
      element.setAttribute("tabindex", "0");
      element.setAttribute("role", "group");
    }
    const [child, parent] = element.dataset.ends.split(" ");
    const ends = [
      { x: xs[0], y: ys[0] },
      { x: xs.at(-1), y: ys.at(-1) },
    ];
    this.lines.set(element.dataset.line, { element, run, child, parent, ends, ...box });
  }

  #drawFar() {
    const boxes = [...this.cards.values()];
    this.far.setAttribute("d", boxes.map((b) => `M${b.x} ${b.y}h${b.width}v${b.height}h${-b.width}z`).join(""));
  }

  /** The box around everything. */
  bounds() {
    const all = [...this.cards.values()];
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

  /** Leave out of the page what is not seen; in a drawing of few cards everything stays. */
  cull(view) {
    if (this.cards.size <= MANY) return;
    const seen = view.seen(0);
    if (this.area && holds(this.area, seen) && this.level === view.svg.classList.contains("far")) return;
    this.area = view.seen(PADDING);
    this.level = view.svg.classList.contains("far");
    const show = (one) => meets(one, this.area);
    for (const one of this.lines.values()) {
      if (!show(one)) one.element.remove();
      else if (!one.element.isConnected) this.group.prepend(one.element);
    }
    for (const one of this.cards.values()) {
      if (this.level || !show(one)) one.element.remove();
      else if (!one.element.isConnected) this.group.append(one.element);
    }
  }

  /** Show cards elsewhere while they are dragged; their lines are drawn plainly. */
  shift(ids, x, y) {
    ids.forEach((id) => {
      const card = this.cards.get(id);
      card.element.setAttribute("transform", `translate(${card.x + x} ${card.y + y})`);
    });
    for (const line of this.lines.values()) {
      const [own, theirs] = [ids.has(line.child), ids.has(line.parent)];
      if (!own && !theirs) continue;
      line.element.classList.add("loose");
      const [from, to] = line.ends;
      const moved = (end, is) => (is ? { x: end.x + x, y: end.y + y } : end);
      line.run.setAttribute("d", preview(moved(from, own), moved(to, theirs)));
    }
  }
}
