// Places of selected cards that are aligned or spaced evenly.

/** Return new places by id for cards with x, y, width and height: "left" and "top" align, "across" and "down" space. */
export function linedUp(cards, how) {
  const [at, size] = how === "left" || how === "across" ? ["x", "width"] : ["y", "height"];
  const sorted = [...cards].sort((a, b) => a[at] - b[at]);
  const first = sorted[0][at];
  const last = sorted.at(-1);
  const taken = sorted.reduce((sum, card) => sum + card[size], 0);
  const gap = sorted.length > 1 ? (last[at] + last[size] - first - taken) / (sorted.length - 1) : 0;
  let next = first;
  const places = {};
  sorted.forEach((card) => {
    const value = how === "left" || how === "top" ? first : next;
    next += card[size] + gap;
    places[card.id] = at === "x" ? [Math.round(value), card.y] : [card.x, Math.round(value)];
  });
  return places;
}
