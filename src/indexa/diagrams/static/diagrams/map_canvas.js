// Draws the map of a model on a canvas: areas with their names, a cell for each table, lines between them.

const NAMES_FROM = 0.34; // scale from which the names of tables are read
const LINES_FROM = 0.22;
const HEADS_FROM = 0.62; // from here an area's name is read in its head
const DOTS_BELOW = 0.08; // below it cells are dots of full colour
const TABS_FROM = 0.1; // from here it is on a tab above
const HUES = 6;

/** Read the colours of the page, which another theme changes. */
function paints(element) {
  const style = getComputedStyle(element);
  const of = (name) => style.getPropertyValue(`--${name}`).trim();
  const hues = [of("tab"), ...Array.from({ length: HUES }, (_, at) => of(`h${at + 1}-soft`))];
  const edges = [of("rule-strong"), ...Array.from({ length: HUES }, (_, at) => of(`h${at + 1}`))];
  const [sheet, paper, rule] = [of("sheet"), of("paper"), of("rule")];
  const [ink, ink2, strong, accent] = [of("ink"), of("ink-2"), of("rule-strong"), of("accent")];
  const faces = { machine: of("voice-machine"), title: of("voice-title"), business: of("voice-business") };
  return { hues, edges, sheet, paper, rule, ink, ink2, strong, accent, faces };
}

/** Cut a text to so many letters. */
export function cut(text, letters) {
  return text.length <= letters ? text : `${text.slice(0, Math.max(1, letters - 1))}…`;
}

/** Which of some places of a map is under a point, as the position of a table or an area; null where neither is. */
export function under(map, point) {
  const inside = (one, width, height) =>
    point.x >= one.x && point.y >= one.y && point.x < one.x + width && point.y < one.y + height;
  const area = map.areas.findIndex((one) => inside(one, one.width, one.height));
  if (area < 0) return null;
  const [width, height] = map.cell;
  const table = map.areas[area].tables.find((at) => inside(map.tables[at], width, height));
  return table === undefined ? { area } : { area, table };
}

/** Turn what the server sent into areas that know their tables and tables that know their lines. */
export function prepared({ areas, tables, lines, links, legend, cell }) {
  const known = areas.map((area) => ({ ...area, tables: [] }));
  const placed = tables.map(([id, name, business, area, x, y, hue], at) => {
    known[area].tables.push(at);
    return { id, name, short: name.split(".").at(-1), business, area, x, y, hue, lines: [] };
  });
  lines.forEach(([child, parent]) => {
    placed[child].lines.push(parent);
    if (child !== parent) placed[parent].lines.push(child);
  });
  return { areas: known, tables: placed, lines, links, legend, cell };
}

export class MapCanvas {
  constructor(canvas, map) {
    this.canvas = canvas;
    this.context = canvas.getContext("2d");
    this.map = map;
    this.found = null; // positions of tables that a search found
    this.chosen = null; // { area, table }
    this.readPaints();
  }

  readPaints() {
    this.paints = paints(this.canvas.parentElement);
  }

  resize(width, height) {
    const dots = window.devicePixelRatio || 1;
    Object.assign(this.canvas, { width: width * dots, height: height * dots });
    Object.assign(this, { width, height, dots });
  }

  draw({ x, y, scale }) {
    const { context, dots, map } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = this.paints.sheet;
    context.fillRect(0, 0, this.canvas.width, this.canvas.height);
    context.setTransform(scale * dots, 0, 0, scale * dots, x * dots, y * dots);
    this.scale = scale;
    const seen = { x: -x / scale, y: -y / scale, width: this.width / scale, height: this.height / scale };
    const shown = map.areas.filter(
      (area) =>
        area.x < seen.x + seen.width &&
        seen.x < area.x + area.width &&
        area.y < seen.y + seen.height &&
        seen.y < area.y + area.height,
    );
    this.#drawLinks();
    shown.forEach((area) => this.#drawArea(area));
    if (scale >= LINES_FROM) shown.forEach((area) => this.#drawLinesWithin(area));
    shown.forEach((area) => this.#drawCells(area));
    this.#drawChosen();
    shown.forEach((area) => this.#drawName(area));
  }

  #drawLinks() {
    const { context, map, scale } = this;
    context.strokeStyle = this.paints.rule;
    const middle = (area) => [area.x + area.width / 2, area.y + area.height / 2];
    for (const [one, other, count] of map.links) {
      context.lineWidth = Math.min(6, 0.8 + Math.log2(count)) / scale;
      context.beginPath();
      context.moveTo(...middle(map.areas[one]));
      context.lineTo(...middle(map.areas[other]));
      context.stroke();
    }
  }

  #drawArea(area) {
    const { context, scale } = this;
    context.fillStyle = this.paints.paper;
    context.fillRect(area.x, area.y, area.width, area.height);
    const is = this.chosen?.area !== undefined && this.map.areas[this.chosen.area] === area;
    context.strokeStyle = is ? this.paints.accent : this.paints.strong;
    context.lineWidth = (is ? 2 : 1) / scale;
    context.strokeRect(area.x, area.y, area.width, area.height);
  }

  #drawLinesWithin(area) {
    const { context, map, scale } = this;
    context.strokeStyle = this.paints.strong;
    context.lineWidth = 1 / scale;
    context.beginPath();
    for (const at of area.tables) {
      for (const other of map.tables[at].lines) {
        if (other > at && map.tables[other].area === map.tables[at].area) this.#line(map.tables[at], map.tables[other]);
      }
    }
    context.stroke();
  }

  /** A line between two cells: along the row of one, then along the column of the other. */
  #line(one, other) {
    const [width, height] = this.map.cell;
    this.context.moveTo(one.x + width / 2, one.y + height / 2);
    this.context.lineTo(other.x + width / 2, one.y + height / 2);
    this.context.lineTo(other.x + width / 2, other.y + height / 2);
  }

  #drawCells(area) {
    const { context, map, scale } = this;
    const [width, height] = map.cell;
    const dim = this.found && !area.tables.some((at) => this.found.has(at));
    context.globalAlpha = dim ? 0.35 : 1;
    const byHue = new Map();
    for (const at of area.tables) {
      const cell = map.tables[at];
      if (!byHue.has(cell.hue)) byHue.set(cell.hue, new Path2D());
      byHue.get(cell.hue).rect(cell.x, cell.y, width, height);
    }
    context.lineWidth = 1 / scale;
    for (const [hue, path] of byHue) {
      const tiny = scale < DOTS_BELOW;
      context.fillStyle = tiny ? this.paints.edges[hue] : this.paints.hues[hue];
      context.fill(path);
      if (tiny) continue;
      context.strokeStyle = this.paints.edges[hue];
      context.stroke(path);
    }
    context.globalAlpha = 1;
    if (this.found) this.#drawFound(area);
    if (scale >= NAMES_FROM) this.#drawTableNames(area);
  }

  #drawTableNames(area) {
    const { context, map, scale } = this;
    const [width, height] = map.cell;
    const both = scale >= 0.9;
    context.textBaseline = "middle";
    for (const at of area.tables) {
      const cell = map.tables[at];
      const second = both && cell.business;
      context.font = `600 12px ${this.paints.faces.machine}`;
      context.fillStyle = this.paints.ink;
      context.fillText(cut(cell.short, 18), cell.x + 8, cell.y + height * (second ? 0.32 : 0.53), width - 16);
      if (!second) continue;
      context.font = `10.5px ${this.paints.faces.business}`;
      context.fillStyle = this.paints.ink2;
      context.fillText(cut(cell.business, 26), cell.x + 8, cell.y + height * 0.72, width - 16);
    }
  }

  #drawFound(area) {
    const { context, map, scale } = this;
    const [width, height] = map.cell;
    const grow = 3 / scale;
    context.fillStyle = this.paints.accent;
    area.tables
      .filter((at) => this.found.has(at))
      .forEach((at) => {
        const cell = map.tables[at];
        if (scale < NAMES_FROM) {
          context.fillRect(cell.x - grow / 2, cell.y - grow / 2, width + grow, height + grow);
          return;
        }
        context.strokeStyle = this.paints.accent;
        context.lineWidth = 3 / scale;
        context.strokeRect(cell.x, cell.y, width, height);
      });
  }

  #drawChosen() {
    const { context, map, scale } = this;
    if (this.chosen?.table === undefined) return;
    const [width, height] = map.cell;
    const cell = map.tables[this.chosen.table];
    context.strokeStyle = this.paints.accent;
    context.lineWidth = 1.8 / scale;
    context.beginPath();
    cell.lines.forEach((other) => this.#line(cell, map.tables[other]));
    context.stroke();
    context.lineWidth = 3 / scale;
    [cell, ...cell.lines.map((at) => map.tables[at])].forEach((one) => {
      context.strokeRect(one.x, one.y, width, height);
    });
    context.fillStyle = this.paints.accent;
    if (scale < NAMES_FROM) context.fillRect(cell.x, cell.y, width, height);
  }

  /** The name of an area: in its head when near, on a tab above it when farther, over it when it is tiny. */
  #drawName(area) {
    const { context, scale } = this;
    if (scale >= HEADS_FROM) {
      this.#drawHead(area);
      return;
    }
    const size = (scale < TABS_FROM ? 12 : 13) / scale;
    const letters = Math.floor(area.width / (size * 0.52));
    if (letters < 6) return;
    context.font = `600 ${size}px ${this.paints.faces.title}`;
    context.textBaseline = "alphabetic";
    const text = cut(area.name, letters);
    const wide = context.measureText(text).width;
    const above = scale >= TABS_FROM;
    const [x, y] = above ? [area.x, area.y] : [area.x + (area.width - wide) / 2, area.y + area.height / 2 + size * 0.6];
    context.globalAlpha = above ? 1 : 0.86;
    context.fillStyle = this.paints.paper;
    context.fillRect(x, y - size * 1.45, wide + size * 0.9, size * 1.45);
    context.globalAlpha = 1;
    if (above) {
      context.strokeStyle = this.paints.strong;
      context.lineWidth = 1 / scale;
      context.strokeRect(x, y - size * 1.45, wide + size * 0.9, size * 1.45);
    }
    context.fillStyle = this.paints.ink;
    context.fillText(text, x + size * 0.45, y - size * 0.4);
  }

  #drawHead(area) {
    const { context } = this;
    context.font = `600 17px ${this.paints.faces.title}`;
    context.textBaseline = "alphabetic";
    context.fillStyle = this.paints.ink;
    context.fillText(area.name, area.x + 16, area.y + 28);
    const wide = context.measureText(area.name).width;
    context.font = `12px ${this.paints.faces.business}`;
    context.fillStyle = this.paints.ink2;
    context.fillText(String(area.count), area.x + 24 + wide, area.y + 28);
  }
}
