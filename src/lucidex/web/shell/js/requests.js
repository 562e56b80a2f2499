// Guards every request of the page: the session's token, the document's version, and what to do on a conflict.
// Listens to htmx; on a conflict it can repeat the refused request on top of the other change. Owns the request that was
// refused last.

/** What a form sends, field by field: a name may stand there several times. @typedef {[string, string][]} Fields */

/** @type {{action: string, fields: Fields} | null} */
let refused = null;
/** What the request that is being put together sends instead of what stands on the page. @type {Fields | null} */
let instead = null;

export const csrf = () => document.querySelector("meta[name=csrf]")?.getAttribute("content") ?? "";

const bench = () => document.getElementById("bench");

export function guardRequests() {
  document.addEventListener("htmx:before:request", (event) => {
    // set as late as this, because a queued request must carry the version that the one before it made
    const { request } = contextOf(event);
    request.headers["X-CSRF-Token"] = csrf();
    request.headers["X-Version"] = bench()?.dataset.version ?? "0";
  });
  document.addEventListener("htmx:after:request", (event) => {
    const { request, response } = contextOf(event);
    if (response?.status !== 409) return;
    const body = /** @type {URLSearchParams | null} */ (request.body);
    refused = { action: request.action, fields: [...(body ?? [])] };
  });
  document.addEventListener("htmx:config:request", (event) => {
    if (!instead) return;
    const body = new FormData();
    for (const [name, value] of instead) body.append(name, value);
    contextOf(event).request.body = body;
  });
  document.addEventListener("htmx:error", () => say("The product does not answer. Is it still running? Nothing that you see is lost."));
  document.addEventListener("click", async (event) => {
    const choice = /** @type {Element} */ (event.target).closest("[data-conflict]");
    if (!choice) return;
    choice.closest(".notice")?.remove();
    const again = refused;
    refused = null;
    if (choice.getAttribute("data-conflict") === "variant" && again) return keepAsVariant(again);
    await change("GET", bench()?.dataset.address ?? location.href, {});
    if (choice.getAttribute("data-conflict") === "mine" && again) await repeat(again.action, again.fields);
  });
}

/** Send a change again as it was. @param {string} action @param {Fields} fields */
function repeat(action, fields) {
  instead = fields;
  try {
    return change("POST", action, {});
  } finally {
    instead = null;
  }
}

/** Make my change on a picture of its own, over what I saw when I made it. @param {{action: string, fields: Fields}} mine */
async function keepAsVariant(mine) {
  const seen = bench()?.dataset.snapshot ?? "0", here = location.pathname;
  const made = await send(`${here}/variant`, [["snapshot", seen]], "0");
  if (!made.ok) return say("The variant could not be made. Nothing was changed.");
  const address = `/pictures/${(await made.json()).picture_id}`;
  const done = await send(mine.action.replace(here, address), mine.fields, "1");
  if (!done.ok) return say("Your change does not fit what you saw any more. The variant is kept without it.");
  location.href = address;
}

/** @param {string} path @param {Fields} fields @param {string} version */
function send(path, fields, version) {
  return fetch(path, { method: "POST", headers: { "X-CSRF-Token": csrf(), "X-Version": version, "HX-Request": "true" }, body: new URLSearchParams(fields) });
}

/** Ask for the bench as it is after a change. @param {string} verb @param {string} path @param {object} values */
export function change(verb, path, values) {
  // the bench is the source, so that this waits in the same queue as everything else on it
  return window.htmx.ajax(verb, path, { source: "#bench", target: "#bench", swap: "outerMorph", values });
}

/** @param {Event} event @returns {HtmxContext} */
function contextOf(event) {
  return /** @type {CustomEvent} */ (event).detail.ctx;
}

/** Say a sentence at the foot of the page. @param {string} sentence */
export function say(sentence) {
  const seat = document.getElementById("notice");
  if (!seat) return;
  seat.innerHTML = '<div class="notice" data-red><p></p><div><button class="button" data-dismiss>Understood</button></div></div>';
  const paragraph = seat.querySelector("p");
  if (paragraph) paragraph.textContent = sentence;
}
