// How close one looks: whole picture, actual pixels, closer; moved about, with a small map. Emits a redraw.
import { byId, originalSize, ratio, shownSize, state, toPicture } from "./stage_state.js";
import { clamp } from "../../../shell/js/window_math.js";

/** @typedef {import("./stage_state.js").Spot} Spot */
/** @typedef {import("./stage_state.js").Extent} Extent */

// what the dimension lines need, and no more; a picture shown in a place has a third one below
const MARGIN = { left: 10, top: 38, right: 44, bottom: 10 };
const BELOW = 40;
const SMALLEST_SHOWN = 260;
const CLOSEST = 16;
const STEP = 1.5;
const MAP_EDGE = 120;

/** @type {() => void} */
let redraw = () => undefined;

/** @param {() => void} draw */
export function watchSight(draw) {
  redraw = draw;
  document.addEventListener("click", (event) => {
    const asked = /** @type {Element} */ (event.target).closest("[data-sight]");
    if (asked) look(asked.getAttribute("data-sight") ?? "whole");
  });
}

/** Where the picture stands and at which scale. @param {HTMLElement} stage */
export function layOut(stage) {
  const picture = shownSize();
  const around = (!state.original && state.facts?.canvas) || { left: 0, top: 0, ...picture };
  const bottom = needsBelow() ? BELOW : MARGIN.bottom;
  const room = { width: stage.clientWidth - MARGIN.left - MARGIN.right, height: stage.clientHeight - MARGIN.top - bottom };
  const largest = Math.max(1, SMALLEST_SHOWN / Math.max(picture.width, picture.height));
  state.fitting = Math.max(0.0005, Math.min(room.width / around.width, room.height / around.height, largest));
  state.scale = state.fitting * state.closer;
  if (state.closer > 1) {
    const at = heldMiddle(stage, picture);
    state.origin = { x: Math.round(stage.clientWidth / 2 - at.x * state.scale), y: Math.round(stage.clientHeight / 2 - at.y * state.scale) };
    return;
  }
  state.origin = {
    x: Math.round(MARGIN.left + (room.width - around.width * state.scale) / 2 - around.left * state.scale),
    y: Math.round(MARGIN.top + (room.height - around.height * state.scale) / 2 - around.top * state.scale),
  };
}

/** Whether a dimension line stands below the picture: it comes out at another size than it has. */
function needsBelow() {
  const facts = state.facts;
  return Boolean(facts && !state.original && facts.output && (facts.output.width !== facts.picture.width || facts.output.height !== facts.picture.height));
}

/** The middle of the sight, held so that the picture does not leave the stage. @param {HTMLElement} stage @param {Extent} picture @returns {Spot} */
function heldMiddle(stage, picture) {
  const half = { x: stage.clientWidth / 2 / state.scale, y: stage.clientHeight / 2 / state.scale };
  const air = 40 / state.scale;
  const hold = (/** @type {number} */ at, /** @type {number} */ side, /** @type {number} */ reach) => (
    side + 2 * air <= 2 * reach ? side / 2 : clamp(at, reach - air, side - reach + air));
  const at = state.middle ?? { x: picture.width / 2, y: picture.height / 2 };
  state.middle = { x: hold(at.x, picture.width, half.x), y: hold(at.y, picture.height, half.y) };
  return state.middle;
}

/** "whole", "actual", "closer" or "further". @param {string} how */
export function look(how) {
  if (how === "whole") lookAt(1, null);
  else if (how === "actual") lookAt(1 / ratio() / state.fitting, state.middle);
  else lookAt(state.closer * (how === "closer" ? STEP : 1 / STEP), state.middle);
}

/** @param {number} closer @param {Spot | null} middle */
function lookAt(closer, middle) {
  const most = Math.max(1, CLOSEST / ratio() / state.fitting);
  state.closer = Math.min(Math.max(closer, 1), most);
  if (state.closer < 1.0001) state.closer = 1;
  state.middle = state.closer === 1 ? null : middle;
  redraw();
}

/** Closer or further about a point of the stage, which stays where it is. @param {Spot} at @param {number} factor */
export function zoomAbout(at, factor) {
  const stage = byId("stage");
  if (!stage) return;
  const point = toPicture(at);
  const most = Math.max(1, CLOSEST / ratio() / state.fitting);
  const closer = Math.min(Math.max(state.closer * factor, 1), most), scale = state.fitting * closer;
  lookAt(closer, { x: point.x + (stage.clientWidth / 2 - at.x) / scale, y: point.y + (stage.clientHeight / 2 - at.y) / scale });
}

/** @param {number} dx @param {number} dy screen pixels */
export function moveSight(dx, dy) {
  if (state.closer === 1 || !state.middle) return;
  state.middle = { x: state.middle.x - dx / state.scale, y: state.middle.y - dy / state.scale };
  redraw();
}

/** A small map while one looks closer. @param {HTMLElement} canvas @param {HTMLElement} stage */
export function drawMap(canvas, stage) {
  let map = /** @type {HTMLElement | null} */ (canvas.querySelector(".map"));
  const picture = shownSize();
  if (state.closer === 1 || state.view === "result") return map?.remove();
  if (!map) {
    map = document.createElement("div");
    map.className = "map";
    map.innerHTML = '<img alt="" draggable="false"><i></i>';
    canvas.append(map);
    listenToMap(map);
  }
  const scale = MAP_EDGE / Math.max(picture.width, picture.height);
  const width = Math.max(4, Math.round(picture.width * scale)), height = Math.max(4, Math.round(picture.height * scale));
  Object.assign(map.style, { width: `${width}px`, height: `${height}px` });
  const image = /** @type {HTMLImageElement} */ (map.firstElementChild);
  const address = `${state.original ? stage.dataset.original : state.facts?.preview}&w=${2 * MAP_EDGE}&h=${2 * MAP_EDGE}`;
  if (image.getAttribute("src") !== address) image.src = address;
  const seen = { from: toPicture({ x: 0, y: 0 }), to: toPicture({ x: stage.clientWidth, y: stage.clientHeight }) };
  const left = clamp(seen.from.x * scale, 0, width), top = clamp(seen.from.y * scale, 0, height);
  Object.assign(/** @type {HTMLElement} */ (map.lastElementChild).style, {
    left: `${left}px`, top: `${top}px`,
    width: `${clamp(seen.to.x * scale, 0, width) - left}px`, height: `${clamp(seen.to.y * scale, 0, height) - top}px`,
  });
}

/** @param {HTMLElement} map */
function listenToMap(map) {
  /** @param {PointerEvent} event */
  const go = (event) => {
    const box = map.getBoundingClientRect(), picture = shownSize();
    state.middle = { x: ((event.clientX - box.left) / box.width) * picture.width, y: ((event.clientY - box.top) / box.height) * picture.height };
    redraw();
  };
  map.addEventListener("pointerdown", (event) => {
    event.stopPropagation();
    map.setPointerCapture(event.pointerId);
    go(event);
  });
  map.addEventListener("pointermove", (event) => { if (map.hasPointerCapture(event.pointerId)) go(event); });
}

/** Where a point of the prepared picture lies in the original, and how many original pixels one of its pixels is. @param {Spot} at */
export function inOriginal(at) {
  const [a, b, tx, c, d, ty, g, h, i] = state.facts?.content ?? [1, 0, 0, 0, 1, 0, 0, 0, 1];
  const to = (/** @type {Spot} */ p) => {
    const w = g * p.x + h * p.y + i;
    return { x: (a * p.x + b * p.y + tx) / w, y: (c * p.x + d * p.y + ty) / w };
  };
  const spot = to(at), right = to({ x: at.x + 1, y: at.y }), held = originalSize();
  const across = Math.hypot(right.x - spot.x, right.y - spot.y);
  return { x: clamp(spot.x, 0, held.width), y: clamp(spot.y, 0, held.height), across };
}
