// Curves of weight against likeness: order, shape, what lies between measured points. Pure: numbers in, numbers out.

/** @typedef {{format: string, label: string, quality: number, bytes: number, weight: string, likeness: number, words: string, waits: string[]}} Point */

/** Points of one format by weight; of two that weigh the same, the better one. @param {Point[]} points @returns {Point[]} */
export function ordered(points) {
  const sorted = [...points].sort((a, b) => a.bytes - b.bytes || b.likeness - a.likeness);
  return sorted.filter((point, i) => i === 0 || point.bytes > sorted[i - 1].bytes);
}

/** A path through points that never swings beyond them (Fritsch and Carlson, 1980). @param {{x: number, y: number}[]} at @returns {string} */
export function smoothPath(at) {
  if (at.length < 2) return "";
  const slopes = at.slice(1).map((point, i) => (point.y - at[i].y) / (point.x - at[i].x));
  const tangents = at.map((_, i) => {
    if (i === 0) return slopes[0];
    if (i === at.length - 1) return slopes[i - 1];
    const [before, after] = [slopes[i - 1], slopes[i]];
    return before * after <= 0 ? 0 : (2 * before * after) / (before + after);
  });
  const round = (/** @type {number} */ value) => Math.round(value * 100) / 100;
  const parts = at.slice(1).map((point, i) => {
    const third = (point.x - at[i].x) / 3;
    return `C${[at[i].x + third, at[i].y + tangents[i] * third, point.x - third, point.y - tangents[i + 1] * third, point.x, point.y].map(round).join(" ")}`;
  });
  return `M${round(at[0].x)} ${round(at[0].y)}${parts.join("")}`;
}

/** What a curve has at a weight: likeness and quality, read off between two points; the ends beyond them. @param {Point[]} curve @param {number} bytes */
export function atWeight(curve, bytes) {
  const [first, last] = [curve[0], curve[curve.length - 1]];
  if (bytes <= first.bytes) return { bytes: first.bytes, likeness: first.likeness, quality: first.quality };
  if (bytes >= last.bytes) return { bytes: last.bytes, likeness: last.likeness, quality: last.quality };
  const above = curve.findIndex((point) => point.bytes >= bytes), a = curve[above - 1], b = curve[above];
  const share = Math.log(bytes / a.bytes) / Math.log(b.bytes / a.bytes);
  const between = (/** @type {number} */ from, /** @type {number} */ to) => from + share * (to - from);
  return { bytes, likeness: between(a.likeness, b.likeness), quality: between(a.quality, b.quality) };
}

/** The weight at which a curve comes to a likeness; its nearest end where it never does. @param {Point[]} curve @param {number} likeness */
export function weightAt(curve, likeness) {
  const above = curve.findIndex((point) => point.likeness >= likeness);
  if (above < 0) return curve[curve.length - 1].bytes;
  if (above === 0) return curve[0].bytes;
  const a = curve[above - 1], b = curve[above];
  const share = (likeness - a.likeness) / (b.likeness - a.likeness || 1);
  return a.bytes * Math.pow(b.bytes / a.bytes, share);
}

/** The quality of a list that is nearest. @param {number[]} qualities @param {number} wanted */
export const nearest = (qualities, wanted) => qualities.reduce((best, one) => (Math.abs(one - wanted) < Math.abs(best - wanted) ? one : best));

/** A quality so many settings further on. @param {number[]} qualities @param {number} from @param {number} by */
export function further(qualities, from, by) {
  const here = qualities.indexOf(nearest(qualities, from));
  return qualities[Math.min(Math.max(here + by, 0), qualities.length - 1)];
}

/** Round weights for a scale up to `most`, some six of them. @param {number} most @returns {number[]} */
export function ticks(most) {
  const rough = most / 6, power = Math.pow(10, Math.floor(Math.log10(rough)));
  const step = power * ([1, 2, 3, 5, 10].find((one) => one * power >= rough) ?? 10);
  return Array.from({ length: Math.floor(most / step) + 1 }, (_, i) => i * step);
}
