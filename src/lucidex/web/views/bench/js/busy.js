// What takes longer than a blink is said, in a seat of its own at the foot of the picture. Emits nothing.

const BLINK_MS = 500;

/** Say that something is being computed until it is there. @param {Promise<unknown>} work @param {string} words */
export function sayWhile(work, words) {
  const seat = document.getElementById("stage-busy");
  const timer = window.setTimeout(() => { if (seat) seat.textContent = words; }, BLINK_MS);
  const end = () => {
    clearTimeout(timer);
    if (seat?.textContent === words) seat.textContent = "";
  };
  work.then(end, end);
}
