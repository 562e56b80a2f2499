// Free pictures: shapes of places, sending when a choice is made, arrow keys over the sheet. Emits nothing.

function startFree() {
  for (const seat of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".seat[data-ratio]"))) shapeOf(seat);
  for (const form of /** @type {NodeListOf<HTMLFormElement>} */ (document.querySelectorAll("form[data-busy]"))) {
    form.addEventListener("submit", () => {
      const button = form.querySelector("button");
      if (!button) return;
      button.textContent = form.dataset.busy ?? "";
      window.setTimeout(() => { button.disabled = true; });
    });
  }
  document.querySelector(".free-cells [data-chosen]")?.scrollIntoView({ block: "nearest" });
  document.addEventListener("keydown", key);
}

/** A seat has its place's true shape, and the picture lies in it as it would there. @param {HTMLElement} seat */
function shapeOf(seat) {
  const [width, height] = (seat.dataset.ratio ?? "1 1").split(" ").map(Number);
  seat.style.aspectRatio = `${width} / ${height}`;
  if (width < height) seat.style.width = `${Math.max(30, (100 * width) / height)}%`;
  const drawn = (seat.dataset.drawn ?? "").split(" ").map(Number), image = seat.querySelector("img");
  if (drawn.length !== 4 || !image) return;
  Object.assign(image.style, { position: "absolute", left: `${(100 * drawn[0]) / width}%`, top: `${(100 * drawn[1]) / height}%`, width: `${(100 * drawn[2]) / width}%`, height: `${(100 * drawn[3]) / height}%` });
}

/** @param {KeyboardEvent} event */
function key(event) {
  const target = /** @type {Element} */ (event.target);
  if (target.matches("input, select, textarea") || event.ctrlKey || event.altKey || event.metaKey) return;
  const steps = /** @type {Record<string, number>} */ ({ ArrowLeft: -1, ArrowRight: 1 })[event.key];
  if (!steps) return;
  const links = /** @type {HTMLAnchorElement[]} */ ([...document.querySelectorAll(".free-cells a")]);
  const now = links.findIndex((one) => one === document.activeElement || (document.activeElement === document.body && one.hasAttribute("aria-current")));
  links[Math.min(Math.max(now + steps, 0), links.length - 1)]?.focus();
  event.preventDefault();
}

startFree();
