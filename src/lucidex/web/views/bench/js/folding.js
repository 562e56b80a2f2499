// The ledger and the wall fold to narrow rails, so that the picture gets the room; each person's browser remembers it.

const PANES = ["ledger", "wall"];

const key = () => `folded-${document.getElementById("bench")?.dataset.person ?? ""}`;

export function startFolding() {
  show(remembered());
  document.addEventListener("click", (event) => {
    const target = /** @type {Element} */ (event.target);
    const pane = target.closest("[data-fold]")?.getAttribute("data-fold");
    if (pane) fold(pane);
    const wanted = target.closest("[data-unfold]")?.getAttribute("data-unfold");
    if (wanted === "ledger") put(remembered().filter((one) => one !== wanted));
    // one of the small sheets at most is open
    for (const open of document.querySelectorAll("details.more[open]")) if (!open.contains(target)) open.removeAttribute("open");
  });
}

/** Fold a pane, or unfold it; with "both", fold both unless both are folded. @param {string} pane */
export function fold(pane) {
  const folded = remembered();
  if (pane === "both") put(folded.length === PANES.length ? [] : PANES);
  else put(folded.includes(pane) ? folded.filter((one) => one !== pane) : [...folded, pane]);
}

/** @returns {string[]} */
function remembered() {
  return (localStorage.getItem(key()) ?? "").split(" ").filter((one) => PANES.includes(one));
}

/** @param {string[]} folded */
function put(folded) {
  localStorage.setItem(key(), folded.join(" "));
  show(folded);
}

/** @param {string[]} folded */
function show(folded) {
  document.documentElement.dataset.folded = folded.join(" ");
}
