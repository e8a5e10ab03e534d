// Rows that are decided one by one: j and k go from row to row; of the selected row, a key presses the button
// that has it as data-key, or goes into the field that has.

const all = () => [...document.querySelectorAll("article[data-case]")];
const current = () => document.querySelector("article[data-case].sel");

function select(row, focus) {
  all().forEach((one) => one.classList.toggle("sel", one === row));
  row.scrollIntoView({ block: "nearest" });
  if (focus) row.querySelector(".pick").focus({ preventScroll: true });
}

let waiting;
function step(by) {
  const rows = all();
  const at = rows.indexOf(current());
  const next = rows[Math.max(0, Math.min(rows.length - 1, at < 0 ? 0 : at + by))];
  if (!next) return;
  select(next, true);
  clearTimeout(waiting);
  waiting = setTimeout(() => window.htmx.trigger(next.querySelector(".pick"), "click"), 120);
}

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  if (event.target.closest("input, textarea, select")) return;
  if (event.key === "j" || event.key === "k") {
    step(event.key === "j" ? 1 : -1);
    event.preventDefault();
    return;
  }
  const row = current();
  const found = row && /^[a-z1-9]$/.test(event.key) && row.querySelector(`[data-key="${event.key}"]`);
  if (!found) return;
  event.preventDefault();
  if (found.matches("input")) {
    found.focus();
    return;
  }
  window.htmx.process(row); // what was put in a moment ago is not bound yet, and the key would be lost
  found.click();
});
document.addEventListener("click", (event) => {
  const row = event.target.closest("article[data-case]");
  if (row) select(row, false);
});
// A row that was decided is put in anew; the selection goes on to the next one that waits,
// unless another was chosen meanwhile.
let was;
document.body.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target.matches?.("article[data-case].sel")) was = event.detail.target.id;
});
document.body.addEventListener("htmx:afterSettle", (event) => {
  const row = event.target;
  if (!was || row.id !== was) return; // something else, as the margin, arrived in between
  was = "";
  if (current()) return;
  const rows = all();
  const next = row.hasAttribute("data-stay")
    ? row
    : rows.slice(rows.indexOf(row) + 1).find((one) => one.querySelector("[data-key]")) || row;
  select(next, true);
  window.htmx.trigger(next.querySelector(".pick"), "click");
});
