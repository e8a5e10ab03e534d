// Moves a model up or down among those that an edition tells of; the form sends them in the order of the rows.
document.querySelectorAll("[data-order]").forEach((list) => {
  list.querySelectorAll("[data-move]").forEach((button) => (button.hidden = false));
  list.addEventListener("click", (event) => {
    const button = event.target.closest("[data-move]");
    if (!button) return;
    const row = button.closest("[data-order-row]");
    const up = button.dataset.move === "-1";
    const other = up ? row.previousElementSibling : row.nextElementSibling;
    if (!other || !other.matches("[data-order-row]")) return;
    if (up) other.before(row);
    else other.after(row);
    button.focus();
    list.dispatchEvent(new Event("change", { bubbles: true }));
  });
});
