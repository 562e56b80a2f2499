// Two panes: the original and what was made of it, at the same scale around the same spot. Emits nothing.
import { imageOf, showPicture } from "./pictures.js";
import { inOriginal } from "./sight.js";
import { formatScale, originalSize, ratio, say, state } from "./stage_state.js";

const CAPTION = 30;

/** @param {HTMLElement} canvas @param {HTMLElement} stage @param {() => void} painted */
export function drawBeside(canvas, stage, painted) {
  const facts = state.facts;
  if (!facts) return;
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

/**
 * @param {HTMLElement} canvas @param {string} name @param {string} words @param {{width: number, height: number}} room
 * @param {{size: {width: number, height: number}, scale: number, at: {x: number, y: number}, address: string, closer: boolean}} sight
 * @param {HTMLElement} stage @param {() => void} painted
 */
function pane(canvas, name, words, room, sight, stage, painted) {
  let seat = /** @type {HTMLElement | null} */ (canvas.querySelector(`.${name}`));
  if (!seat) {
    seat = document.createElement("div");
    seat.className = `beside ${name}`;
    seat.innerHTML = "<div></div><p></p>";
    canvas.append(seat);
  }
  const ground = /** @type {HTMLElement} */ (seat.firstElementChild);
  const caption = seat.lastElementChild;
  if (caption) caption.textContent = words;
  const image = imageOf(ground, "beside-picture");
  image.classList.toggle("clear-ground", stage.dataset.clear === "true");
  image.alt = `${stage.dataset.alt ?? ""}, ${words}`;
  const origin = { x: Math.round(room.width / 2 - sight.at.x * sight.scale), y: Math.round(room.height / 2 - sight.at.y * sight.scale) };
  showPicture(image, { picture: sight.size, scale: sight.scale, origin, room, address: sight.address, closer: sight.closer }, painted);
}

/** @param {HTMLElement} canvas */
export const clearBeside = (canvas) => canvas.querySelectorAll(".beside").forEach((one) => one.remove());
