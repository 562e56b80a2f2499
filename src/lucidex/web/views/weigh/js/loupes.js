// Two loupes on the same spot of a file, before and after it is written, at actual pixels; flipped in place by a key.
// Asks for parts of pictures; emits nothing.

/** @typedef {{at: string, size: {width: number, height: number}, key: string}} Sheet */

const loupes = () => /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".loupe")]);

/** What is looked at: the left upper corner, in the file's pixels, and how many times each is shown. */
const sight = { left: 0, top: 0, times: 1 };
/** @type {{name: string, quality: number} | null} */
let shown = null;
/** @type {Sheet} */
let sheet;

/** How many of the file's pixels a loupe shows. */
export function reach() {
  const glass = loupes()[0]?.firstElementChild, ratio = window.devicePixelRatio || 1;
  const width = Math.floor(((glass?.clientWidth || 1) * ratio) / sight.times), height = Math.floor(((glass?.clientHeight || 1) * ratio) / sight.times);
  return { width: Math.max(1, Math.min(width, sheet.size.width, 1600)), height: Math.max(1, Math.min(height, sheet.size.height, 1600)) };
}

/** @param {Sheet} one */
export function startLoupes(one) {
  sheet = one;
  lookAt(sheet.size.width / 2, sheet.size.height / 2);
  for (const loupe of loupes()) {
    loupe.addEventListener("pointerdown", drag);
    loupe.addEventListener("keydown", walk);
  }
  for (const button of document.querySelectorAll("[data-times]")) button.addEventListener("click", () => closer(Number(button.getAttribute("data-times"))));
  const held = document.querySelector("[data-flip-held]");
  held?.addEventListener("pointerdown", () => flip(true));
  for (const name of ["pointerup", "pointercancel", "blur"]) window.addEventListener(name, () => flip(false));
  window.addEventListener("keydown", (event) => {
    if (event.key.toLowerCase() === "d" && !event.ctrlKey && !event.metaKey && !event.altKey) flip(true);
  });
  window.addEventListener("keyup", (event) => {
    if (event.key.toLowerCase() === "d") flip(false);
  });
  held?.addEventListener("keydown", (event) => {
    if (event instanceof KeyboardEvent && (event.key === " " || event.key === "Enter")) flip(true);
  });
  held?.addEventListener("keyup", () => flip(false));
  new ResizeObserver(() => show()).observe(/** @type {Element} */ (loupes()[0].firstElementChild));
}

/** The file of a point. @param {string} name @param {number} quality */
export function showFile(name, quality) {
  shown = { name, quality };
  show();
}

/** Look at a spot by its middle. @param {number} x @param {number} y */
export function lookAt(x, y) {
  const part = reach();
  sight.left = x - part.width / 2;
  sight.top = y - part.height / 2;
  show();
}

/** @param {number} times */
function closer(times) {
  const before = reach(), x = sight.left + before.width / 2, y = sight.top + before.height / 2;
  sight.times = times;
  for (const button of document.querySelectorAll("[data-times]")) button.setAttribute("aria-pressed", String(Number(button.getAttribute("data-times")) === times));
  for (const words of document.querySelectorAll("[data-magnified]")) words.textContent = times === 1 ? "actual pixels" : `actual pixels × ${times}`;
  lookAt(x, y);
}

function show() {
  if (!sheet) return;
  const part = reach();
  sight.left = Math.round(Math.min(Math.max(sight.left, 0), sheet.size.width - part.width));
  sight.top = Math.round(Math.min(Math.max(sight.top, 0), sheet.size.height - part.height));
  const spot = `left=${sight.left}&top=${sight.top}&width=${part.width}&height=${part.height}&v=${sheet.key}`;
  const before = `${sheet.at}/part?${spot}`, after = shown ? `${before}&name=${shown.name}&quality=${shown.quality}` : "";
  const [left, right, flipped] = /** @type {HTMLImageElement[]} */ ([...document.querySelectorAll(".loupe img")]);
  for (const [image, address] of /** @type {[HTMLImageElement, string][]} */ ([[left, before], [right, after], [flipped, before]])) {
    image.style.transform = "";
    const ratio = window.devicePixelRatio || 1;
    Object.assign(image.style, { width: `${(part.width * sight.times) / ratio}px`, height: `${(part.height * sight.times) / ratio}px` });
    if (address && image.getAttribute("src") !== address) image.src = address;
  }
}

/** @param {boolean} on */
function flip(on) {
  const flipped = /** @type {HTMLElement | null} */ (document.querySelector("[data-flip]"));
  if (!flipped) return;
  flipped.hidden = !on;
  document.getElementById("loupe-after")?.toggleAttribute("data-flipped", on);
}

/** @param {PointerEvent} down */
function drag(down) {
  if (/** @type {Element} */ (down.target).closest("button")) return;
  down.preventDefault();
  /** @type {HTMLElement} */ (down.currentTarget).focus();
  const from = { ...sight }, ratio = window.devicePixelRatio || 1;
  const move = (/** @type {PointerEvent} */ event) => {
    const by = { x: event.clientX - down.clientX, y: event.clientY - down.clientY };
    sight.left = from.left - (by.x * ratio) / sight.times;
    sight.top = from.top - (by.y * ratio) / sight.times;
    for (const image of document.querySelectorAll(".loupe img")) /** @type {HTMLElement} */ (image).style.transform = `translate(${by.x}px, ${by.y}px)`;
  };
  const end = () => {
    window.removeEventListener("pointermove", move);
    show();
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end, { once: true });
}

/** @param {KeyboardEvent} event */
function walk(event) {
  const steps = /** @type {Record<string, [number, number]>} */ ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] })[event.key];
  if (!steps || event.ctrlKey || event.metaKey || event.altKey) return;
  event.preventDefault();
  const part = reach();
  sight.left += (steps[0] * part.width) / 4;
  sight.top += (steps[1] * part.height) / 4;
  show();
}
