// Draughtsman's marks in SVG: dimension lines with ticks, corner marks, guides. Pure: shapes in, elements out.

const SVG = "http://www.w3.org/2000/svg";

/** @param {string} name @param {Record<string, string | number>} attributes @param {Element[]} [children] */
export function shape(name, attributes, children = []) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  element.append(...children);
  return element;
}

/** A dimension line above or below (x from `a` to `b`). @param {number} a @param {number} b @param {number} y @param {string} words */
export function across(a, b, y, words) {
  const middle = (a + b) / 2, gap = words.length * 4 + 12;
  const outside = b - a < 2 * gap;
  const line = outside ? `M${a} ${y}H${b}` : `M${a} ${y}H${middle - gap}M${middle + gap} ${y}H${b}`;
  return shape("g", { "data-dimension": "" }, [
    shape("path", { class: "dimension", d: `${line}M${a} ${y - 9}V${y + 9}M${b} ${y - 9}V${y + 9}` }),
    shape("path", { class: "tick", d: `M${a - 4} ${y + 4}l8 -8M${b - 4} ${y + 4}l8 -8` }),
    text(middle, outside ? y - 13 : y, words),
  ]);
}

/** A dimension line at the side (y from `a` to `b`). @param {number} a @param {number} b @param {number} x @param {string} words */
export function down(a, b, x, words) {
  const turned = across(a, b, 0, words);
  turned.setAttribute("transform", `translate(${x} ${a + b}) rotate(-90)`);
  return turned;
}

/** @param {number} x @param {number} y @param {string} words */
function text(x, y, words) {
  const element = shape("text", { class: "dimension-text", x, y });
  element.textContent = words;
  return element;
}

/** Corner marks of a window. @param {DOMRect} r */
export function corners(r) {
  const arm = Math.min(18, r.width / 3, r.height / 3);
  const d = `M${r.left} ${r.top + arm}V${r.top}H${r.left + arm}M${r.right - arm} ${r.top}H${r.right}V${r.top + arm}`
    + `M${r.right} ${r.bottom - arm}V${r.bottom}H${r.right - arm}M${r.left + arm} ${r.bottom}H${r.left}V${r.bottom - arm}`;
  return shape("path", { class: "corner", d });
}

const GOLDEN = (Math.sqrt(5) - 1) / 2;

/** Guides for composing. @param {DOMRect} r @param {string} kind */
export function guides(r, kind) {
  /** @param {number[]} shares */
  const lines = (shares) => shares.map((s) => `M${r.left + s * r.width} ${r.top}V${r.bottom}M${r.left} ${r.top + s * r.height}H${r.right}`).join("");
  /** @type {Record<string, () => string>} */
  const kinds = {
    thirds: () => lines([1 / 3, 2 / 3]),
    golden: () => lines([1 - GOLDEN, GOLDEN]),
    centre: () => lines([0.5]),
    grid: () => lines([1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11].map((n) => n / 12)),
    diagonal: () => `M${r.left} ${r.top}L${r.right} ${r.bottom}M${r.right} ${r.top}L${r.left} ${r.bottom}`,
  };
  const d = kinds[kind]?.() ?? "";
  return shape("path", { class: "guide", d, fill: "none" });
}
