// Words on the finished size: moved and typed on the picture. They move with the pointer as they were drawn last;
// the exact picture comes with the answer. Emits one change when a gesture or the typing ends.
import { shape } from "../../../shell/js/drawing.js";
import { follow, onStage, post, redraw } from "./gestures.js";
import { byId, rect, state, toPicture } from "./stage_state.js";

const KEY_PAUSE_MS = 400, STILL = 4, TYPING_PAUSE_MS = 350;

const words = {
  moved: { x: 0, y: 0 },
  /** @type {number | undefined} */ timer: undefined,
  /** @type {number | undefined} */ typing: undefined,
  /** @type {HTMLTextAreaElement | null} */ field: null,
  shown: "",
};

function read() {
  const facts = state.facts?.mode === "text" ? state.facts.words : undefined;
  const now = facts ? `${facts.address} ${facts.x} ${facts.y}` : "";
  if (now !== words.shown) words.moved = { x: 0, y: 0 };
  words.shown = now;
  if (words.field && state.facts?.mode !== "text") closeField();
}

/** @returns {Element[]} */
function parts() {
  const facts = state.facts?.words;
  if (!facts) return [];
  const { x: dx, y: dy } = words.moved;
  const all = rect({ left: facts.left + dx, top: facts.top + dy, width: facts.width, height: facts.height });
  const box = rect({ left: facts.x + dx, top: facts.y + dy, width: facts.wide, height: facts.high });
  const image = shape("image", { class: "stamp", href: facts.address, preserveAspectRatio: "none", x: all.left, y: all.top, width: all.width, height: all.height });
  if (words.field) placeField();
  const group = shape("g", {
    class: "words-box", tabindex: 0, role: "button", "aria-label": `The words “${facts.text.slice(0, 80)}”. Arrow keys move them, Enter types.`,
  }, [shape("rect", { class: "words-edge", x: box.left - 6, y: box.top - 6, width: box.width + 12, height: box.height + 12, "data-grip": "words" })]);
  return [image, group];
}

/** @param {SVGElement} lines @param {PointerEvent} event @param {string} grip */
function press(lines, event, grip) {
  if (grip !== "words" || !state.facts?.words) return;
  const from = toPicture(onStage(event, lines)), before = { ...words.moved };
  follow(lines, event, (next) => {
    const to = toPicture(onStage(next, lines));
    words.moved = held({ x: before.x + to.x - from.x, y: before.y + to.y - from.y });
    redraw();
  }, () => {
    if (Math.hypot(words.moved.x - before.x, words.moved.y - before.y) * state.scale < STILL) {
      words.moved = before;
      return openField();
    }
    send();
  });
}

/** Words stay inside the finished size. @param {{x: number, y: number}} by */
function held(by) {
  const facts = state.facts, box = facts?.words;
  if (!facts || !box) return by;
  const within = (/** @type {number} */ value, /** @type {number} */ at, /** @type {number} */ long, /** @type {number} */ room) => Math.min(Math.max(value, -at), Math.max(-at, room - long - at));
  return { x: within(by.x, box.x, box.wide, facts.picture.width), y: within(by.y, box.y, box.high, facts.picture.height) };
}

/** Where they are by now, at once. */
function send() {
  clearTimeout(words.timer);
  const box = state.facts?.words;
  if (!box || (!words.moved.x && !words.moved.y)) return;
  void post({ x: box.x + words.moved.x + box.wide / 2, y: box.y + words.moved.y + box.high / 2 }, "/at");
}

/** @param {KeyboardEvent} event */
function key(event) {
  const target = /** @type {Element} */ (event.target);
  if (!target.closest(".words-box")) return false;
  if (event.key === "Enter" || event.key === "F2") {
    event.preventDefault();
    openField();
    return true;
  }
  const by = event.shiftKey ? 10 : 1;
  const way = /** @type {Record<string, [number, number]>} */ ({ ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, -by], ArrowDown: [0, by] })[event.key];
  if (!way) return false;
  event.preventDefault();
  words.moved = held({ x: words.moved.x + way[0], y: words.moved.y + way[1] });
  redraw();
  clearTimeout(words.timer);
  words.timer = window.setTimeout(send, KEY_PAUSE_MS);
  return true;
}

/** A field over the words, in which they are typed. */
function openField() {
  const stage = byId("stage-canvas"), facts = state.facts?.words;
  if (!stage || !facts || words.field) return;
  send();
  const field = document.createElement("textarea");
  Object.assign(field, { className: "words-typed", value: facts.text, maxLength: 2000, dir: "auto", ariaLabel: "Words" });
  words.field = field;
  stage.append(field);
  placeField();
  field.focus();
  field.select();
  let sent = facts.text;
  const change = () => {
    if (field.value === sent) return;
    sent = field.value;
    void post({ text: sent }, "/typed");
  };
  field.addEventListener("input", () => { clearTimeout(words.typing); words.typing = window.setTimeout(change, TYPING_PAUSE_MS); });
  field.addEventListener("blur", () => { clearTimeout(words.typing); change(); closeField(); });
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape" || (event.key === "Enter" && (event.ctrlKey || event.metaKey))) {
      event.preventDefault();
      field.blur();
      /** @type {HTMLElement | null} */ (document.querySelector(".words-box"))?.focus();
    }
  });
}

function placeField() {
  const facts = state.facts?.words;
  if (!words.field || !facts) return;
  const box = rect({ left: facts.x + words.moved.x, top: facts.y + words.moved.y, width: facts.wide, height: facts.high });
  Object.assign(words.field.style, { left: `${box.left - 8}px`, top: `${box.bottom + 10}px`, width: `${Math.max(220, box.width + 16)}px` });
}

function closeField() {
  words.field?.remove();
  words.field = null;
}

function listen() {
  document.addEventListener("keydown", (event) => {
    const typing = /** @type {Element} */ (event.target).matches?.("input, textarea, select");
    if (state.facts?.mode !== "text" || event.key !== "Escape" || typing) return;
    event.preventDefault();
    send();
    /** @type {HTMLElement | null} */ (document.querySelector(".step[data-open] [data-close-step]"))?.click();
  });
}

/** @type {import("./mode_door.js").ModeTool} */
export const tool = { listen, read, parts, press, key };
