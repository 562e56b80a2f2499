// One tab stop for each group of controls, after the toolbar pattern of the ARIA practices guide: within a group that says
// data-roving, arrow keys go on, Home and End to its ends. Owns which control of a group is its stop: the one that was
// used last, else the one that says data-roving-first. A group that says "own" goes on by keys of its own; what stands in
// data-roving-not is reached by Tab as everywhere. Stops are settled when Tab is pressed, so that nothing is to be told
// when a part of the page is exchanged.

const CONTROLS = "a[href], button, input, select, textarea, summary, [tabindex]";
const TYPED = "input:not([type=checkbox]), select, textarea";

/** @type {WeakMap<Element, HTMLElement>} */
const stops = new WeakMap();
/** Those whose tabindex was set here. @type {WeakSet<HTMLElement>} */
const passed = new WeakSet();

/** Listens before anything else does, so that arrow keys within a group move nothing besides. */
export function goByGroups() {
  document.addEventListener("focusin", (event) => {
    const control = /** @type {HTMLElement} */ (event.target), group = groupOf(control);
    if (group) stops.set(group, control);
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Tab") {
      for (const group of document.querySelectorAll("[data-roving]")) settle(group);
      return;
    }
    const control = event.target, group = control instanceof HTMLElement ? groupOf(control) : null;
    if (!group || !(control instanceof HTMLElement) || event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return;
    if (/** @type {HTMLElement} */ (group).dataset.roving === "own" || control.matches(TYPED)) return;
    const next = nextTo(controlsOf(group), control, event.key);
    if (!next) return;
    event.preventDefault();
    event.stopPropagation();
    next.focus();
  }, true);
}

/** @param {Element} control @returns {Element | null} */
function groupOf(control) {
  const near = control.closest("[data-roving], [data-roving-not]");
  return near?.hasAttribute("data-roving") ? near : null;
}

/** What can be reached in a group, in the order of the page. @param {Element} group @returns {HTMLElement[]} */
function controlsOf(group) {
  const all = /** @type {HTMLElement[]} */ ([...group.querySelectorAll(CONTROLS)]);
  return all.filter((one) => groupOf(one) === group && !one.matches(":disabled, [type=hidden]") && (passed.has(one) || one.tabIndex >= 0) && one.checkVisibility());
}

/** @param {HTMLElement[]} all @param {HTMLElement} control @param {string} key @returns {HTMLElement | undefined} */
export function nextTo(all, control, key) {
  const at = all.indexOf(control);
  if (key === "ArrowRight" || key === "ArrowDown") return all[(at + 1) % all.length];
  if (key === "ArrowLeft" || key === "ArrowUp") return all.at(at - 1);
  if (key === "Home") return all[0];
  if (key === "End") return all.at(-1);
  return undefined;
}

/** @param {Element} group */
function settle(group) {
  const all = controlsOf(group), used = stops.get(group);
  const first = all.find((one) => one.hasAttribute("data-roving-first"));
  const stop = used && all.includes(used) ? used : first ?? all[0];
  const beside = stop?.closest("[data-roving-beside]"); // what belongs to one thing of a group is reached from it
  for (const one of all) {
    if (one === stop || beside?.contains(one)) {
      if (passed.delete(one)) one.removeAttribute("tabindex");
    } else {
      passed.add(one); // also one whose attribute went when its part of the page was exchanged
      if (one.tabIndex !== -1) one.tabIndex = -1;
    }
  }
}
