// What part of a diagram is seen: its shift and scale, kept for this tab and told in a link.

const LEAST = 0.02;
const MOST = 4;
/** How far the drawing reaches beyond its window on each side: so far its sheet is shifted as it is, without the
    drawing being painted anew. */
const BEYOND = 300;
const SETTLES = 140; // milliseconds
export const FAR = 0.1;
export const MID = 0.5;

export function clamp(value, least, most) {
  return Math.max(least, Math.min(most, value));
}

/** The shift and scale at which a box lies in the middle of a window, no larger than in truth. */
export function fitted(box, width, height, margin = 24) {
  const scale = clamp(
    Math.min((width - 2 * margin) / Math.max(1, box.width), (height - 2 * margin) / Math.max(1, box.height), 1),
    LEAST,
    MOST,
  );
  return {
    scale,
    x: (width - box.width * scale) / 2 - box.x * scale,
    y: (height - box.height * scale) / 2 - box.y * scale,
  };
}

/** The shift at another scale at which the place under a point of the window stays under it. */
export function zoomed(view, scale, at) {
  const next = clamp(scale, LEAST, MOST);
  const share = next / view.scale;
  return { scale: next, x: at.x - (at.x - view.x) * share, y: at.y - (at.y - view.y) * share };
}

/** The shift at which a part of a box stays in the window, at one side at least so wide. */
export function kept({ x, y, scale }, box, { width, height }, edge = 90) {
  return {
    scale,
    x: clamp(x, edge - (box.x + box.width) * scale, width - edge - box.x * scale),
    y: clamp(y, edge - (box.y + box.height) * scale, height - edge - box.y * scale),
  };
}

/** How much is read at a scale: "far" boxes, "mid" names, "near" everything. */
export function levelAt(scale) {
  if (scale < FAR) return "far";
  return scale < MID ? "mid" : "near";
}

export class View {
  constructor(svg, group, key, changed) {
    this.sheet = svg.parentElement;
    Object.assign(this, { svg, group, key, changed, scale: 1, x: 0, y: 0, shifted: { x: 0, y: 0 } });
    this.measure();
  }

  /** Ask how large the window is; asked at every step, it would have the page laid out each time. */
  measure() {
    const { clientWidth: width, clientHeight: height } = this.sheet.parentElement;
    this.size = { width, height };
  }

  /** Show what was seen last on this tab, or what the link says; false where neither is there. */
  restore() {
    const text = /^#at=/.test(location.hash) ? location.hash.slice(4) : sessionStorage.getItem(this.key);
    const [x, y, scale] = (text || "").split(",").map(Number);
    if (!(scale > 0)) return false;
    const { width, height } = this.size;
    this.set({ scale, x: width / 2 - x * scale, y: height / 2 - y * scale });
    return true;
  }

  /** The middle of the window and the scale, as a link has them. */
  place() {
    const { width, height } = this.size;
    const [x, y] = [(width / 2 - this.x) / this.scale, (height / 2 - this.y) / this.scale];
    return `${x.toFixed(0)},${y.toFixed(0)},${this.scale.toFixed(3)}`;
  }

  set(wanted) {
    const { x, y, scale } = this.bounds ? kept(wanted, this.bounds, this.size) : wanted;
    Object.assign(this, { x, y, scale, shifted: { x: 0, y: 0 } });
    this.sheet.style.transform = "";
    this.group.setAttribute("transform", `translate(${x + BEYOND} ${y + BEYOND}) scale(${scale})`);
    const level = levelAt(scale);
    if (level !== this.level) {
      this.level = level;
      ["far", "mid", "near"].forEach((one) => this.svg.classList.toggle(one, one === level));
    }
    clearTimeout(this.keeping);
    this.keeping = setTimeout(() => sessionStorage.setItem(this.key, this.place()), 200);
    this.changed();
  }

  fit(box) {
    const { width, height } = this.size;
    this.set(fitted(box, width, height));
  }

  zoom(factor, at) {
    const { width, height } = this.size;
    this.set(zoomed(this, this.scale * factor, at || { x: width / 2, y: height / 2 }));
  }

  pan(x, y) {
    const shifted = { x: this.shifted.x + x, y: this.shifted.y + y };
    const next = { x: this.x + x, y: this.y + y, scale: this.scale };
    clearTimeout(this.settling);
    if (Math.max(Math.abs(shifted.x), Math.abs(shifted.y)) > BEYOND - 20) {
      this.set(next);
      return;
    }
    Object.assign(this, next, { shifted });
    this.sheet.style.transform = `translate(${shifted.x}px, ${shifted.y}px)`;
    this.settling = setTimeout(() => this.set({ x: this.x, y: this.y, scale: this.scale }), SETTLES);
    this.changed();
  }

  /** Bring a place of the diagram into the middle, near enough to be read. */
  fly(x, y) {
    const { width, height } = this.size;
    const scale = Math.max(this.scale, 0.8);
    this.set({ scale, x: width / 2 - x * scale, y: height / 2 - y * scale });
  }

  /** A point of the window as a place of the diagram. */
  at(event) {
    const box = this.sheet.parentElement.getBoundingClientRect();
    return { x: (event.clientX - box.left - this.x) / this.scale, y: (event.clientY - box.top - this.y) / this.scale };
  }

  /** What of the diagram is seen, with a margin around. */
  seen(margin) {
    const { width, height } = this.size;
    const by = margin / this.scale;
    return {
      x: -this.x / this.scale - by,
      y: -this.y / this.scale - by,
      width: width / this.scale + 2 * by,
      height: height / this.scale + 2 * by,
    };
  }
}
