// A list of any length in a window: only some blocks of rows are in the page, the rest is empty height.
// The scrolling element carries data-rows-url, data-total, data-size; the page brings the first block.

import { say } from "./messages.js";

const TALLEST = 15_000_000; // pixels; browsers stop at about 33 million
const KEPT = 6; // blocks in the page at most

const arrived = () => document.body.dispatchEvent(new CustomEvent("rows-arrived"));
// A cell that is being edited is left, so that it is saved, before its row goes.
const leave = (body) => body.contains(document.activeElement) && document.activeElement.blur();

class Grid {
  constructor(scroller) {
    this.scroller = scroller;
    this.table = scroller.querySelector("table");
    this.size = Number(scroller.dataset.size);
    this.total = Number(scroller.dataset.total);
    this.blocks = new Map([[0, this.table.querySelector("tbody.block")]]);
    this.above = this.spacer(this.blocks.get(0), "before");
    this.below = this.spacer(this.blocks.get(0), "after");
    this.loading = null;
    this.layout();
    scroller.addEventListener("scroll", () => this.onScroll(), { passive: true });
    scroller.addEventListener("exact-total", (event) => {
      this.total = event.detail;
      this.layout();
      this.onScroll();
    });
  }

  spacer(body, where) {
    const spacer = document.createElement("tbody");
    spacer.className = "spacer";
    spacer.setAttribute("aria-hidden", "true");
    spacer.innerHTML = "<tr><td colspan='7'></td></tr>";
    body[where](spacer);
    return spacer;
  }

  get count() {
    return Math.max(1, Math.ceil(this.total / this.size));
  }
  get first() {
    return Math.min(...this.blocks.keys());
  }
  get last() {
    return Math.max(...this.blocks.keys());
  }

  average() {
    let height = 0,
      full = 0;
    for (const [index, body] of this.blocks)
      if (index < this.count - 1 || this.blocks.size === 1) {
        height += body.offsetHeight;
        full += 1;
      }
    const measured = full ? height / full : this.size * 34;
    return Math.min(measured, TALLEST / this.count);
  }

  layout() {
    const average = this.average();
    const set = (spacer, height) => {
      spacer.hidden = height <= 0;
      spacer.firstChild.firstChild.style.height = `${Math.max(0, height)}px`;
    };
    set(this.above, this.first * average);
    set(this.below, (this.count - 1 - this.last) * average);
  }

  onScroll() {
    if (this.loading) return;
    const top = this.scroller.scrollTop,
      bottom = top + this.scroller.clientHeight;
    const start = this.blocks.get(this.first).offsetTop,
      lastBody = this.blocks.get(this.last);
    const end = lastBody.offsetTop + lastBody.offsetHeight;
    const average = this.average();
    if (bottom < start - 2 * average || top > end + 2 * average) {
      this.jump(Math.min(this.count - 1, Math.floor(top / average)));
    } else if (bottom > end - 600 && this.last < this.count - 1) {
      this.extend(this.last + 1);
    } else if (top < start + 600 && this.first > 0) {
      this.extend(this.first - 1);
    }
  }

  async load(index) {
    const url = new URL(this.scroller.dataset.rowsUrl, location.href);
    url.searchParams.set("offset", index * this.size);
    const answer = await fetch(url, { headers: { "HX-Request": "true" } });
    if (!answer.ok) throw new Error(`rows: ${answer.status}`);
    const holder = document.createElement("template");
    holder.innerHTML = await answer.text();
    return holder.content.querySelector("tbody.block");
  }

  async guarded(work) {
    if (this.loading) return;
    this.loading = work();
    try {
      await this.loading;
    } catch (error) {
      say("These rows could not be loaded. Scroll again to retry.");
      this.loading = null;
      return;
    }
    this.loading = null;
    this.layout();
    requestAnimationFrame(() => this.onScroll());
  }

  extend(index) {
    return this.guarded(async () => {
      const body = await this.load(index);
      const downwards = index > this.last;
      const anchor = this.blocks.get(downwards ? this.last : this.first);
      const before = anchor.offsetTop;
      if (downwards) anchor.after(body);
      else anchor.before(body);
      this.blocks.set(index, body);
      if (this.blocks.size > KEPT) {
        const drop = downwards ? this.first : this.last;
        leave(this.blocks.get(drop));
        this.blocks.get(drop).remove();
        this.blocks.delete(drop);
      }
      window.htmx.process(body);
      arrived();
      this.layout();
      // What the person looks at stays where it is, whatever came or went above it.
      if (anchor.isConnected) this.scroller.scrollTop += anchor.offsetTop - before;
    });
  }

  jump(index) {
    return this.guarded(async () => {
      const body = await this.load(index);
      for (const old of this.blocks.values()) {
        leave(old);
        old.remove();
      }
      this.above.after(body);
      this.blocks = new Map([[index, body]]);
      window.htmx.process(body);
      arrived();
      this.layout();
    });
  }

  async show(offset) {
    const index = Math.min(this.count - 1, Math.floor(offset / this.size));
    if (!this.blocks.has(index)) await this.jump(index);
    const row = this.blocks.get(index)?.querySelectorAll("tr.row-of-column")[offset % this.size];
    if (!row) return;
    const band = row.previousElementSibling?.classList.contains("band") ? row.previousElementSibling : row;
    this.scroller.scrollTop = band.offsetTop - this.table.tHead.offsetHeight;
  }
}

const grids = new WeakMap();
function start(root) {
  root.querySelectorAll("[data-rows-url]").forEach((scroller) => {
    if (!grids.has(scroller) && scroller.querySelector("table")) grids.set(scroller, new Grid(scroller));
  });
}

// Rows that can be selected: j and k move, the margin follows.
function rows() {
  return [...document.querySelectorAll("tr.row-of-column")];
}
let before; // the row that was selected before the last one
function select(row, focus) {
  before = document.querySelector("tr.sel");
  document.querySelectorAll("tr.sel").forEach((old) => {
    old.classList.remove("sel");
    old.querySelector(".pick")?.removeAttribute("aria-current");
  });
  row.classList.add("sel");
  const pick = row.querySelector(".pick");
  if (!pick) return; // a row that is being edited
  pick.setAttribute("aria-current", "true");
  row.scrollIntoView({ block: "nearest" });
  const head = row.closest("table").tHead.offsetHeight,
    scroller = row.closest(".scroll");
  if (scroller && row.offsetTop < scroller.scrollTop + head) scroller.scrollTop = row.offsetTop - head;
  if (focus) pick.focus({ preventScroll: true });
}
function step(by) {
  const all = rows();
  if (!all.length) return;
  const at = all.findIndex((row) => row.classList.contains("sel"));
  const next = all[Math.max(0, Math.min(all.length - 1, at < 0 ? 0 : at + by))];
  select(next, true);
  clearTimeout(step.waiting);
  step.waiting = setTimeout(() => next.querySelector(".pick")?.click(), 120);
}
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.closest("input:not([type=checkbox]), textarea, select")) return;
  if (event.key === "j" || event.key === "k") {
    step(event.key === "j" ? 1 : -1);
    event.preventDefault();
  }
});
document.addEventListener("row-entered", (event) => {
  const row = event.target;
  if (!row.matches("tr.row-of-column") || row.classList.contains("sel")) return;
  select(row, false);
  clearTimeout(step.waiting);
  step.waiting = setTimeout(() => row.querySelector(".pick")?.click(), 300);
});
document.addEventListener("click", (event) => {
  const row = event.target.closest("tr.row-of-column");
  if (!row || !row.querySelector(".pick")) return;
  select(row, false);
  if (!event.target.closest("a, button, .cell-input")) row.querySelector(".pick").click();
});

document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-letter-url]");
  if (!button) return;
  const answer = await fetch(button.dataset.letterUrl);
  const scroller = document.querySelector("[data-rows-url]");
  if (answer.ok && grids.has(scroller)) grids.get(scroller).show((await answer.json()).offset);
});

document.body.addEventListener("exact-count", (event) => {
  const scroller = document.querySelector("[data-rows-url]");
  if (scroller) scroller.dispatchEvent(new CustomEvent("exact-total", { detail: event.detail.value }));
});
// After an edit the shown rows are fetched again, in place; after an undo the margin is, too.
async function refreshRows() {
  const pick = document.querySelector("tr.sel .pick");
  const focused = pick && pick === document.activeElement;
  const scroller = document.querySelector("[data-rows-url]");
  if (grids.has(scroller)) {
    const grid = grids.get(scroller);
    for (const [index, body] of [...grid.blocks]) {
      if (body.querySelector(".cell-input")) continue; // somebody is writing in it
      const fresh = await grid.load(index);
      body.replaceWith(fresh);
      grid.blocks.set(index, fresh);
      window.htmx.process(fresh);
    }
  } else if (document.querySelector("[data-live]")) {
    const answer = await fetch(location.href);
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    document.querySelectorAll("[data-live]").forEach((old) => {
      const fresh = page.getElementById(old.id);
      if (fresh) {
        old.replaceWith(fresh);
        window.htmx.process(fresh);
      }
    });
  }
  const again = pick && document.getElementById(pick.id)?.closest("tr");
  if (again) select(again, focused);
  arrived();
}
document.body.addEventListener("draft-kept", () => before?.isConnected && select(before, false));
document.body.addEventListener("rows-changed", refreshRows);
document.body.addEventListener("cells-saved", refreshMargin);
document.body.addEventListener("words-changed", () => {
  refreshRows();
  refreshMargin();
});
function refreshMargin() {
  const margin = document.querySelector("#margin [data-url]");
  // What somebody is writing is never replaced under their hands.
  if (margin && !document.querySelector("#margin .edit-form")) {
    window.htmx.ajax("GET", margin.dataset.url, { target: "#margin", swap: "innerHTML" });
  }
}
document.body.addEventListener("htmx:load", (event) => start(event.detail.elt.parentElement || document));
// While nothing is selected, the margin tells about the list as a whole.
function summarise() {
  const summary = document.getElementById("list-summary");
  const place = document.querySelector("#margin [data-list-summary]");
  if (summary && place) place.innerHTML = summary.innerHTML;
}
document.body.addEventListener("htmx:afterSettle", summarise);
document.body.addEventListener("exact-count", summarise);
summarise();
start(document);
