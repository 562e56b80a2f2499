// What a click or a key has opened, the last one last: Escape closes that. Owns the order in which things were opened.
// Whatever opens says how it is closed again; what was closed otherwise by then is passed over.

/** @typedef {{isOpen: () => boolean, close: () => void}} Opened */

/** @type {Opened[]} */
const stack = [];

/** @param {Opened} one */
export function opened(one) {
  stack.push(one);
}

/** Close what was opened last and is still open; whether there was anything. */
function closeLast() {
  for (let one = stack.pop(); one; one = stack.pop()) {
    if (!one.isOpen()) continue;
    one.close();
    return true;
  }
  return false;
}

export function closeByEscape() {
  document.addEventListener("click", (event) => {
    const details = /** @type {Element} */ (event.target).closest("summary")?.parentElement;
    if (!(details instanceof HTMLDetailsElement) || details.open) return; // it opens behind this
    opened({ isOpen: () => details.isConnected && details.open, close: () => {
      details.open = false;
      details.querySelector("summary")?.focus();
    } });
  });
  document.addEventListener("htmx:after:swap", () => {
    for (const sheet of document.querySelectorAll("[data-sheet]:not([data-opened])")) {
      sheet.setAttribute("data-opened", "");
      opened({ isOpen: () => sheet.isConnected, close: () => sheet.remove() });
    }
  });
  document.addEventListener("keydown", (event) => {
    if (event.key !== "Escape" || event.defaultPrevented || !closeLast()) return;
    event.preventDefault();
    event.stopPropagation();
  }, true);
  // what is unfolded in its own seat lies below all of these, and gives way to whoever has a use of its own for the key
  window.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && !event.defaultPrevented) /** @type {HTMLElement | null} */ (document.querySelector("[data-close-step]"))?.click();
  });
}
