// How large the cells and prints of sheets are; each person's browser remembers it.

const key = () => `cells-${document.querySelector("[data-person]")?.getAttribute("data-person") ?? ""}`;

export function rememberSizes() {
  const begin = () => {
    if (!document.querySelector("[data-cells]")) return;
    show(localStorage.getItem(key()) ?? "middle");
    document.addEventListener("click", (event) => {
      const size = /** @type {Element} */ (event.target).closest("[data-cells]")?.getAttribute("data-cells");
      if (!size) return;
      localStorage.setItem(key(), size);
      show(size);
    });
  };
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
}

/** @param {string} size */
function show(size) {
  document.documentElement.dataset.cellSize = size;
  for (const button of document.querySelectorAll("[data-cells]")) button.setAttribute("aria-pressed", String(button.getAttribute("data-cells") === size));
}
