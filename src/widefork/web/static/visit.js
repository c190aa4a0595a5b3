// Going from view to view without losing one's place, and sending edits one after the other.
const state = () => document.getElementById("state").dataset;

export const here = () => window.location.pathname + window.location.search;
export const revision = () => state().revision;
export const shownToken = () => state().shown;
export const activeCase = () => state().case;
export const modelUrl = (path) => `/m/${state().model}/${path}`;

// The view's own address (case, months, grain) with a page's path and some more parameters.
export function address(path, values = {}) {
  const url = new URL(state().back, window.location.href);
  const kept = new URLSearchParams();
  for (const key of ["case", "from", "to", "by"]) kept.set(key, url.searchParams.get(key) ?? "");
  for (const [key, value] of Object.entries(values)) kept.set(key, value);
  return `${modelUrl(path)}?${kept}`;
}

// Show another view of the same page: morphed in place, so that scroll and focus stay.
export async function visit(url) {
  await htmx.ajax("GET", url, { target: "body", swap: "morph:innerHTML" });
  window.history.replaceState(null, "", url);
}

let waiting = Promise.resolve(true);

// Send an edit after those before it. Resolves to whether it was made; what was wrong stands in #gesture-message.
export function send(path, values) {
  waiting = waiting.then(async () => {
    let done = false;
    const note = (event) => {
      if (event.detail.requestConfig?.verb === "post") done = event.detail.xhr.status < 400;
    };
    document.addEventListener("htmx:afterRequest", note);
    const all = { message_at: "gesture", ...values, case: activeCase(), seen: revision(), back: here() };
    await htmx.ajax("POST", modelUrl(path), { values: all, target: "body", swap: "morph:innerHTML" });
    document.removeEventListener("htmx:afterRequest", note);
    return done;
  });
  return waiting;
}

// What is being typed survives the page around it being morphed.
document.addEventListener("DOMContentLoaded", () => {
  window.Idiomorph.defaults.callbacks.beforeNodeMorphed = (old, fresh) => {
    if (old.id === "editor-place" && old.dataset?.keep) return false;
    if (old.nodeName === "DIALOG" && old.open) return false;
    if (old.dataset?.kept && old.id === fresh.id) return false; // loaded by itself, and still good
    return !(old.nodeName === "TR" && old.isEqualNode(fresh)); // most rows stay as they are
  };
  // What was opened to work in stays open while the page around it is brought up to date.
  window.Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) => !(name === "open" && node.dataset.stays);
});

document.addEventListener("click", (event) => {
  const link = event.target.closest("a[data-visit]");
  if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  visit(link.getAttribute("href"));
});

// The server says what changed of the page that is shown; a part or a row at a time is morphed into place.
// A form that leads to another view says under which address it can be found again.
document.addEventListener("htmx:beforeSwap", (event) => {
  const url = event.detail.xhr.getResponseHeader("X-Address");
  if (url) window.history.replaceState(null, "", url);
});

document.addEventListener("htmx:beforeSwap", (event) => {
  const { xhr } = event.detail;
  if (!xhr.getResponseHeader("X-Patch")) return;
  event.detail.shouldSwap = false;
  const holder = document.createElement("template");
  holder.innerHTML = xhr.responseText;
  const parts = [...holder.content.querySelectorAll("template[data-patch]")];
  if (parts.some((part) => !document.getElementById(part.dataset.patch))) {
    window.location.reload(); // another page than the server thinks: begin anew
    return;
  }
  for (const part of parts) {
    const shown = document.getElementById(part.dataset.patch);
    window.Idiomorph.morph(shown, part.content.firstElementChild, { morphStyle: "outerHTML" });
    htmx.process(document.getElementById(part.dataset.patch));
  }
  for (const name of ["htmx:afterSwap", "htmx:afterSettle"]) htmx.trigger(document.body, name, { target: document.body, xhr });
});

document.addEventListener("htmx:configRequest", (event) => {
  event.detail.headers["X-Shown"] = shownToken();
  const loaded = shownSections();
  if (loaded) event.detail.headers["X-Shown-Sections"] = loaded;
});

// Sections of a sheet on screen or a screen away: only those are written out anew.
function shownSections() {
  const main = document.getElementById("main");
  const bodies = main?.querySelectorAll("[data-section]:not(.unfilled)") ?? [];
  const box = main?.getBoundingClientRect();
  return [...bodies]
    .filter((body) => {
      const at = body.getBoundingClientRect();
      return at.bottom > box.top - box.height && at.top < box.bottom + box.height;
    })
    .map((body) => body.dataset.section)
    .join(",");
}
