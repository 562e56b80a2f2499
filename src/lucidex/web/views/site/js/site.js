// The site: pictures are ticked page by page and taken one after the other, with their texts. Emits nothing.
import { csrf } from "../../../shell/js/requests.js";

let at = "", service = 0, stopped = false, working = false;

const byId = (/** @type {string} */ id) => /** @type {HTMLElement} */ (document.getElementById(id));
const boxes = () => /** @type {HTMLInputElement[]} */ ([...document.querySelectorAll("[data-address]")]);
const ticked = () => boxes().filter((one) => one.checked);

function startSite() {
  const seat = /** @type {HTMLElement | null} */ (document.querySelector("[data-site]"));
  if (!seat || !document.getElementById("site-take")) return;
  at = seat.dataset.site ?? "";
  service = Number(seat.dataset.service);
  seat.addEventListener("change", count);
  seat.addEventListener("click", (event) => {
    const all = /** @type {Element} */ (event.target).closest("[data-all]");
    if (!all || working) return;
    const those = /** @type {HTMLInputElement[]} */ ([...(all.closest(".site-page")?.querySelectorAll("[data-address]") ?? [])]);
    const wanted = those.some((one) => !one.checked);
    for (const one of those) one.checked = wanted;
    count();
  });
  byId("site-take").addEventListener("click", () => void take());
  byId("site-stop").addEventListener("click", () => { stopped = true; });
  count();
}

function count() {
  const many = ticked().length;
  for (const page of document.querySelectorAll(".site-page")) page.querySelector("[data-all]")?.toggleAttribute("hidden", page.querySelectorAll("[data-address]").length < 2);
  byId("site-count").textContent = many ? `${many} picture${many === 1 ? "" : "s"} ticked` : "Tick what you want to have.";
  byId("site-take").toggleAttribute("disabled", !many || working);
  byId("site-take").textContent = many === 1 ? "Take it, with its texts" : many ? `Take ${many}, with their texts` : "Take them, with their texts";
}

async function take() {
  const wanted = ticked();
  stopped = false;
  working = true;
  byId("site-stop").hidden = false;
  count();
  let done = 0, failed = 0;
  for (const box of wanted) {
    if (stopped) break;
    byId("site-progress").textContent = `${done + failed} of ${wanted.length} taken …`;
    const label = box.closest(".site-picture"), state = label?.querySelector(".site-state");
    const page = box.closest(".site-page")?.getAttribute("data-page") ?? "";
    try {
      const answer = await fetch(`${at}/take`, { method: "POST", headers: { "X-CSRF-Token": csrf(), "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify({ site: service, page, address: box.dataset.address }) });
      const body = await answer.json().catch(() => ({}));
      if (!answer.ok) throw new Error(body.detail ?? "It could not be taken. Try again.");
      done += 1;
      label?.setAttribute("data-here", "");
      if (state) {
        const link = document.createElement("a");
        Object.assign(link, { href: `/pictures/${body.picture_id}`, className: "link", textContent: "in the folio" });
        state.replaceChildren(link, ...(body.notes.length ? [` ${body.notes.join(" ")}`] : []));
      }
      box.remove();
    } catch (error) {
      failed += 1;
      if (state) {
        const words = document.createElement("span");
        words.className = "trouble";
        words.textContent = error instanceof Error && !(error instanceof TypeError) ? error.message : "The product does not answer. Is it still running?";
        state.replaceChildren(words);
      }
    }
  }
  working = false;
  byId("site-stop").hidden = true;
  const left = wanted.length - done - failed;
  byId("site-progress").textContent = [done ? `${done} taken, with their texts.` : "Nothing was taken.", failed ? `${failed} could not be taken: why stands beside each.` : "", left ? `Stopped; ${left} left.` : ""].filter(Boolean).join(" ");
  count();
}

startSite();
