// The frame: undo keys, the period lens, Roots, conflicts, folding. Listens on the document, so that a morphed page
// needs no wiring anew.
import { address, visit } from "./visit.js";

const byId = (id) => document.getElementById(id);
const typing = (target) => target.closest?.("input, textarea, select");

document.addEventListener("keydown", (event) => {
  const key = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && key === "z" && !typing(event.target)) {
    event.preventDefault();
    const button = document.querySelector(event.shiftKey ? "#redo-form button" : "#undo-form button");
    if (button && !button.disabled) button.click();
  } else if ((event.ctrlKey || event.metaKey) && key === ".") {
    event.preventDefault();
    document.body.classList.toggle("folded");
  } else if ((event.ctrlKey || event.metaKey) && key === "k") {
    event.preventDefault();
    openFinder();
  } else if (event.key === "?" && !typing(event.target)) {
    event.preventDefault();
    byId("keys").showModal();
  } else if (event.key === "Escape" && byId("roots-panel") && !byId("editor-place").childElementCount) {
    closeRoots();
  }
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-finder]")) openFinder();
  if (event.target.closest("[data-keys]")) byId("keys").showModal();
  if (event.target.matches("dialog")) event.target.close();
});

// Go to: what is typed is looked up among lines, pages, figures and cases

let asked = 0;
let looking = Promise.resolve();

function openFinder() {
  const field = byId("finder-field");
  byId("finder").showModal();
  field.value = "";
  looking = lookUp("");
}

async function lookUp(text) {
  const mine = ++asked;
  const reply = await fetch(address("find", { q: text, page: window.location.pathname.split("/")[3] ?? "" }));
  if (mine === asked && reply.ok) {
    byId("finder-list").innerHTML = await reply.text();
    choose(0);
  }
}

const found = () => [...byId("finder-list").querySelectorAll("li[role=option]")];

function choose(place) {
  found().forEach((option, at) => option.setAttribute("aria-selected", at === place));
  found()[place]?.scrollIntoView({ block: "nearest" });
}

// Enter right after the last letter goes to what that letter finds
async function goToChosen() {
  await looking;
  const chosen = found().find((option) => option.getAttribute("aria-selected") === "true");
  chosen?.querySelector("a").click();
}

document.addEventListener("input", (event) => {
  if (event.target.id === "finder-field") looking = lookUp(event.target.value);
});

document.addEventListener("keydown", (event) => {
  if (event.target.id !== "finder-field") return;
  const options = found();
  const now = options.findIndex((option) => option.getAttribute("aria-selected") === "true");
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    const step = event.key === "ArrowDown" ? 1 : -1;
    choose((now + step + options.length) % Math.max(1, options.length));
  } else if (event.key === "Enter") {
    event.preventDefault();
    goToChosen();
  }
});

// Roots

let beforeRoots = null;

function closeRoots() {
  byId("roots").replaceChildren();
  beforeRoots?.focus?.();
  beforeRoots = null;
}

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-roots]")) closeRoots();
  const conflict = event.target.closest("[data-conflict]");
  const isForm = conflict && (conflict.closest("form") || conflict.dataset.conflict === "theirs" || lastForm?.isConnected);
  if (isForm) settleConflict(conflict);
});

document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.target?.id === "roots" && !byId("roots-panel")) beforeRoots = document.activeElement;
});

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target?.id === "roots") byId("roots-panel")?.focus();
});

// A form is under way once: its buttons wait for the answer, and one that takes long says what it does

document.addEventListener("submit", (event) => {
  if (event.target.dataset.sent && !event.target.hasAttribute("hx-sync")) {
    event.preventDefault();
    event.stopImmediatePropagation();
  }
}, { capture: true });

document.addEventListener("htmx:beforeRequest", (event) => {
  const form = event.detail.elt;
  if (!form.matches("form")) return;
  const submitter = event.detail.requestConfig?.triggeringEvent?.submitter;
  form.dataset.sent = "yes";
  form.setAttribute("aria-busy", "true");
  const slow = submitter?.dataset.busy;
  if (slow) {
    submitter.dataset.said = submitter.textContent;
    submitter.textContent = slow;
  }
  form.addEventListener("htmx:afterRequest", () => {
    delete form.dataset.sent;
    form.removeAttribute("aria-busy");
    if (slow && submitter.dataset.said) submitter.textContent = submitter.dataset.said;
  }, { once: true });
});

// A conflict: send the same edit again, or leave theirs and see it

let lastForm = null;

document.addEventListener("htmx:beforeRequest", (event) => {
  lastForm = event.detail.elt.matches("form") ? event.detail.elt : null;
  if (lastForm) delete byId("message").dataset.of;
});

function settleConflict(button) {
  const form = button.closest("form") ?? lastForm;
  if (button.dataset.conflict !== "mine" || !form?.isConnected) {
    window.location.reload();
    return;
  }
  let despite = form.elements.despite;
  if (!despite) {
    despite = Object.assign(document.createElement("input"), { type: "hidden", name: "despite" });
    form.append(despite);
  }
  despite.value = "yes";
  form.requestSubmit();
}

// Forms that ask at once

document.addEventListener("change", (event) => {
  if (event.target.matches("[data-submit]")) event.target.form.requestSubmit();
  const called = (name) => [...event.target.form.querySelectorAll(`[name="${name}"]`)];
  for (const name of (event.target.dataset?.clears ?? "").split(" ").filter(Boolean)) {
    called(name)[called(event.target.name).indexOf(event.target)].value = ""; // of the same row, where there are several
  }
});

// A message stays until the next edit works
document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.xhr.status < 400) byId("message")?.replaceChildren();
});

// The period lens: drag a handle or the bar between, or use the arrow keys on a handle

function lensState() {
  const lens = byId("lens");
  const months = JSON.parse(lens.dataset.months);
  const url = new URL(lens.dataset.url, window.location.href);
  const place = (key) => Math.max(0, months.indexOf(key));
  return {
    lens, months, url,
    left: Number(lens.dataset.left),
    step: Number(lens.dataset.span) / months.length,
    shrunk: lens.querySelector("svg").getBoundingClientRect().width / Number(lens.dataset.width) || 1,
    grain: { quarter: 3, year: 12 }[url.searchParams.get("by")] ?? 1,
    from: place(url.searchParams.get("from")),
    to: place(url.searchParams.get("to")),
  };
}

function showLens(state, from, to) {
  const x = (place) => state.left + place * state.step;
  byId("lens-bar").setAttribute("d", `M${x(from)} 19.5H${x(to + 1)}`);
  for (const [id, at] of [["lens-from", x(from)], ["lens-to", x(to + 1)]]) {
    const [rect, grip] = byId(id).children;
    rect.setAttribute("x", at - 5);
    grip.setAttribute("d", `M${at - 1.5} 24v10M${at + 1.5} 24v10`);
  }
  byId("lens-words").textContent = `${state.months[from]} to ${state.months[to]}`;
}

function goTo(state, from, to) {
  const here = new URL(window.location.href);
  here.searchParams.delete("since");
  for (const key of ["case", "by"]) here.searchParams.set(key, state.url.searchParams.get(key));
  here.searchParams.set("from", state.months[from]);
  here.searchParams.set("to", state.months[to]);
  visit(here.pathname + here.search);
}

document.addEventListener("pointerdown", (event) => {
  const grabbed = event.target.closest("#lens-from, #lens-to, #lens-pan");
  if (!grabbed) return;
  event.preventDefault();
  const state = lensState();
  const start = event.clientX;
  let { from, to } = state;
  const move = (moved) => {
    const by = Math.round((moved.clientX - start) / (state.step * state.shrunk));
    const last = state.months.length - 1;
    if (grabbed.id === "lens-from") from = Math.min(state.to, Math.max(0, state.from + by));
    else if (grabbed.id === "lens-to") to = Math.max(state.from, Math.min(last, state.to + by));
    else {
      const kept = Math.max(-state.from, Math.min(last - state.to, by));
      [from, to] = [state.from + kept, state.to + kept];
    }
    showLens(state, from, to);
  };
  const drop = () => {
    document.removeEventListener("pointermove", move);
    if (from !== state.from || to !== state.to) goTo(state, from, to);
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", drop, { once: true });
});

document.addEventListener("keydown", (event) => {
  const handle = event.target.closest?.("#lens-from, #lens-to");
  if (!handle || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
  event.preventDefault();
  const state = lensState();
  const by = state.grain * (event.key === "ArrowLeft" ? -1 : 1);
  const last = state.months.length - 1;
  if (handle.id === "lens-from") goTo(state, Math.min(state.to, Math.max(0, state.from + by)), state.to);
  else goTo(state, state.from, Math.max(state.from, Math.min(last, state.to + by)));
});

document.addEventListener("dblclick", (event) => {
  const year = event.target.closest("#lens .year");
  if (!year) return;
  const state = lensState();
  const years = [...document.querySelectorAll("#lens .year")].map((label) => state.months.indexOf(label.dataset.first));
  const first = state.months.indexOf(year.dataset.first);
  const next = years.find((place) => place > first) ?? state.months.length;
  goTo(state, first, next - 1);
});
