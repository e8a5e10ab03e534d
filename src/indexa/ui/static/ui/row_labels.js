// Where a list has no room for its head, each cell tells its heading itself: data-label, which narrow.css shows.

export function labelled(headings, cells) {
  return cells.map((cell, at) => (at === 0 || cell.span > 1 ? "" : headings[at] || ""));
}

function label(root) {
  root.querySelectorAll("table.list").forEach((table) => {
    const headings = [...(table.tHead?.rows[0]?.cells || [])].map((cell) => cell.textContent.trim());
    [...table.tBodies].forEach((body) => {
      [...body.rows].forEach((row) => {
        const cells = [...row.cells];
        labelled(headings, cells.map((cell) => ({ span: cell.colSpan }))).forEach((text, at) => {
          const isName = cells[at].querySelector(".pick, .two-lines, form");
          if (text && !isName && cells[at].textContent.trim()) cells[at].dataset.label = text;
        });
      });
    });
  });
}

if (typeof window !== "undefined" && window.matchMedia("(max-width: 600px)").matches) {
  label(document);
  document.addEventListener("htmx:load", () => label(document));
}
