// Moments in the zone and words of whoever looks: “today, 14:05”. The page carries them in UTC, and says so without
// this script. Emits nothing.

const MONTHS = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"];

export function sayTimes() {
  const say = () => {
    for (const seat of document.querySelectorAll("time[data-utc]")) {
      seat.textContent = inWords(new Date(seat.getAttribute("datetime") ?? ""), new Date());
      seat.removeAttribute("data-utc");
    }
  };
  document.addEventListener("DOMContentLoaded", say);
  document.addEventListener("htmx:after:swap", say);
}

/** A moment in words, as seen from another one. @param {Date} at @param {Date} from */
export function inWords(at, from) {
  const two = (/** @type {number} */ number) => String(number).padStart(2, "0");
  const clock = `${two(at.getHours())}:${two(at.getMinutes())}`;
  const days = Math.round((midnight(from) - midnight(at)) / 86_400_000);
  if (days === 0) return `today, ${clock}`;
  if (days === 1) return `yesterday, ${clock}`;
  const year = at.getFullYear() === from.getFullYear() ? "" : ` ${at.getFullYear()}`;
  return `${at.getDate()} ${MONTHS[at.getMonth()]}${year}, ${clock}`;
}

/** @param {Date} at */
function midnight(at) {
  return new Date(at.getFullYear(), at.getMonth(), at.getDate()).getTime();
}
