// Gestures on the stage: dragging the window, a line, a point, the focal point or the sight, by pointer and by key.
// Emits one change when a gesture ends.
import { modeTool } from "./mode_door.js";
import { change } from "../../../shell/js/requests.js";
import { moveSight, zoomAbout } from "./sight.js";
import { byId, state, toPicture } from "./stage_state.js";
import { clamp, moved, pulled, scaled, whole } from "../../../shell/js/window_math.js";

/** @typedef {import("../../../shell/js/window_math.js").Win} Win */
/** @typedef {import("./stage_state.js").StageFacts} StageFacts */
/** @typedef {import("./stage_state.js").Spot} Spot */

const KEY_PAUSE_MS = 400;
const SHORTEST_LINE = 24;
export const FOCUSABLE = ".window-group, .point, .area-shape, .words-box, .note-mark";

/** @type {() => void} */
let drawAgain = () => undefined;
export const redraw = () => drawAgain();

/** @param {SVGElement} lines @param {() => void} draw */
export function listenToStage(lines, draw) {
  drawAgain = draw;
  lines.addEventListener("pointerdown", (event) => {
    const touched = /** @type {Element} */ (event.target), grip = touched.getAttribute("data-grip");
    if (event.button === 1 || (event.button === 0 && (!grip || state.panning))) return panSight(lines, event);
    if (event.button !== 0 || !state.facts) return;
    if (grip && modeTool()) return modeTool()?.press(lines, event, grip);
    if (grip === "line") return drawLine(lines, event);
    if (grip === "grey") return chooseGrey(lines, event);
    if (grip === "focal") return moveFocal(lines, event);
    if (grip === "point") return movePoint(lines, event, Number(touched.getAttribute("data-point")));
    if (grip && state.win) dragWindow(lines, grip, event, { ...state.win }, state.facts);
  });
  lines.addEventListener("keydown", onKey);
  lines.addEventListener("pointermove", (event) => modeTool()?.hover?.(onStage(event, lines)));
  lines.addEventListener("wheel", (event) => {
    event.preventDefault();
    if (modeTool()?.wheel?.(event)) return;
    zoomAbout(onStage(event, lines), Math.exp(-clamp(event.deltaY, -240, 240) / 500));
  }, { passive: false });
}

/** @param {MouseEvent} event @param {Element} lines @returns {Spot} */
export function onStage(event, lines) {
  const box = lines.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
}

/** Follow the pointer until it is let go. @param {SVGElement} lines @param {PointerEvent} start @param {(event: PointerEvent) => void} move @param {(event: PointerEvent) => void} end */
export function follow(lines, start, move, end) {
  start.preventDefault();
  lines.setPointerCapture(start.pointerId);
  state.dragging = true;
  const stop = (/** @type {PointerEvent} */ event) => {
    lines.removeEventListener("pointermove", move);
    lines.removeEventListener("pointerup", stop);
    lines.removeEventListener("pointercancel", stop);
    state.dragging = false;
    end(event);
  };
  lines.addEventListener("pointermove", move);
  lines.addEventListener("pointerup", stop);
  lines.addEventListener("pointercancel", stop);
}

/** @param {SVGElement} lines @param {PointerEvent} start */
function panSight(lines, start) {
  let { clientX: x, clientY: y } = start;
  follow(lines, start, (event) => {
    moveSight(event.clientX - x, event.clientY - y);
    ({ clientX: x, clientY: y } = event);
  }, () => undefined);
}

/** A line along what should be level or upright. @param {SVGElement} lines @param {PointerEvent} start */
function drawLine(lines, start) {
  const { x: x1, y: y1 } = onStage(start, lines);
  follow(lines, start, (event) => {
    const { x: x2, y: y2 } = onStage(event, lines);
    state.line = { x1, y1, x2, y2 };
    redraw();
  }, () => {
    const line = state.line;
    state.line = null;
    redraw();
    if (!line || Math.hypot(line.x2 - x1, line.y2 - y1) < SHORTEST_LINE) return;
    const from = toPicture({ x: x1, y: y1 }), to = toPicture({ x: line.x2, y: line.y2 });
    post({ x1: from.x, y1: from.y, x2: to.x, y2: to.y });
  });
}

/** A click chooses a spot; pulling moves the sight, where one looks closer. @param {SVGElement} lines @param {PointerEvent} start */
function chooseGrey(lines, start) {
  let pulled = false, { clientX: x, clientY: y } = start;
  follow(lines, start, (event) => {
    pulled ||= Math.hypot(event.clientX - start.clientX, event.clientY - start.clientY) > 4;
    if (pulled) moveSight(event.clientX - x, event.clientY - y);
    ({ clientX: x, clientY: y } = event);
  }, () => {
    if (pulled) return;
    const at = toPicture(onStage(start, lines));
    post({ x: at.x, y: at.y });
  });
}

/** @param {SVGElement} lines @param {PointerEvent} start */
function moveFocal(lines, start) {
  /** @param {PointerEvent} event */
  const put = (event) => {
    state.focal = insidePicture(toPicture(onStage(event, lines)));
    redraw();
  };
  put(start);
  focusAgain(lines, 0);
  follow(lines, start, put, sendFocal);
}

/** @param {SVGElement} lines @param {PointerEvent} start @param {number} index */
function movePoint(lines, start, index) {
  focusAgain(lines, index);
  follow(lines, start, (event) => {
    state.points = state.points.map((spot, i) => (i === index ? toPicture(onStage(event, lines)) : spot));
    redraw();
  }, sendPoints);
}

/** @param {SVGElement} lines @param {string} grip @param {PointerEvent} start @param {Win} from @param {StageFacts} facts */
function dragWindow(lines, grip, start, from, facts) {
  focusAgain(lines, 0);
  follow(lines, start, (event) => {
    const dx = (event.clientX - start.clientX) / state.scale, dy = (event.clientY - start.clientY) / state.scale;
    if (grip === "move") state.win = moved(from, dx, dy, facts.picture);
    else {
      const corner = { x: (grip.includes("left") ? from.left : from.left + from.width) + dx, y: (grip.includes("top") ? from.top : from.top + from.height) + dy };
      // with Alt the middle stays where it is
      state.win = event.altKey ? aboutMiddle(from, corner, grip, facts) : pulled(from, grip, corner, facts.picture, facts.shape ?? null);
    }
    if (facts.mode === "crop" && state.win) state.win = whole(state.win, facts.picture);
    redraw();
  }, () => { if (JSON.stringify(from) !== JSON.stringify(state.win)) sendWindow(); });
}

/** @param {Win} from @param {Spot} corner @param {string} grip @param {StageFacts} facts */
function aboutMiddle(from, corner, grip, facts) {
  const middle = { x: from.left + from.width / 2, y: from.top + from.height / 2 };
  const factors = [];
  if (/left|right/.test(grip)) factors.push(Math.abs(corner.x - middle.x) / (from.width / 2));
  if (/top|bottom/.test(grip)) factors.push(Math.abs(corner.y - middle.y) / (from.height / 2));
  return scaled(from, Math.max(0.01, ...factors), facts.picture);
}

/** @param {SVGElement} lines @param {number} index */
function focusAgain(lines, index) {
  /** @type {SVGElement | undefined} */ ([...lines.querySelectorAll(FOCUSABLE)][index])?.focus({ preventScroll: true });
}

/** @param {KeyboardEvent} event */
function onKey(event) {
  const { facts } = state;
  if (!facts || modeTool()?.key(event)) return;
  const by = event.shiftKey ? Math.max(10, Math.round(facts.picture.width / 20)) : 1;
  const way = /** @type {Record<string, Spot>} */ ({ ArrowLeft: { x: -by, y: 0 }, ArrowRight: { x: by, y: 0 }, ArrowUp: { x: 0, y: -by }, ArrowDown: { x: 0, y: by } })[event.key];
  if (facts.mode === "focal" && way) {
    const at = state.focal ?? { x: facts.picture.width / 2, y: facts.picture.height / 2 };
    state.focal = insidePicture({ x: at.x + way.x, y: at.y + way.y });
    return afterKey(event, sendFocal);
  }
  if (facts.mode === "quad" && way) {
    const index = Number(/** @type {Element} */ (event.target).getAttribute("data-point"));
    state.points = state.points.map((spot, i) => (i === index ? { x: spot.x + way.x, y: spot.y + way.y } : spot));
    return afterKey(event, sendPoints);
  }
  const win = state.win;
  if (!win) return;
  const proposal = /** @type {Record<string, string>} */ ({ n: "/suggest", m: "/middle" })[event.key];
  if (facts.mode === "framing" && proposal) {
    event.preventDefault();
    return post({}, proposal);
  }
  const size = /** @type {Record<string, number>} */ ({ "+": 1 / 1.05, "-": 1.05 })[event.key];
  if (!way && (!size || facts.fixed)) return;
  const next = way ? moved(win, way.x, way.y, facts.picture) : scaled(win, size, facts.picture);
  state.win = facts.mode === "crop" ? whole(next, facts.picture) : next;
  afterKey(event, sendWindow);
}

/** @param {KeyboardEvent} event @param {() => void} send */
function afterKey(event, send) {
  event.preventDefault();
  redraw();
  clearTimeout(state.timer);
  state.timer = window.setTimeout(send, KEY_PAUSE_MS);
}

/** @param {Spot} spot @returns {Spot} */
export function insidePicture(spot) {
  const { width, height } = /** @type {StageFacts} */ (state.facts).picture;
  return { x: clamp(spot.x, 0, width), y: clamp(spot.y, 0, height) };
}

function sendWindow() {
  const { win } = state;
  if (win) post({ left: win.left, top: win.top, width: win.width, height: win.height });
}

function sendFocal() {
  if (state.focal) post({ x: state.focal.x, y: state.focal.y });
}

function sendPoints() {
  post(Object.fromEntries(state.points.flatMap((spot, i) => [[`x${i + 1}`, spot.x], [`y${i + 1}`, spot.y]])));
}

/** @param {Record<string, unknown>} values @param {string} [path] below the address of what is shown */
export function post(values, path = "") {
  const address = state.facts?.post;
  if (!address) return;
  const query = new URL(byId("bench")?.dataset.address ?? "", location.href).search;
  void change("POST", address + path + query, values);
}
