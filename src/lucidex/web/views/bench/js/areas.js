// Areas on the picture: drawn, chosen, moved, pulled, turned and dropped with mouse, pen and keys.
// Emits one change when a gesture ends; the real pixels come with its answer.
import { areaElement, isTurned, SIDES, sourceMark } from "./area_shapes.js";
import { shape } from "../../../shell/js/drawing.js";
import { follow, insidePicture, onStage, post, redraw } from "./gestures.js";
import { byId, state, toPicture, toScreen } from "./stage_state.js";
import { clamp } from "../../../shell/js/window_math.js";

/** @typedef {import("./stage_state.js").AreaShape} AreaShape */
/** @typedef {import("./stage_state.js").Spot} Spot */

const KEY_PAUSE_MS = 400;
const STILL = 4; // screen pixels: less is a click
const SMALLEST_BRUSH = 1.5, STEP = 1.15;

const area = {
  step: "", tool: "", way: "", away: false, brush: 1, chosen: -1,
  /** The newest one becomes the chosen one with the next answer. */ takesNewest: false,
  /** @type {Spot[]} */ sketch: [],
  /** How far the one moved by keys went, until that is sent. */ moved: { x: 0, y: 0 },
  /** What keys did to one of them, sent when they pause. @type {{index: number, send: () => void, timer: number} | null} */ pending: null,
};

/** Facts from the server: what is drawn with, and what is there. */
function readAreas() {
  const facts = state.facts;
  area.sketch = [];
  if (facts?.mode !== "area") {
    area.step = "";
    return;
  }
  const shapes = facts.shapes ?? [];
  if (area.step !== facts.step) {
    const [first] = facts.tools ?? [];
    Object.assign(area, { step: facts.step, tool: facts.sourced && !facts.source ? "source" : first, way: facts.begins || (facts.ways?.[0] ?? ""), away: false, brush: facts.brush ?? 1, chosen: -1 });
  } else if (area.tool === "source" && facts.source && area.takesNewest) area.tool = facts.tools?.[0] ?? "";
  if (area.takesNewest && area.tool !== "brush") area.chosen = shapes.length - 1;
  area.takesNewest = false;
  if (area.chosen >= shapes.length) area.chosen = -1;
  showTools();
}

const draws = () => !["choose", "source"].includes(area.tool);

/** Everything of the areas over the picture. @param {DOMRect} picture */
function areaParts(picture) {
  const { left: x, top: y, width, height } = picture, facts = state.facts;
  const ground = shape("rect", { class: "line-ground area-ground", x, y, width, height, "data-grip": "area" });
  const brushes = area.tool === "brush";
  const there = (facts?.shapes ?? []).map((one, index) => areaElement(one, index, index === area.chosen, area.tool === "choose" || (!brushes && draws())));
  const parts = [ground, ...there];
  if (facts?.source) parts.push(sourceMark(facts.source));
  if (area.sketch.length) parts.push(...sketchParts());
  if (brushes) parts.push(shape("circle", { id: "area-ring", class: "area-ring", r: Math.max(1, area.brush * state.scale), cx: -9999, cy: -9999 }));
  return parts;
}

function sketchParts() {
  const way = area.sketch.map(toScreen), [from] = way, to = way[way.length - 1];
  if (area.tool === "brush") {
    const d = `M${way.map((at) => `${at.x} ${at.y}`).join("L")}${way.length === 1 ? "h0.01" : ""}`;
    return [shape("path", { class: "area-sketch", d, "stroke-width": Math.max(2, 2 * area.brush * state.scale) })];
  }
  const box = { x: Math.min(from.x, to.x), y: Math.min(from.y, to.y), width: Math.abs(to.x - from.x), height: Math.abs(to.y - from.y) };
  /** @type {(name: string) => SVGElement} */
  const edge = (name) => /** @type {SVGElement} */ (area.tool === "oval"
    ? shape("ellipse", { class: name, cx: box.x + box.width / 2, cy: box.y + box.height / 2, rx: box.width / 2, ry: box.height / 2 })
    : area.tool === "box" ? shape("rect", { class: name, ...box })
      : shape("path", { class: name, d: `M${way.map((at) => `${at.x} ${at.y}`).join("L")}Z` }));
  return [edge("area-shade"), edge("area-edge")];
}

/** @param {SVGElement} lines @param {PointerEvent} event @param {string} grip */
function pressArea(lines, event, grip) {
  const touched = /** @type {Element} */ (event.target), index = Number(touched.getAttribute("data-area"));
  if (grip === "area-move" && state.facts?.shapes?.[index]?.proposed) return void post({ number: index }, "/accept");
  if (grip === "area-move") return holdArea(lines, event, index);
  if (grip === "area-side") return pullSide(lines, event, index, Number(touched.getAttribute("data-side")));
  if (grip === "area-turn") return turnArea(lines, event, index);
  if (grip === "area-point") return pullPoint(lines, event, index, Number(touched.getAttribute("data-point")));
  if (!draws()) {
    if (area.tool === "source") {
      area.takesNewest = true;
      const at = insidePicture(toPicture(onStage(event, lines)));
      return void post({ x: at.x, y: at.y }, "/source");
    }
    return choose(-1);
  }
  draw(lines, event);
}

/** @param {SVGElement} lines @param {PointerEvent} start */
function draw(lines, start) {
  const first = onStage(start, lines), freely = ["brush", "outline"].includes(area.tool);
  const put = (/** @type {PointerEvent} */ event) => toPicture(onStage(event, lines));
  area.sketch = [put(start)];
  redraw();
  follow(lines, start, (event) => {
    const events = freely ? event.getCoalescedEvents?.() ?? [event] : [event];
    const fresh = (events.length ? events : [event]).map(put);
    area.sketch = freely ? [...area.sketch, ...fresh] : [area.sketch[0], fresh[fresh.length - 1]];
    redraw();
  }, (event) => {
    const last = onStage(event, lines), still = Math.hypot(last.x - first.x, last.y - first.y) < STILL && area.sketch.length < 12;
    if (event.type === "pointercancel" || !area.sketch.length || (still && area.tool !== "brush")) {
      area.sketch = [];
      choose(-1);
      return;
    }
    if (still) area.sketch = [area.sketch[0]];
    area.takesNewest = true;
    void post({ tool: area.tool, way: wayOf(area.sketch), radius: area.brush, away: area.away, does: area.way }, "/draw");
  });
}

const wayOf = (/** @type {Spot[]} */ points) => points.slice(0, 4000).map((at) => `${at.x.toFixed(2)} ${at.y.toFixed(2)}`).join(" ");

/** @param {number} index */
function choose(index) {
  area.chosen = index;
  redraw();
  if (index >= 0) /** @type {SVGElement | null} */ (document.querySelector(`.area-shape[data-area="${index}"]`))?.focus({ preventScroll: true });
}

/** @param {SVGElement} lines @param {PointerEvent} start @param {number} index */
function holdArea(lines, start, index) {
  choose(index);
  const from = toPicture(onStage(start, lines));
  let total = { x: 0, y: 0 };
  follow(lines, start, (event) => {
    const to = toPicture(onStage(event, lines)), now = { x: to.x - from.x, y: to.y - from.y };
    shift(index, now.x - total.x, now.y - total.y);
    total = now;
    redraw();
  }, () => { if (Math.hypot(total.x, total.y) * state.scale >= 1) sendMove(index, total); });
}

/** @param {number} index @param {number} dx @param {number} dy */
function shift(index, dx, dy) {
  const one = state.facts?.shapes?.[index];
  if (!one) return;
  if (isTurned(one)) Object.assign(one, { x: (one.x ?? 0) + dx, y: (one.y ?? 0) + dy });
  for (const points of [one.points, one.edge]) points?.forEach((at, i) => { points[i] = [at[0] + dx, at[1] + dy]; });
}

/** @param {number} index @param {Spot} by */
function sendMove(index, by) {
  const one = state.facts?.shapes?.[index];
  if (one && isTurned(one)) sendSides(index);
  else void post({ dx: by.x, dy: by.y }, `/${index}/move`);
}

/** @param {number} index */
function sendSides(index) {
  const one = state.facts?.shapes?.[index];
  if (one) void post({ x: one.x ?? 0, y: one.y ?? 0, width: Math.max(1, one.width ?? 0), height: Math.max(1, one.height ?? 0), angle: one.angle ?? 0 }, `/${index}/put`);
}

/** @param {number} index */
function sendPoints(index) {
  const one = state.facts?.shapes?.[index];
  if (one?.points) void post({ way: wayOf(one.points.map(([x, y]) => ({ x, y }))), radius: one.radius ?? 1, sharp: (one.sharp ?? []).join(" ") }, `/${index}/reshape`);
}

/** The other side stays; with Alt, the middle. @param {SVGElement} lines @param {PointerEvent} start @param {number} index @param {number} side */
function pullSide(lines, start, index, side) {
  const one = state.facts?.shapes?.[index];
  if (!one) return;
  const [a, b] = SIDES[one.kind][side], before = { ...one }, turn = (-(one.angle ?? 0) * Math.PI) / 180;
  follow(lines, start, (event) => {
    const at = toPicture(onStage(event, lines)), x = at.x - (before.x ?? 0), y = at.y - (before.y ?? 0);
    const own = { x: x * Math.cos(turn) - y * Math.sin(turn), y: x * Math.sin(turn) + y * Math.cos(turn) };
    const reach = (/** @type {number} */ way, /** @type {number} */ to, /** @type {number} */ length) => {
      if (!way) return { length, by: 0 };
      if (event.altKey) return { length: Math.max(1, 2 * Math.abs(to)), by: 0 };
      const longer = Math.max(1, length / 2 + way * to);
      return { length: longer, by: (way * (longer - length)) / 2 };
    };
    const across = reach(a, own.x, before.width ?? 0), down = reach(b, own.y, before.height ?? 0);
    const cos = Math.cos(-turn), sin = Math.sin(-turn);
    Object.assign(one, { width: across.length, height: down.length, x: (before.x ?? 0) + across.by * cos - down.by * sin, y: (before.y ?? 0) + across.by * sin + down.by * cos });
    redraw();
  }, () => sendSides(index));
}

/** @param {SVGElement} lines @param {PointerEvent} start @param {number} index */
function turnArea(lines, start, index) {
  const one = state.facts?.shapes?.[index];
  if (!one) return;
  follow(lines, start, (event) => {
    const at = toPicture(onStage(event, lines)), angle = (Math.atan2(at.x - (one.x ?? 0), (one.y ?? 0) - at.y) * 180) / Math.PI;
    one.angle = event.shiftKey ? Math.round(angle / 15) * 15 : Math.round(angle * 10) / 10;
    redraw();
  }, () => sendSides(index));
}

/** @param {SVGElement} lines @param {PointerEvent} start @param {number} index @param {number} point */
function pullPoint(lines, start, index, point) {
  const one = state.facts?.shapes?.[index];
  if (!one?.points) return;
  follow(lines, start, (event) => {
    const at = toPicture(onStage(event, lines));
    movePoint(one, point, at.x, at.y);
    redraw();
  }, () => sendPoints(index));
}

/** @param {AreaShape} one @param {number} point @param {number} x @param {number} y */
function movePoint(one, point, x, y) {
  if (one.points) one.points[point] = [x, y];
  delete one.edge; // straight until the curve comes with the answer
}

/** The brush's ring under the pointer. @param {Spot} at a point of the stage */
function hoverArea(at) {
  const ring = byId("area-ring");
  if (!ring) return;
  ring.setAttribute("cx", String(at.x));
  ring.setAttribute("cy", String(at.y));
}

/** With Shift, the wheel changes the brush. @param {WheelEvent} event */
function brushWheel(event) {
  if (state.facts?.mode !== "area" || !event.shiftKey || area.tool !== "brush") return false;
  changeBrush(Math.exp(-clamp(event.deltaY || event.deltaX, -240, 240) / 600));
  return true;
}

/** @param {number} factor */
function changeBrush(factor) {
  const shortest = Math.min(state.facts?.picture.width ?? 1, state.facts?.picture.height ?? 1);
  area.brush = clamp(area.brush * factor, SMALLEST_BRUSH, shortest / 2);
  const ring = byId("area-ring");
  ring?.setAttribute("r", String(Math.max(1, area.brush * state.scale)));
  showTools();
}

/** Keys over the picture. @param {KeyboardEvent} event @returns {boolean} whether the key was for an area */
function areaKey(event) {
  const target = /** @type {Element} */ (event.target), group = target.closest("[data-area]"), index = Number(group?.getAttribute("data-area") ?? area.chosen);
  const one = state.facts?.shapes?.[index];
  if (!group || !one) return false;
  const by = event.shiftKey ? 10 : 1;
  const way = /** @type {Record<string, [number, number]>} */ ({ ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] })[event.key];
  const point = target.getAttribute("data-point");
  if (point !== null && one.points) return pointKey(event, one, index, Number(point), way);
  if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    if (area.pending?.index === index) forgetPending(); // it would arrive at what is no longer there
    sendPending();
    void post({}, `/${index}/drop`);
    return true;
  }
  if (event.key === "Enter" || event.key === " ") {
    event.preventDefault();
    if (one.proposed) void post({ number: index }, "/accept");
    else choose(index);
    return true;
  }
  const factor = /** @type {Record<string, number>} */ ({ "+": 1.05, "-": 1 / 1.05 })[event.key];
  if (!way && !factor) return false;
  area.chosen = index;
  if (way) {
    sendPending(index);
    shift(index, ...way);
    area.moved = { x: area.moved.x + way[0], y: area.moved.y + way[1] };
    return later(event, index, () => sendMove(index, area.moved));
  }
  if (isTurned(one)) {
    Object.assign(one, { width: (one.width ?? 0) * factor, height: (one.height ?? 0) * factor });
    return later(event, index, () => sendSides(index));
  }
  if (one.radius === undefined) return false;
  one.radius *= factor;
  return later(event, index, () => sendPoints(index));
}

/** @param {KeyboardEvent} event @param {AreaShape} one @param {number} index @param {number} point @param {[number, number] | undefined} way */
function pointKey(event, one, index, point, way) {
  const points = one.points ?? [], sharp = one.sharp ?? [];
  if (way) {
    movePoint(one, point, points[point][0] + way[0], points[point][1] + way[1]);
    return later(event, index, () => sendPoints(index));
  }
  if (event.key === "Enter" || event.key === " ") one.sharp = sharp.includes(point) ? sharp.filter((at) => at !== point) : [...sharp, point];
  else if ((event.key === "Delete" || event.key === "Backspace") && points.length > 3) {
    points.splice(point, 1);
    one.sharp = sharp.filter((at) => at !== point).map((at) => (at > point ? at - 1 : at));
  } else return false;
  event.preventDefault();
  sendPoints(index);
  return true;
}

/** @param {KeyboardEvent} event @param {number} index @param {() => void} send */
function later(event, index, send) {
  event.preventDefault();
  sendPending(index);
  clearTimeout(area.pending?.timer);
  area.pending = { index, send, timer: window.setTimeout(() => sendPending(), KEY_PAUSE_MS) };
  redraw();
  return true;
}

/** Before anything else is asked for: what keys did meanwhile. @param {number} [but] the one whose keys go on */
function sendPending(but) {
  const pending = area.pending;
  if (!pending || pending.index === but) return;
  pending.send();
  forgetPending();
}

function forgetPending() {
  clearTimeout(area.pending?.timer);
  Object.assign(area, { pending: null, moved: { x: 0, y: 0 } });
}

/** Which tool is in hand, and how large its brush is. */
function showTools() {
  const seat = byId("area-tools");
  if (!seat) return;
  for (const button of seat.querySelectorAll("[data-area-tool]")) button.setAttribute("aria-pressed", String(button.getAttribute("data-area-tool") === area.tool));
  for (const button of seat.querySelectorAll("[data-area-way]")) button.setAttribute("aria-pressed", String(area.tool === "brush" && button.getAttribute("data-area-way") === area.way));
  seat.querySelector("[data-area-away]")?.setAttribute("aria-pressed", String(area.away));
  const size = seat.querySelector("[data-area-size]");
  if (size) size.textContent = `${area.brush < 10 ? (2 * area.brush).toFixed(1) : Math.round(2 * area.brush)} px`;
  seat.querySelector("[data-area-brush]")?.toggleAttribute("hidden", area.tool !== "brush");
}

function listenToAreas() {
  document.addEventListener("click", (event) => {
    const button = /** @type {Element} */ (event.target).closest("[data-area-tool], [data-area-way], [data-area-away], [data-area-by], [data-area-choose]");
    if (!button) return;
    const tool = button.getAttribute("data-area-tool"), way = button.getAttribute("data-area-way"), chosen = button.getAttribute("data-area-choose");
    if (tool) area.tool = tool;
    if (way) Object.assign(area, { tool: "brush", way });
    if (button.hasAttribute("data-area-away")) area.away = !area.away;
    if (button.hasAttribute("data-area-by")) changeBrush(button.getAttribute("data-area-by") === "larger" ? STEP : 1 / STEP);
    if (chosen) return choose(Number(chosen));
    showTools();
    redraw();
  });
  document.addEventListener("keydown", (event) => {
    const typing = /** @type {Element} */ (event.target).matches?.("input, textarea, select");
    if (state.facts?.mode !== "area" || typing || event.ctrlKey || event.metaKey) return;
    if (event.key === "Escape") {
      event.preventDefault();
      leave();
    }
    else if (event.key === " " && !/** @type {Element} */ (event.target).closest?.("button, summary, a, [data-area]")) {
      event.preventDefault();
      state.panning = true;
    }
    else if (area.tool === "brush" && !/** @type {Element} */ (event.target).closest?.("[data-area]") && (event.key === "+" || event.key === "-")) changeBrush(event.key === "+" ? STEP : 1 / STEP);
  });
}

// before the form of numbers sends itself, and before a gesture
for (const kind of ["change", "pointerdown"]) document.addEventListener(kind, () => sendPending(), true);
document.addEventListener("keyup", (event) => { if (event.key === " ") state.panning = false; });

/** First what is being drawn, then what is chosen, then the control. */
function leave() {
  sendPending();
  if (area.sketch.length) area.sketch = [];
  else if (area.chosen >= 0) area.chosen = -1;
  else return /** @type {HTMLElement | null} */ (document.querySelector(".step[data-open] [data-close-step]"))?.click();
  redraw();
}

/** @type {import("./mode_door.js").ModeTool} */
export const tool = { listen: listenToAreas, read: readAreas, parts: areaParts, press: pressArea, key: areaKey, hover: hoverArea, wheel: brushWheel, buttons: "[data-area-tool]" };
