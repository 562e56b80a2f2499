// The curve: points that are pulled, set and taken away, or a line that is drawn; one curve a channel.
// Emits what the typed points of its form would: "input" while it moves, "change" at the end.
import { fill, followOver, tell } from "./amounts.js";
import { along, evened, pointsOf, typed } from "./curve_math.js";
import { shape } from "../../../shell/js/drawing.js";
import { showChannel } from "./histogram.js";

/** @typedef {import("./curve_math.js").CurvePoint} CurvePoint */

const SIDE = 256;
const CLOSE = 0.05; // of a side: nearer to a point or to the line counts as on it
const LEAST_APART = 0.01;
const DRAWN_POINTS = 33;
const SAYS = { points: "Click on the line to set a point, pull it, or move it with the arrow keys; Delete takes it away.", drawn: "Draw the line as it should go; what you do not draw stays." };

/** Which curve is shown and how it is set, kept while the bench changes. */
const chosen = { step: "", channel: "all", way: "points", point: -1 };

export function listenToCurves() {
  document.addEventListener("htmx:after:swap", paint);
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", paint);
  else paint();
  document.addEventListener("input", (event) => {
    const field = /** @type {HTMLInputElement} */ (event.target);
    if (field.closest("[data-curve] form")) paint();
  });
  document.addEventListener("change", (event) => {
    const field = /** @type {HTMLInputElement} */ (event.target);
    if (!field.matches('[name="curve-of"], [name="curve-way"]')) return;
    if (field.name === "curve-of") Object.assign(chosen, { channel: field.value, point: -1 });
    else chosen.way = field.value;
    paint();
  });
  document.addEventListener("click", (event) => {
    const control = /** @type {Element} */ (event.target).closest("[data-curve-straight]")?.closest("[data-curve]");
    if (control) set(control, [[0, 0], [1, 1]], "change");
  });
}

const formOf = (/** @type {Element} */ control) => /** @type {HTMLFormElement} */ (control.querySelector("form"));

/** @param {Element} control @returns {CurvePoint[]} */
function points(control) {
  const field = formOf(control).elements.namedItem(chosen.channel);
  return pointsOf(field instanceof HTMLInputElement ? field.value : "");
}

/** @param {Element} control @param {CurvePoint[]} next @param {string} kind */
function set(control, next, kind) {
  fill(formOf(control), { [chosen.channel]: typed(next) }, kind);
  paint();
}

function paint() {
  const control = document.querySelector("[data-curve]");
  if (!control) return;
  const step = control.getAttribute("data-curve") ?? "";
  if (chosen.step !== step) {
    const first = /** @type {HTMLInputElement | null} */ (control.querySelector('[name="curve-of"]:checked'));
    Object.assign(chosen, { step, channel: first?.value ?? "all", way: "points", point: -1 });
  }
  for (const [name, value] of [["curve-of", chosen.channel], ["curve-way", chosen.way]]) {
    const radio = /** @type {HTMLInputElement | null} */ (control.querySelector(`[name="${name}"][value="${value}"]`));
    if (radio) radio.checked = true;
  }
  for (const label of control.querySelectorAll("[data-points-of]")) /** @type {HTMLElement} */ (label).hidden = label.getAttribute("data-points-of") !== chosen.channel;
  const says = control.querySelector("[data-curve-says]");
  if (says) says.textContent = SAYS[/** @type {"points"} */ (chosen.way)];
  showChannel(["red", "green", "blue"].includes(chosen.channel) ? chosen.channel : "luma");
  draw(control);
}

/** @param {Element} control */
function draw(control) {
  const sheet = /** @type {SVGSVGElement} */ (control.querySelector(".curve-lines"));
  if (!sheet.dataset.heard) listen(sheet);
  const now = points(control), places = Array.from({ length: 129 }, (_, i) => i / 128);
  const heights = along(now, places).map((height) => Math.min(Math.max(height, 0), 1));
  const line = places.map((x, i) => `${(x * SIDE).toFixed(1)} ${((1 - heights[i]) * SIDE).toFixed(1)}`).join("L");
  let grid = "";
  for (const t of [1 / 4, 1 / 2, 3 / 4]) grid += `M${t * SIDE} 0V${SIDE}M0 ${t * SIDE}H${SIDE}`;
  const marks = chosen.way === "points" ? now.map((point, i) => mark(point, i)) : [];
  const focused = chosen.point; // taking the old mark away takes the focus from it
  sheet.replaceChildren(
    shape("path", { class: "curve-grid", d: grid }), shape("path", { class: "curve-rest", d: `M0 ${SIDE}L${SIDE} 0` }),
    shape("path", { class: "curve-line", d: `M${line}` }), ...marks,
  );
  if (focused >= 0) /** @type {SVGElement | undefined} */ ([...sheet.querySelectorAll(".curve-point")][focused])?.focus({ preventScroll: true });
}

/** @param {CurvePoint} point @param {number} i */
function mark([x, y], i) {
  const px = x * SIDE, py = (1 - y) * SIDE, percent = (/** @type {number} */ share) => Math.round(100 * share);
  return shape("g", {
    class: "curve-point", tabindex: 0, role: "slider", "data-point": i, "aria-valuenow": percent(y), "aria-valuemin": 0, "aria-valuemax": 100,
    "aria-valuetext": `${percent(x)} becomes ${percent(y)}`, "aria-label": `Point ${i + 1}`,
  }, [shape("rect", { class: "point-area", x: px - 13, y: py - 13, width: 26, height: 26 }), shape("rect", { class: "curve-mark", x: px - 4.5, y: py - 4.5, width: 9, height: 9 })]);
}

/** @param {SVGSVGElement} sheet */
function listen(sheet) {
  sheet.dataset.heard = "yes";
  const control = () => /** @type {Element} */ (sheet.closest("[data-curve]"));
  sheet.addEventListener("pointerdown", (event) => {
    if (event.button !== 0) return;
    if (chosen.way === "drawn") drawLine(control(), sheet, event);
    else pull(control(), sheet, event);
  });
  sheet.addEventListener("dblclick", (event) => {
    const index = indexOf(event);
    if (index > 0 && index < points(control()).length - 1) set(control(), points(control()).filter((_, i) => i !== index), "change");
  });
  sheet.addEventListener("keydown", (event) => onKey(control(), event));
  sheet.addEventListener("keyup", (event) => { if (event.key.startsWith("Arrow")) commit(control()); });
  sheet.addEventListener("focusin", (event) => { chosen.point = indexOf(event); });
  sheet.addEventListener("focusout", () => { chosen.point = -1; });
}

/** @param {Event} event */
const indexOf = (event) => Number(/** @type {Element} */ (event.target).closest("[data-point]")?.getAttribute("data-point") ?? -1);

/** @param {SVGSVGElement} sheet @param {MouseEvent} event @returns {CurvePoint} */
function spot(sheet, event) {
  const box = sheet.getBoundingClientRect(), hold = (/** @type {number} */ v) => Math.min(Math.max(v, 0), 1);
  return [hold((event.clientX - box.left) / box.width), hold(1 - (event.clientY - box.top) / box.height)];
}

/** @param {Element} control @param {SVGSVGElement} sheet @param {PointerEvent} event */
function pull(control, sheet, event) {
  const at = spot(sheet, event);
  let now = points(control), index = indexOf(event);
  if (index < 0) {
    const there = along(now, [at[0]])[0];
    if (Math.abs(there - at[1]) > 2 * CLOSE || now.some(([x]) => Math.abs(x - at[0]) < LEAST_APART)) return;
    now = [...now, /** @type {CurvePoint} */ ([at[0], there])].sort((a, b) => a[0] - b[0]);
    index = now.findIndex(([x]) => x === at[0]);
  }
  chosen.point = index;
  followOver(sheet, event, formOf(control), (move) => set(control, put(now, index, spot(sheet, move)), "input"), () => commit(control));
  set(control, now, "input");
}

/** A point at another spot, held between its neighbours. @param {CurvePoint[]} now @param {number} index @param {CurvePoint} at @returns {CurvePoint[]} */
function put(now, index, at) {
  const least = index ? now[index - 1][0] + LEAST_APART : 0, most = index + 1 < now.length ? now[index + 1][0] - LEAST_APART : 1;
  const held = /** @type {CurvePoint} */ ([Math.min(Math.max(at[0], least), most), Math.min(Math.max(at[1], 0), 1)]);
  return now.map((one, i) => (i === index ? held : one));
}

/** @param {Element} control @param {SVGSVGElement} sheet @param {PointerEvent} event */
function drawLine(control, sheet, event) {
  const before = points(control), drawn = [spot(sheet, event)];
  followOver(sheet, event, formOf(control), (move) => {
    drawn.push(spot(sheet, move));
    set(control, evened(drawn, before, DRAWN_POINTS), "input");
  }, () => { if (drawn.length > 1) commit(control); });
}

/** @param {Element} control @param {KeyboardEvent} event */
function onKey(control, event) {
  const index = indexOf(event), now = points(control);
  if (index < 0) return;
  const by = event.shiftKey ? 0.05 : 0.01;
  const way = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[event.key];
  if (way) {
    event.preventDefault();
    chosen.point = index;
    set(control, put(now, index, [now[index][0] + way[0], now[index][1] + way[1]]), "input");
  } else if ((event.key === "Delete" || event.key === "Backspace") && index > 0 && index < now.length - 1) {
    event.preventDefault();
    chosen.point = -1;
    set(control, now.filter((_, i) => i !== index), "change");
  }
}

/** @param {Element} control */
function commit(control) {
  const field = formOf(control).elements.namedItem(chosen.channel);
  if (field instanceof HTMLInputElement) tell(field, "change");
}
