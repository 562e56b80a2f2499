// A small picture that did not come is asked for again, a few times and ever later; then its seat says so. Owns how often
// each was tried.

const WAITS_MS = [1_500, 5_000, 15_000];

/** @type {WeakMap<HTMLImageElement, number>} */
const tries = new WeakMap();

export function askAgain() {
  // errors of pictures do not bubble
  document.addEventListener("error", (event) => {
    const image = event.target;
    if (!(image instanceof HTMLImageElement) || !image.currentSrc.startsWith(location.origin)) return;
    const tried = tries.get(image) ?? 0, wait = WAITS_MS[tried], address = image.getAttribute("src") ?? "";
    if (wait === undefined) return image.setAttribute("data-lost", "");
    tries.set(image, tried + 1);
    window.setTimeout(() => {
      // something else may stand there by now
      if (image.isConnected && image.getAttribute("src") === address) image.src = address;
    }, wait);
  }, true);
  document.addEventListener("load", (event) => {
    if (event.target instanceof HTMLImageElement) {
      tries.delete(event.target);
      event.target.removeAttribute("data-lost");
    }
  }, true);
}
