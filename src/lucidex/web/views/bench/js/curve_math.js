// The curve between the points of a curve, as core/tone/curves computes it (checked against its vectors). Pure.

/** @typedef {[number, number]} CurvePoint */

/** Heights of the monotone curve through points (0 to 1, x rising) at places. @param {CurvePoint[]} points @param {number[]} places */
export function along(points, places) {
  if (!points.length) return places.slice();
  if (points.length === 1) return places.map(() => points[0][1]);
  const slope = slopes(points);
  return places.map((place) => {
    const at = Math.min(Math.max(place, points[0][0]), points[points.length - 1][0]);
    let cell = 0;
    while (cell < points.length - 2 && points[cell + 1][0] <= at) cell += 1;
    const [x0, y0] = points[cell], [x1, y1] = points[cell + 1];
    const width = x1 - x0, t = (at - x0) / width, rest = 1 - t;
    return rest * rest * ((1 + 2 * t) * y0 + t * width * slope[cell]) + t * t * ((1 + 2 * rest) * y1 - rest * width * slope[cell + 1]);
  });
}

/** @param {CurvePoint[]} points */
function slopes(points) {
  const widths = points.slice(1).map(([x], i) => x - points[i][0]);
  const secants = points.slice(1).map(([, y], i) => (y - points[i][1]) / widths[i]);
  if (secants.length === 1) return [secants[0], secants[0]];
  const inner = secants.slice(1).map((after, i) => {
    const before = secants[i];
    if (before * after <= 0) return 0;
    const a = 2 * widths[i + 1] + widths[i], b = widths[i + 1] + 2 * widths[i];
    return (a + b) / (a / before + b / after);
  });
  const n = secants.length;
  return [endSlope(widths[0], widths[1], secants[0], secants[1]), ...inner, endSlope(widths[n - 1], widths[n - 2], secants[n - 1], secants[n - 2])];
}

/** @param {number} near @param {number} next @param {number} secant @param {number} further */
function endSlope(near, next, secant, further) {
  const slope = ((2 * near + next) * secant - near * further) / (near + next);
  if (slope * secant <= 0) return 0;
  return secant * further <= 0 && Math.abs(slope) > 3 * Math.abs(secant) ? 3 * secant : slope;
}

/** Points as they are typed, in per cent: 0:0 25:20 100:100. @param {string} text @returns {CurvePoint[]} */
export function pointsOf(text) {
  const pairs = text.trim().split(/\s+/).filter(Boolean).map((part) => part.replace(",", ".").split(":").map(Number));
  const points = pairs.filter(([x, y]) => Number.isFinite(x) && Number.isFinite(y)).map(([x, y]) => /** @type {CurvePoint} */ ([x / 100, y / 100]));
  return points.length ? points.sort((a, b) => a[0] - b[0]) : [[0, 0], [1, 1]];
}

/** @param {CurvePoint[]} points */
export function typed(points) {
  const number = (/** @type {number} */ share) => String(Number((100 * share).toFixed(2)));
  return points.map(([x, y]) => `${number(x)}:${number(y)}`).join(" ");
}

/** A drawn line as points that lie evenly, each the mean of what was drawn there; what was not drawn stays.
 * @param {CurvePoint[]} drawn @param {CurvePoint[]} before @param {number} count @returns {CurvePoint[]} */
export function evened(drawn, before, count) {
  const places = Array.from({ length: count }, (_, i) => i / (count - 1));
  const stays = along(before, places);
  const from = Math.min(...drawn.map(([x]) => x)), to = Math.max(...drawn.map(([x]) => x));
  return places.map((place, i) => {
    if (place < from || place > to) return [place, stays[i]];
    const near = drawn.filter(([x]) => Math.abs(x - place) <= 0.75 / (count - 1));
    const there = near.length ? near : [nearest(drawn, place)];
    return [place, there.reduce((sum, [, y]) => sum + y, 0) / there.length];
  });
}

/** @param {CurvePoint[]} drawn @param {number} place */
const nearest = (drawn, place) => drawn.reduce((best, one) => (Math.abs(one[0] - place) < Math.abs(best[0] - place) ? one : best));
