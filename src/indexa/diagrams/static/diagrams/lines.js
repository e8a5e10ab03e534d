// Ways of lines that a person changes by moving one of their pieces aside.

const OUT = 14; // how far a line runs straight out of a card at least

const distance = (point, [x, y], [toX, toY]) => {
  const inside = (value, one, other) => Math.max(Math.min(one, other), Math.min(value, Math.max(one, other)));
  return Math.hypot(point.x - inside(point.x, x, toX), point.y - inside(point.y, y, toY));
};

/** The piece of a way that is nearest to a point: the position of its first corner. */
export function nearestPiece(points, point) {
  let best = 0;
  for (let at = 1; at < points.length - 1; at += 1) {
    if (distance(point, points[at], points[at + 1]) < distance(point, points[best], points[best + 1])) best = at;
  }
  return best;
}

/** A way whose first and last piece can be moved too: each has a step beside its card. */
function stepped(points, at) {
  const [first, second] = [points[at], points[at + 1]];
  if (at > 0 && at < points.length - 2) return [points, at];
  const to = Math.sign(second[0] - first[0]) || 1;
  const beside = (point, sign) => [point[0] + sign * OUT, point[1]];
  const alone = points.length === 2;
  const before = at === 0 ? [first, beside(first, to), beside(first, to)] : points.slice(0, at + 1);
  const after = at === 0 && !alone ? points.slice(at + 1) : [beside(second, -to), beside(second, -to), second];
  return [[...before, ...after], at === 0 ? 2 : at];
}

/** The corners of a way after one of its pieces was moved aside by so much; a level piece moves up or down. */
export function movedPiece(points, at, x, y) {
  const [way, piece] = stepped(points, at);
  const level = way[piece][1] === way[piece + 1][1];
  return way.map((point, number) => {
    if (number !== piece && number !== piece + 1) return point;
    return level ? [point[0], point[1] + y] : [point[0] + x, point[1]];
  });
}

/** The longest piece between two corners, which the arrow keys move. */
export function middlePiece(points) {
  const length = (at) => Math.abs(points[at + 1][0] - points[at][0]) + Math.abs(points[at + 1][1] - points[at][1]);
  const inner = points.slice(1, -2).map((_, at) => at + 1);
  return inner.sort((one, other) => length(other) - length(one))[0] ?? 0;
}

export const pathOf = (points) => `M${points.map((point) => point.join(" ")).join("L")}`;
