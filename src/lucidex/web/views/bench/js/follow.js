// After each answer: live fields show the server's numbers, and frames on the wall change only when the new
// picture can be shown whole. Emits nothing.

import { isMoving } from "./amounts.js";
import { ratio } from "./stage_state.js";

export function followServer() {
  document.addEventListener("htmx:after:swap", (event) => {
    const { request } = /** @type {CustomEvent} */ (event).detail.ctx;
    if (request.method === "POST") resetLiveFields();
    paintFrames();
  });
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", paintFrames);
  else paintFrames();
}

/** Morphing keeps what was typed; in a form that acts at once, what counts is what the server made of it. */
function resetLiveFields() {
  for (const field of document.querySelectorAll("form[data-live] input")) {
    const input = /** @type {HTMLInputElement} */ (field);
    if (isMoving(input.form)) continue; // somebody has it in hand again already
    if (input.type === "radio" || input.type === "checkbox") input.checked = input.defaultChecked;
    else input.value = input.defaultValue;
  }
}

/** The file of a frame, or what it will show while it is made: as large as it hangs, or at its own size. @param {HTMLElement | null} image @param {number} [longest] */
export function addressOfFrame(image, longest) {
  const { src, draft } = image?.dataset ?? {};
  return src ?? (draft ? draft + (longest ? `&longest=${longest}` : "") : "");
}

function paintFrames() {
  for (const frame of document.querySelectorAll("img[data-src], img[data-draft]")) {
    const image = /** @type {HTMLImageElement} */ (frame);
    const seen = Math.ceil(Math.max(image.width, image.height) * ratio());
    const wanted = addressOfFrame(image, seen);
    if (image.getAttribute("src") === wanted || image.dataset.coming === wanted) continue;
    image.dataset.coming = wanted;
    const next = new Image();
    next.src = wanted;
    next.decode().catch(() => undefined).then(() => {
      if (addressOfFrame(image, seen) === wanted) image.src = wanted;
    });
  }
}
