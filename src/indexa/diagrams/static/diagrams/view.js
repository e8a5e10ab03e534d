// What part of a diagram is seen: its shift and scale, kept for this tab and told in a link.

const LEAST = 0.02;
const MOST = 4;
export const FAR = 0.14;
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

/** How much is read at a scale: "far" boxes, "mid" names, "near" everything. */
export function levelAt(scale) {
  if (scale < FAR) return "far";
  return scale < MID ? "mid" : "near";
}

export class View {
  constructor(svg, group, key, changed) {
    Object.assign(this, { svg, group, key, changed, scale: 1, x: 0, y: 0 });
  }

  get size() {
    return { width: this.svg.clientWidth, height: this.svg.clientHeight };
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

  set({ x, y, scale }) {
    Object.assign(this, { x, y, scale });
    this.group.setAttribute("transform", `translate(${x} ${y}) scale(${scale})`);
    const level = levelAt(scale);
    ["far", "mid", "near"].forEach((one) => this.svg.classList.toggle(one, one === level));
    sessionStorage.setItem(this.key, this.place());
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
    this.set({ x: this.x + x, y: this.y + y, scale: this.scale });
  }

  /** Bring a place of the diagram into the middle, near enough to be read. */
  fly(x, y) {
    const { width, height } = this.size;
    const scale = Math.max(this.scale, 0.8);
    this.set({ scale, x: width / 2 - x * scale, y: height / 2 - y * scale });
  }

  /** A point of the window as a place of the diagram. */
  at(event) {
    const box = this.svg.getBoundingClientRect();
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
