// Two panes: the original and what was made of it, at the same scale around the same spot. Emits nothing.
import { addressOfFrame } from "./follow.js";
import { imageOf, showPicture } from "./pictures.js";
import { inOriginal } from "./sight.js";
import { formatScale, originalSize, ratio, say, state } from "./stage_state.js";

const CAPTION = 30;
const WAYS = [
  ["picture", "as it came in | as it is now"],
  ["compressed", "in the place: before compression | the file"],
  ["original", "in the place: as it came in | the file"],
];

/** @param {HTMLElement} canvas @param {HTMLElement} stage @param {() => void} painted */
export function drawBeside(canvas, stage, painted) {
  const facts = state.facts;
  if (!facts) return;
  if (state.compared !== "picture" && facts.shown && facts.output) return drawFiles(canvas, stage, painted);
  const room = { width: Math.floor(stage.clientWidth / 2) - 1, height: stage.clientHeight - CAPTION };
  const original = originalSize(), picture = facts.picture;
  const middle = state.closer > 1 && state.middle ? state.middle : { x: picture.width / 2, y: picture.height / 2 };
  const there = inOriginal(middle);
  const whole = { x: original.width / 2, y: original.height / 2 };
  // one scale for both, counted in pixels of the original
  const fit = (/** @type {{width: number, height: number}} */ size, /** @type {number} */ by) => Math.min((room.width - 24) / (size.width * by), (room.height - 24) / (size.height * by));
  const scale = Math.min(fit(original, 1), fit(picture, there.across), Math.max(1, 260 / Math.max(original.width, original.height))) * state.closer;
  const closer = state.closer > 1;
  pane(canvas, "beside-left", "as it came in", room, { size: original, scale, at: closer ? there : whole, address: stage.dataset.original ?? "", closer }, stage, painted);
  pane(canvas, "beside-right", "as it is now", room, { size: picture, scale: scale * there.across, at: middle, address: facts.preview, closer }, stage, painted);
  say(`${formatScale(scale * ratio() * 100)} %`, "");
}

/** The file of the chosen place, and the same before it was compressed, or without the steps; pixel over pixel. @param {HTMLElement} canvas @param {HTMLElement} stage @param {() => void} painted */
function drawFiles(canvas, stage, painted) {
  const facts = state.facts;
  if (!facts?.output || !facts.shown) return;
  const size = facts.output, picture = facts.picture;
  const room = { width: Math.floor(stage.clientWidth / 2) - 1, height: stage.clientHeight - CAPTION };
  const scale = Math.min((room.width - 24) / size.width, (room.height - 24) / size.height, 1 / ratio()) * state.closer;
  const share = state.closer > 1 && state.middle ? { x: state.middle.x / picture.width, y: state.middle.y / picture.height } : { x: 0.5, y: 0.5 };
  const origin = { x: Math.round(room.width / 2 - share.x * size.width * scale), y: Math.round(room.height / 2 - share.y * size.height * scale) };
  const chosen = /** @type {HTMLImageElement | null} */ (document.querySelector(".frame[data-chosen] img"));
  const file = stage.dataset.result || addressOfFrame(chosen), key = file.split("key=")[1] ?? "";
  const plain = `${facts.shown.address.replace(/-again$/, "")}-plain?v=${key}${state.compared === "original" ? "&original=true" : ""}`;
  for (const [name, words, address] of [["beside-left", "", plain], ["beside-right", `the file for ${stage.dataset.place}`, file]]) {
    const seat = seatOf(canvas, name, words), image = imageOf(/** @type {HTMLElement} */ (seat.firstElementChild), "beside-picture");
    image.alt = `${stage.dataset.alt ?? ""}, ${words}`;
    if (image.getAttribute("src") !== address) {
      image.addEventListener("load", painted, { once: true });
      image.src = address;
    }
    Object.assign(image.style, { left: `${origin.x}px`, top: `${origin.y}px`, width: `${size.width * scale}px`, height: `${size.height * scale}px`, transform: "", imageRendering: scale * ratio() >= 3 ? "pixelated" : "auto" });
  }
  say(`${formatScale(scale * ratio() * 100)} %`, "");
}

/** @param {HTMLElement} canvas @param {string} name @param {string} words */
function seatOf(canvas, name, words) {
  let seat = /** @type {HTMLElement | null} */ (canvas.querySelector(`.${name}`));
  if (!seat) {
    seat = document.createElement("div");
    seat.className = `beside ${name}`;
    seat.innerHTML = "<div></div><p></p>";
    canvas.append(seat);
  }
  const caption = /** @type {HTMLElement} */ (seat.lastElementChild);
  if (name === "beside-left" && state.facts?.output) choices(caption);
  else caption.textContent = words || "as it came in";
  return seat;
}

/** What stands on the left can be chosen where a place is. @param {HTMLElement} caption */
function choices(caption) {
  let select = caption.querySelector("select");
  if (!select) {
    caption.replaceChildren();
    select = document.createElement("select");
    select.setAttribute("aria-label", "What is compared");
    for (const [value, words] of WAYS) select.add(new Option(words, value));
    select.addEventListener("change", () => {
      state.compared = /** @type {HTMLSelectElement} */ (select).value;
      caption.closest("#stage-canvas")?.dispatchEvent(new CustomEvent("compared", { bubbles: true }));
    });
    caption.append(select);
  }
  select.value = state.compared;
}

/**
 * @param {HTMLElement} canvas @param {string} name @param {string} words @param {{width: number, height: number}} room
 * @param {{size: {width: number, height: number}, scale: number, at: {x: number, y: number}, address: string, closer: boolean}} sight
 * @param {HTMLElement} stage @param {() => void} painted
 */
function pane(canvas, name, words, room, sight, stage, painted) {
  const seat = seatOf(canvas, name, words);
  const ground = /** @type {HTMLElement} */ (seat.firstElementChild);
  const image = imageOf(ground, "beside-picture");
  image.classList.toggle("clear-ground", stage.dataset.clear === "true");
  image.alt = `${stage.dataset.alt ?? ""}, ${words}`;
  const origin = { x: Math.round(room.width / 2 - sight.at.x * sight.scale), y: Math.round(room.height / 2 - sight.at.y * sight.scale) };
  showPicture(image, { picture: sight.size, scale: sight.scale, origin, room, address: sight.address, closer: sight.closer }, painted);
}

/** @param {HTMLElement} canvas */
export const clearBeside = (canvas) => canvas.querySelectorAll(".beside").forEach((one) => one.remove());
