// The little arithmetic that a dragged window needs; the same rules as core/geometry, checked against its vectors.
// Windows are {left, top, width, height} in pixels of the picture.

/** @typedef {{left: number, top: number, width: number, height: number}} Win */
/** @typedef {{width: number, height: number}} Extent */

/** @param {number} value @param {number} low @param {number} high */
export const clamp = (value, low, high) => Math.min(Math.max(value, low), Math.max(low, high));

/** The largest part of a picture with a place's exact shape. @param {Extent} picture @param {Extent} place @returns {Extent} */
export function coveringWindow(picture, place) {
  if (picture.width * place.height <= picture.height * place.width) {
    return { width: picture.width, height: (picture.width * place.height) / place.width };
  }
  return { width: (picture.height * place.width) / place.height, height: picture.height };
}

/** The window moved, held inside the picture. @param {Win} win @param {number} dx @param {number} dy @param {Extent} picture @returns {Win} */
export function moved(win, dx, dy, picture) {
  return {
    ...win,
    left: clamp(win.left + dx, 0, picture.width - win.width),
    top: clamp(win.top + dy, 0, picture.height - win.height),
  };
}

/**
 * The window with the side or corner `grip` (for example "left top" or "right") pulled to a point.
 * With a shape, proportions are kept and the opposite corner stays.
 * @param {Win} win @param {string} grip @param {{x: number, y: number}} to @param {Extent} picture @param {number[] | null} shape @returns {Win}
 */
export function pulled(win, grip, to, picture, shape) {
  let left = win.left, top = win.top, right = win.left + win.width, bottom = win.top + win.height;
  if (grip.includes("left")) left = clamp(to.x, 0, right - 1);
  if (grip.includes("right")) right = clamp(to.x, left + 1, picture.width);
  if (grip.includes("top")) top = clamp(to.y, 0, bottom - 1);
  if (grip.includes("bottom")) bottom = clamp(to.y, top + 1, picture.height);
  if (!shape) return { left, top, width: right - left, height: bottom - top };
  const ratio = shape[0] / shape[1];
  const fromLeft = !grip.includes("left"), fromTop = !grip.includes("top");
  const roomX = fromLeft ? picture.width - win.left : win.left + win.width;
  const roomY = fromTop ? picture.height - win.top : win.top + win.height;
  const width = Math.min(Math.max(right - left, (bottom - top) * ratio), roomX, roomY * ratio);
  const height = width / ratio;
  return {
    left: fromLeft ? win.left : win.left + win.width - width,
    top: fromTop ? win.top : win.top + win.height - height,
    width,
    height,
  };
}

/** The window made larger or smaller about its centre. @param {Win} win @param {number} factor @param {Extent} picture @returns {Win} */
export function scaled(win, factor, picture) {
  const most = Math.min(picture.width / win.width, picture.height / win.height);
  const by = Math.min(factor, most);
  const width = Math.max(1, win.width * by), height = Math.max(1, win.height * by);
  const grown = { left: win.left + (win.width - width) / 2, top: win.top + (win.height - height) / 2, width, height };
  return moved(grown, 0, 0, picture);
}

/** Whole pixels: the size first, then the origin. @param {Win} win @param {Extent} picture @returns {Win} */
export function whole(win, picture) {
  const width = clamp(Math.round(win.width), 1, picture.width), height = clamp(Math.round(win.height), 1, picture.height);
  return {
    width,
    height,
    left: clamp(Math.round(win.left), 0, picture.width - width),
    top: clamp(Math.round(win.top), 0, picture.height - height),
  };
}
