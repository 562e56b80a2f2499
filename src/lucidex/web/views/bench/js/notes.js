// Notes on the picture: drawn with mouse, pen and keys, chosen, moved, erased. What is drawn is shown at once and
// kept with the answer. Emits one change when a gesture ends.
import { shape } from "../../../shell/js/drawing.js";
import { follow, insidePicture, onStage, post, redraw } from "./gestures.js";
import { byId, state, toPicture, toScreen } from "./stage_state.js";
import { clamp } from "../../../shell/js/window_math.js";

/** @typedef {import("./stage_state.js").NoteShape} NoteShape */

const KEY_PAUSE_MS = 400, STILL = 4, STEP = 1.25, WIDER = 4;

const pen = {
  tool: "pen", colour: "vermilion", width: 0, note: 0, /** The next mark begins another note. */ anew: false,
  /** @type {{x: number, y: number, p: number}[]} */ sketch: [],
  /** @type {{note: number, index: number, x: number, y: number} | null} */ moved: null,
  /** @type {number | undefined} */ timer: undefined,
  /** @type {HTMLFormElement | null} */ sent: null,
};

const marks = () => state.facts?.notes ?? [];
const hex = () => document.querySelector(`[data-note-pen="${pen.colour}"] rect`)?.getAttribute("fill") ?? "#000";
const wide = () => pen.width * (pen.tool === "highlighter" ? WIDER : 1);

function read() {
  if (state.facts?.mode !== "notes") return;
  pen.sketch = [];
  pen.moved = null;
  if (!pen.width) pen.width = state.facts.brush ?? 4;
  const mine = marks().filter((one) => one.mine && !one.settled).map((one) => one.note);
  // what is drawn next belongs to the newest note of one's own, until another one is begun
  pen.note = pen.anew ? 0 : Math.max(0, ...mine);
  showTools();
}

/** @returns {Element[]} */
function parts(/** @type {DOMRect} */ picture) {
  const { left: x, top: y, width, height } = picture;
  const ground = shape("rect", { class: "line-ground area-ground", x, y, width, height, "data-grip": "note" });
  const there = marks().map((one, seat) => markElement(one, seat));
  const sketch = pen.sketch.length ? [drawn({ ...sketchMark(), pressed: pen.sketch.map((at) => at.p) })] : [];
  return [ground, ...there, ...sketch];
}

/** @returns {NoteShape} */
const sketchMark = () => ({ note: 0, number: 0, index: 0, kind: pen.tool, colour: hex(), points: pen.sketch.map((at) => [at.x, at.y]), width: wide(), head: [], mine: true, settled: false });

/** @param {NoteShape} one @param {number} seat */
function markElement(one, seat) {
  const moved = pen.moved && pen.moved.note === one.note && pen.moved.index === one.index ? pen.moved : { x: 0, y: 0 };
  const at = one.points.map(([x, y]) => [x + moved.x, y + moved.y]), head = (one.head ?? []).map(([x, y]) => [x + moved.x, y + moved.y]);
  const group = shape("g", {
    class: "note-mark", tabindex: 0, role: "button", "data-grip": "note-mark", "data-mark": seat,
    "aria-label": `${one.kind} of note ${one.number}.${one.mine ? " Arrow keys move it, Delete removes it." : ""}`,
  }, [drawn({ ...one, points: at, head })]);
  if (one.settled) group.setAttribute("data-settled", "");
  const [first] = at.map(([x, y]) => toScreen({ x, y }));
  if (one.index === 0) group.append(shape("circle", { class: "note-seat", cx: first.x, cy: first.y, r: 9 }), text(first, String(one.number)));
  return group;
}

/** @param {{x: number, y: number}} at @param {string} words @param {string} name */
function text(at, words, name = "note-number") {
  const element = shape("text", { class: name, x: at.x, y: at.y });
  element.textContent = words;
  return element;
}

/** @param {NoteShape} one */
function drawn(one) {
  const at = one.points.map(([x, y]) => toScreen({ x, y })), width = Math.max(1, one.width * state.scale);
  const line = { class: "note-line", stroke: one.colour, "stroke-width": width, "data-grip": "note-mark" };
  if (one.kind === "box") {
    const [a, b = a] = [at[0], at[at.length - 1]];
    return shape("rect", { ...line, x: Math.min(a.x, b.x), y: Math.min(a.y, b.y), width: Math.abs(a.x - b.x), height: Math.abs(a.y - b.y) });
  }
  if (one.kind === "arrow") {
    const end = at[at.length - 1], head = one.head?.length ? one.head.map(([x, y]) => toScreen({ x, y })) : [];
    const tip = head.length ? `M${head.map((p) => `${p.x} ${p.y}`).join("L")}Z` : "";
    return shape("g", {}, [shape("path", { ...line, d: `M${at[0].x} ${at[0].y}L${end.x} ${end.y}` }), shape("path", { d: tip, fill: one.colour })]);
  }
  if (one.kind === "words") return wordsElement(one, at[0], width);
  const path = shape("path", { ...line, d: curve(at) });
  if (one.kind === "highlighter") path.setAttribute("stroke-opacity", "0.42");
  return path;
}

/** @param {NoteShape} one @param {{x: number, y: number}} at @param {number} width */
function wordsElement(one, at, width) {
  const size = Math.max(12, 6 * width), words = one.text ?? "", long = Math.max(size, words.length * size * 0.58) + size * 0.6;
  const dark = one.colour === "#f0e442";
  const label = text({ x: at.x, y: at.y }, words, "note-words-drawn");
  label.setAttribute("font-size", String(size));
  label.setAttribute("fill", dark ? "#000" : "#fff");
  return shape("g", {}, [shape("rect", { x: at.x - long / 2, y: at.y - size * 0.85, width: long, height: size * 1.7, fill: one.colour, "data-grip": "note-mark" }), label]);
}

/** A curve through all points (Catmull and Rom), as in the files. @param {{x: number, y: number}[]} at */
function curve(at) {
  if (at.length < 3) return `M${at.map((p) => `${p.x} ${p.y}`).join("L")}${at.length === 1 ? "h0.01" : ""}`;
  let d = `M${at[0].x} ${at[0].y}`;
  for (let i = 0; i < at.length - 1; i++) {
    const p = at[Math.max(i - 1, 0)], q = at[i], r = at[i + 1], s = at[Math.min(i + 2, at.length - 1)];
    d += `C${q.x + (r.x - p.x) / 6} ${q.y + (r.y - p.y) / 6} ${r.x - (s.x - q.x) / 6} ${r.y - (s.y - q.y) / 6} ${r.x} ${r.y}`;
  }
  return d;
}

/** @param {SVGElement} lines @param {PointerEvent} event @param {string} grip */
function press(lines, event, grip) {
  const group = /** @type {Element} */ (event.target).closest("[data-mark]"), seat = Number(group?.getAttribute("data-mark") ?? -1);
  if (grip === "note-mark" && pen.tool === "eraser") return erase(seat);
  if (pen.tool === "eraser") return sweep(lines, event);
  if (grip === "note-mark" && (pen.tool === "move" || event.shiftKey)) return hold(lines, event, seat);
  if (pen.tool === "move") return;
  draw(lines, event);
}

/** @param {SVGElement} lines @param {PointerEvent} start */
function draw(lines, start) {
  const put = (/** @type {PointerEvent} */ event) => ({ ...insidePicture(toPicture(onStage(event, lines))), p: event.pointerType === "pen" ? event.pressure : 0 });
  const freely = ["pen", "highlighter"].includes(pen.tool);
  pen.sketch = [put(start)];
  redraw();
  follow(lines, start, (event) => {
    const events = freely ? event.getCoalescedEvents?.() ?? [event] : [event], fresh = (events.length ? events : [event]).map(put);
    pen.sketch = freely ? [...pen.sketch, ...fresh] : [pen.sketch[0], fresh[fresh.length - 1]];
    redraw();
  }, (event) => {
    const sketch = pen.sketch, [first] = sketch, last = sketch[sketch.length - 1];
    const still = Math.hypot(last.x - first.x, last.y - first.y) * state.scale < STILL && sketch.length < 12;
    if (event.type === "pointercancel" || (still && ["arrow", "box"].includes(pen.tool))) return letGo();
    if (pen.tool === "words") return askWords(sketch[0]);
    send(sketch, "");
  });
}

function letGo() {
  pen.sketch = [];
  redraw();
}

/** @param {{x: number, y: number, p: number}[]} sketch @param {string} words */
function send(sketch, words) {
  const most = sketch.slice(0, 4000), presses = most.some((at) => at.p > 0) ? most.map((at) => at.p.toFixed(2)).join(" ") : "";
  const note = pen.note;
  sendMove();
  pen.anew = false;
  void post({ kind: pen.tool, way: most.map((at) => `${at.x.toFixed(2)} ${at.y.toFixed(2)}`).join(" "), colour: pen.colour, width: wide(), pressed: presses, words, note }, "/draw");
}

/** A field where the words go. @param {{x: number, y: number, p: number}} at */
function askWords(at) {
  const stage = byId("stage-canvas"), spot = toScreen(at), field = document.createElement("input");
  pen.sketch = [];
  redraw();
  if (!stage) return;
  Object.assign(field, { className: "words-typed note-typed", maxLength: 200, dir: "auto", ariaLabel: "Words of the note" });
  Object.assign(field.style, { left: `${spot.x - 90}px`, top: `${spot.y - 18}px` });
  stage.append(field);
  field.focus();
  let done = false;
  const end = (/** @type {boolean} */ keeps) => {
    if (done) return;
    done = true;
    const words = field.value.trim();
    field.remove();
    if (keeps && words) send([at], words);
  };
  field.addEventListener("blur", () => end(true));
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter" || event.key === "Escape") end(event.key === "Enter");
  });
}

/** Erase every mark that the pointer goes over. @param {SVGElement} lines @param {PointerEvent} start */
function sweep(lines, start) {
  follow(lines, start, (event) => {
    const under = document.elementFromPoint(event.clientX, event.clientY)?.closest("[data-mark]");
    if (under) erase(Number(under.getAttribute("data-mark")));
  }, () => undefined);
}

/** Marks of one's own only. @param {number} seat */
function erase(seat) {
  const one = marks()[seat];
  if (!one?.mine) return;
  sendMove();
  const address = `/${one.note}/marks/${one.index}/erase`;
  state.facts?.notes?.splice(seat, 1);
  // those behind it move up, as they do where they are kept
  for (const other of marks()) if (other.note === one.note && other.index > one.index) other.index -= 1;
  redraw();
  void post({}, address);
}

/** @param {SVGElement} lines @param {PointerEvent} start @param {number} seat */
function hold(lines, start, seat) {
  const one = marks()[seat];
  /** @type {HTMLElement | null} */ (document.querySelector(`[data-mark="${seat}"]`))?.focus({ preventScroll: true });
  if (!one?.mine) return;
  const from = toPicture(onStage(start, lines));
  follow(lines, start, (event) => {
    const to = toPicture(onStage(event, lines));
    pen.moved = { note: one.note, index: one.index, x: to.x - from.x, y: to.y - from.y };
    redraw();
  }, sendMove);
}

function sendMove() {
  clearTimeout(pen.timer);
  const moved = pen.moved, one = marks().find((mark) => moved && mark.note === moved.note && mark.index === moved.index);
  pen.moved = null;
  // it stays where it was moved to until the answer comes
  if (moved && one) Object.assign(one, { points: shifted(one.points, moved), head: shifted(one.head ?? [], moved) });
  if (moved && Math.hypot(moved.x, moved.y) * state.scale >= 1) void post({ dx: moved.x, dy: moved.y }, `/${moved.note}/marks/${moved.index}/move`);
}

/** @param {number[][]} points @param {{x: number, y: number}} by */
const shifted = (points, by) => points.map(([x, y]) => [x + by.x, y + by.y]);

/** @param {KeyboardEvent} event */
function key(event) {
  const seat = Number(/** @type {Element} */ (event.target).closest("[data-mark]")?.getAttribute("data-mark") ?? -1), one = marks()[seat];
  if (!one) return false;
  if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    if (pen.moved?.note === one.note && pen.moved.index === one.index) pen.moved = null;
    erase(seat);
    return true;
  }
  const by = event.shiftKey ? 10 : 1;
  const way = /** @type {Record<string, [number, number]>} */ ({ ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] })[event.key];
  if (!way || !one.mine) return false;
  event.preventDefault();
  const same = pen.moved?.note === one.note && pen.moved.index === one.index;
  if (!same) sendMove();
  const before = same && pen.moved ? pen.moved : { x: 0, y: 0 };
  pen.moved = { note: one.note, index: one.index, x: before.x + way[0], y: before.y + way[1] };
  redraw();
  clearTimeout(pen.timer);
  pen.timer = window.setTimeout(sendMove, KEY_PAUSE_MS);
  return true;
}

function showTools() {
  const seat = byId("note-tools");
  if (!seat) return;
  for (const button of seat.querySelectorAll("[data-note-tool]")) button.setAttribute("aria-pressed", String(button.getAttribute("data-note-tool") === pen.tool));
  for (const button of seat.querySelectorAll("[data-note-pen]")) button.setAttribute("aria-pressed", String(button.getAttribute("data-note-pen") === pen.colour));
  seat.querySelector("[data-note-tool-new]")?.setAttribute("aria-pressed", String(pen.anew || !pen.note));
  const width = seat.querySelector("[data-note-width]");
  if (width) width.textContent = `${pen.width < 10 ? pen.width.toFixed(1) : Math.round(pen.width)} px`;
}

/** @param {number} factor */
function thicker(factor) {
  const shortest = Math.min(state.facts?.picture.width ?? 100, state.facts?.picture.height ?? 100);
  pen.width = clamp(pen.width * factor, 1, shortest / 20);
  showTools();
}

function listen() {
  // what was written is sent once; the field is empty again when the answer is here
  document.addEventListener("submit", (event) => { pen.sent = /** @type {HTMLFormElement} */ (event.target).closest("form[data-clears]"); });
  document.addEventListener("htmx:after:swap", () => {
    pen.sent?.reset();
    pen.sent = null;
  });
  document.addEventListener("click", (event) => {
    const target = /** @type {Element} */ (event.target), button = target.closest("[data-note-tool], [data-note-pen], [data-note-by], [data-note-tool-new], [data-note-show]");
    if (!button) return;
    const tool = button.getAttribute("data-note-tool"), colour = button.getAttribute("data-note-pen"), by = button.getAttribute("data-note-by"), shown = button.getAttribute("data-note-show");
    if (tool) pen.tool = tool;
    if (colour) pen.colour = colour;
    if (by) thicker(by === "thicker" ? STEP : 1 / STEP);
    if (button.hasAttribute("data-note-tool-new")) Object.assign(pen, { anew: !pen.anew, note: 0 });
    if (shown) /** @type {SVGElement | null} */ (document.querySelector(`[data-mark="${marks().findIndex((one) => String(one.note) === shown)}"]`))?.focus({ preventScroll: true });
    showTools();
  });
  document.addEventListener("keydown", (event) => {
    const typing = /** @type {Element} */ (event.target).matches?.("input, textarea, select");
    if (state.facts?.mode !== "notes" || typing || event.ctrlKey || event.metaKey) return;
    if (event.key === "Escape") {
      event.preventDefault();
      sendMove();
      /** @type {HTMLElement | null} */ (document.querySelector(".step[data-open] [data-close-step]"))?.click();
    } else if (event.key === "+" || event.key === "-") thicker(event.key === "+" ? STEP : 1 / STEP);
  });
}

/** @type {import("./mode_door.js").ModeTool} */
export const tool = { listen, read, parts, press, key, buttons: "[data-note-tool], [data-note-tool-new]" };
