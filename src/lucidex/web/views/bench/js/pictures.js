// Pictures on the stage: each image knows which window of the picture it shows, moves with the sight at once, and
// is replaced by a sharper one when that can be shown whole. Owns which window each image shows. Emits nothing.
import { sayWhile } from "./busy.js";
import { ratio } from "./stage_state.js";
import { clamp } from "../../../shell/js/window_math.js";

/** @typedef {import("../../../shell/js/window_math.js").Win} Win */
/** @typedef {import("../../../shell/js/window_math.js").Extent} Extent */
/** @typedef {{picture: Extent, scale: number, origin: {x: number, y: number}, room: Extent, address: string, closer: boolean}} Sight */

const MOST = 4000;
const PAUSE_MS = 90;

/** What an image shows, as the how manieth that was asked for, and the address that it is to show in the end. */
/** @typedef {{shows: Win | null, wanted: string, asked: number, shown: number, timer?: number}} Held */
/** @type {WeakMap<HTMLImageElement, Held>} */
const held = new WeakMap();

/** Show what a sight asks for. @param {HTMLImageElement} image @param {Sight} sight @param {() => void} painted */
export function showPicture(image, sight, painted) {
  const known = held.get(image) ?? { shows: null, wanted: "", asked: 0, shown: 0 };
  held.set(image, known);
  if (known.shows) place(image, known.shows, sight);
  const part = sight.closer ? visible(sight) : { left: 0, top: 0, ...sight.picture };
  const wanted = part && addressOf(sight, part);
  if (!wanted || known.wanted === wanted) return;
  clearTimeout(known.timer);
  const fetch = () => {
    known.wanted = wanted;
    const number = ++known.asked, next = new Image();
    next.src = wanted;
    // the old picture stays until the new one can be shown whole
    const coming = next.decode().catch(() => undefined);
    sayWhile(coming, "The picture is being computed …");
    coming.then(() => {
      const now = latest.get(image) ?? sight;
      // whoever moves on meanwhile sees what came, until what is asked for by now comes too; nothing older than shown
      if (known.wanted !== wanted && (number < known.shown || now.address !== sight.address)) return;
      Object.assign(known, { shows: part, shown: number });
      replaceSource(image, wanted);
      image.style.transform = "";
      place(image, part, now);
      painted();
    });
  };
  if (sight.closer && known.shows) known.timer = window.setTimeout(fetch, PAUSE_MS);
  else fetch();
}

/** @type {WeakMap<HTMLImageElement, Sight>} */
const latest = new WeakMap();

/** @param {HTMLImageElement} image @param {Win} part @param {Sight} sight */
function place(image, part, sight) {
  latest.set(image, sight);
  const { scale, origin } = sight;
  Object.assign(image.style, {
    left: `${origin.x + part.left * scale}px`, top: `${origin.y + part.top * scale}px`,
    width: `${Math.max(1, part.width * scale)}px`, height: `${Math.max(1, part.height * scale)}px`,
    imageRendering: scale * ratio() >= 3 ? "pixelated" : "auto",
  });
}

/** The part of the picture that can be seen, on whole pixels. @param {Sight} sight @returns {Win | null} */
function visible({ picture, scale, origin, room }) {
  const left = clamp(Math.floor(-origin.x / scale), 0, picture.width), top = clamp(Math.floor(-origin.y / scale), 0, picture.height);
  const right = clamp(Math.ceil((room.width - origin.x) / scale), 0, picture.width), bottom = clamp(Math.ceil((room.height - origin.y) / scale), 0, picture.height);
  return right > left && bottom > top ? { left, top, width: right - left, height: bottom - top } : null;
}

/** Never more pixels than the part has: what is larger is magnified, not computed. @param {Sight} sight @param {Win} part */
function addressOf(sight, part) {
  const by = sight.closer ? Math.min(sight.scale * ratio(), 1) : sight.scale * ratio();
  const width = clamp(Math.round(part.width * by), 1, MOST), height = clamp(Math.round(part.height * by), 1, MOST);
  const whole = part.width === sight.picture.width && part.height === sight.picture.height && !sight.closer;
  return `${sight.address}&w=${width}&h=${height}` + (whole ? "" : `&part=${part.left},${part.top},${part.width},${part.height}`);
}

/** What a draft of an image asks for: the window that is seen, at the pixels that are shown. @param {HTMLImageElement} image */
export function draftOf(image) {
  const sight = latest.get(image);
  if (!sight) return { query: "", part: null };
  const part = sight.closer ? visible(sight) : { left: 0, top: 0, ...sight.picture };
  return { query: part ? addressOf({ ...sight, address: "" }, part) : "", part };
}

/** Show a draft until a picture is asked for again. @param {HTMLImageElement} image @param {Blob} content @param {Win | null} part @param {() => boolean} stillWanted @returns {Promise<boolean>} */
export async function showDraft(image, content, part, stillWanted) {
  const known = held.get(image), sight = latest.get(image);
  if (!known || !sight || !part) return false;
  const next = new Image(), address = URL.createObjectURL(content);
  next.src = address;
  await next.decode().catch(() => undefined);
  if (!stillWanted()) {
    URL.revokeObjectURL(address);
    return false;
  }
  Object.assign(known, { shows: part, wanted: "a draft", shown: ++known.asked });
  replaceSource(image, address);
  place(image, part, latest.get(image) ?? sight);
  return true;
}

/** Show something else, and let go of the draft that was shown. @param {HTMLImageElement} image @param {string} address */
function replaceSource(image, address) {
  const before = image.src;
  image.src = address;
  if (before.startsWith("blob:")) URL.revokeObjectURL(before);
}

/** An image of its own on the stage. @param {Element} canvas @param {string} name */
export function imageOf(canvas, name) {
  let image = /** @type {HTMLImageElement | null} */ (canvas.querySelector(`img.${name}`));
  if (!image) {
    image = document.createElement("img");
    image.draggable = false;
    image.classList.add(name);
    canvas.prepend(image);
  }
  return image;
}
