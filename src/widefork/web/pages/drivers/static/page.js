// The sheet by keyboard, mouse and clipboard. One gesture is one request, one edit and one undo.
import { address, shownToken, visit } from "/static/visit.js";
import "./curve.js";
import * as entry from "./entry.js";
import * as formula from "./formula.js";
import { activeCell, block, byId, cellAt, cellsOf, choose, chooseBlock, columnOf, isRange, rowOf, rows, screenOfRows, show, step } from "./sheet.js";

const inSheet = (target) => target.closest?.("#sheet td.figure");

// Small forms beside the sheet: a formula, the panel of a line, the tools of a section

let opener = null;

async function openForm(from, url) {
  opener = from?.id || null;
  entry.close();
  await htmx.ajax("GET", url, { target: "#editor-place", swap: "innerHTML" });
  const editor = byId("editor");
  if (!editor) return;
  if (editor.elements.back) editor.elements.back.value = window.location.pathname + window.location.search;
  byId("editor-place").dataset.keep = "";
  if (!editor.matches(".drawer")) place(editor, from);
  (editor.querySelector("textarea, input:not([type=hidden]), select") ?? editor).focus();
}

function place(editor, from) {
  const box = from.getBoundingClientRect();
  const left = Math.min(box.left, window.innerWidth - editor.offsetWidth - 12);
  const below = box.bottom + 4 + editor.offsetHeight < window.innerHeight;
  editor.style.left = `${Math.max(8, left)}px`;
  editor.style.top = `${below ? box.bottom + 4 : Math.max(8, box.top - editor.offsetHeight - 4)}px`;
}

function closeForm() {
  entry.close();
  const home = (opener && byId(opener)) || activeCell();
  home?.focus();
}

const openPanel = (from, values) => openForm(from, address("drivers/line", values));

function openFormula(from, line) {
  const at = block()?.months[0] ?? "";
  formula.load();
  return openForm(from, address("drivers/formula", { line, month: at }));
}

function openRule(row) {
  const opens = row.querySelector("[data-shape], [data-formula]");
  if (opens?.matches("[data-shape]")) visit(opens.getAttribute("href")).then(() => byId("shape-phrase")?.focus());
  else if (opens) openFormula(opens, opens.dataset.formula);
}

function openRoots(cell) {
  const row = rowOf(cell);
  const month = block().months[0];
  const url = address("roots", { line: row.dataset.line, at: row.dataset.at, start: month });
  htmx.ajax("GET", url, { target: "#roots", swap: "innerHTML" });
}

// Keys

const ARROWS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented) return;
  if (byId("entry")?.contains(event.target)) inEntry(event);
  else if (byId("editor")?.contains(event.target)) inForm(event);
  else if (inSheet(event.target)) onSheet(event, inSheet(event.target));
});

function inForm(event) {
  if (event.key === "Escape") {
    event.preventDefault();
    closeForm();
  } else if (event.key === "Enter" && event.ctrlKey) {
    event.preventDefault();
    byId("editor").requestSubmit();
  }
}

function inEntry(event) {
  const adjusts = byId("entry").dataset.adjusts;
  if (event.key === "Escape") {
    event.preventDefault();
    entry.close();
    activeCell()?.focus();
  } else if (event.target.id !== "editor-value") {
    return; // a link or button under the field
  } else if (event.key === "Enter" && adjusts) {
    event.preventDefault();
    entry.commitAdjust();
  } else if (event.key === "Enter") {
    event.preventDefault();
    entry.commit({ other: event.altKey, down: event.shiftKey ? -1 : 1 });
  } else if (event.key === "Tab" && !adjusts) {
    event.preventDefault();
    entry.commit({ right: event.shiftKey ? -1 : 1 });
  }
}

function onSheet(event, cell) {
  if (!activeCell()) choose(cell);
  const command = event.ctrlKey || event.metaKey;
  const act = command ? withCommand(event, cell) : event.altKey ? withAlt(event, cell) : plain(event, cell);
  if (!act) return;
  event.preventDefault();
  act();
}

function plain(event, cell) {
  const extend = event.shiftKey;
  if (ARROWS[event.key]) return () => step(...ARROWS[event.key], { extend });
  switch (event.key) {
    case "Home": return () => choose(cellAt(rowOf(cell), 0), extend);
    case "End": return () => choose(cellsOf(rowOf(cell)).at(-1), extend);
    case "PageDown": return () => step(screenOfRows(), 0, { extend });
    case "PageUp": return () => step(-screenOfRows(), 0, { extend });
    case "Tab": return () => step(0, event.shiftKey ? -1 : 1);
    case "Enter": case "F2": return () => entry.open();
    case "Delete": case "Backspace": return () => entry.gesture({ kind: "clear" });
    case "Escape": return () => choose(activeCell());
    case "F10": return extend ? () => panelOf(cell) : null;
    case "ContextMenu": return () => panelOf(cell);
  }
  return event.key.length === 1 && /[\d.,+\-−*/(]/.test(event.key) ? () => entry.open(event.key) : null;
}

function withCommand(event, cell) {
  if (ARROWS[event.key]) return () => step(...ARROWS[event.key], { extend: event.shiftKey, edge: true });
  switch (event.key.toLowerCase()) {
    case "home": return () => choose(cellAt(rows()[0], 0), event.shiftKey);
    case "end": return () => choose(cellsOf(rows().at(-1)).at(-1), event.shiftKey);
    case "a": return () => chooseSection(rowOf(cell).closest("[data-section]"));
    case "r": return () => fill("fill_right");
    case "d": return () => fill("fill_down");
    case "j": return () => entry.openAdjust();
    case "i": return () => openRoots(cell);
    case "enter": return () => openRule(rowOf(cell));
    case "backspace": return () => entry.gesture({ kind: "back" });
  }
  return null;
}

function withAlt(event, cell) {
  const fold = rowOf(cell).querySelector("a.fold");
  const isOpen = fold?.getAttribute("aria-label").startsWith("fold");
  if (fold && ((event.key === "ArrowRight" && !isOpen) || (event.key === "ArrowLeft" && isOpen))) return () => fold.click();
  return null;
}

const panelOf = (cell) => {
  const button = rowOf(cell).querySelector("[data-panel]");
  if (button) openPanel(button, { line: button.dataset.panel });
};

// One cell alone takes what stands left of it, or above it
function fill(kind) {
  const chosen = block();
  if (!isRange(chosen)) {
    const before = kind === "fill_right" ? cellAt(chosen.rows[0], chosen.from - 1) : chosen.all[chosen.top - 1] && cellAt(chosen.all[chosen.top - 1], chosen.from);
    if (!before) return;
    const home = activeCell();
    chooseBlock(before, home);
    entry.gesture({ kind }).then(() => choose(byId(home.id)));
    return;
  }
  entry.gesture({ kind });
}

function chooseSection(body) {
  const inside = [...body.querySelectorAll("tr[data-line]")];
  if (inside.length) chooseBlock(cellAt(inside[0], 0), cellsOf(inside.at(-1)).at(-1));
}

// Mouse: press chooses, drag and Shift extend, a double click edits

let dragging = false;

document.addEventListener("pointerdown", (event) => {
  const cell = inSheet(event.target);
  if (event.button !== 0) return;
  if (byId("entry") && !byId("entry").contains(event.target)) leaveEntry();
  if (!cell) return;
  event.preventDefault();
  choose(cell, event.shiftKey);
  dragging = true;
});

document.addEventListener("pointermove", (event) => {
  const cell = dragging && inSheet(document.elementFromPoint(event.clientX, event.clientY) ?? document.body);
  if (cell) choose(cell, true);
});

document.addEventListener("pointerup", () => { dragging = false; });
document.addEventListener("dblclick", (event) => { if (inSheet(event.target)) entry.open(); });

// Going elsewhere keeps what was typed, as a sheet does; an empty field leaves the cell alone
function leaveEntry() {
  const field = byId("editor-value");
  const isAdjusting = byId("entry").dataset.adjusts;
  if (field?.value.trim() && !isAdjusting && field.value !== activeCell()?.dataset.v) entry.commit();
  else entry.close();
}

document.addEventListener("click", (event) => {
  const on = (selector) => event.target.closest(selector);
  if (on("#entry [data-conflict=mine], #message[data-of=gesture] [data-conflict=mine]")) entry.insist();
  else if (on("[data-offer]")) entry.takeOffer(on("[data-offer]").dataset.offer);
  else if (on("[data-adjust]")) entry.openAdjust();
  else if (on("[data-roots]")) entry.close();
  else if (on("[data-back]")) { entry.close(); entry.gesture({ kind: "back" }); }
  else if (on("[data-close-editor]")) closeForm();
  else if (on("[data-formula]")) openFormula(named(on("[data-formula]")), on("[data-formula]").dataset.formula);
  else if (on("[data-panel]")) openPanel(named(on("[data-panel]")), { line: on("[data-panel]").dataset.panel });
  else if (on("[data-new-line]")) openPanel(named(on("[data-new-line]")), { section: on("[data-new-line]").dataset.newLine, behind: on("[data-new-line]").dataset.behind ?? "" });
  else if (on("[data-section-tools]")) openSection(on("[data-section-tools]"));
  else if (on("td.label .name")) chooseRow(on("tr"));
  else if (on("tr.section b")) chooseSection(on("[data-section]"));
  else if (byId("editor") && !on("#editor") && !on("dialog")) closeForm();
});

function chooseRow(row) {
  const cells = cellsOf(row);
  chooseBlock(cells[0], cells.at(-1));
}

function named(button) {
  button.id ||= `opens-${button.dataset.formula ?? button.dataset.panel ?? button.dataset.newLine ?? button.dataset.sectionTools}`;
  return button;
}

function openSection(button) {
  named(button);
  opener = button.id;
  const model = window.location.pathname.split("/")[2];
  const made = document.importNode(byId("section-tools").content, true);
  byId("editor-place").replaceChildren(made);
  const editor = byId("editor");
  editor.elements.section.value = button.dataset.sectionTools;
  editor.elements.label.value = button.dataset.label;
  editor.elements.note.value = button.dataset.note;
  editor.elements.back.value = window.location.pathname + window.location.search;
  editor.elements.seen.value = byId("state").dataset.revision;
  for (const part of editor.querySelectorAll("[data-doing]")) part.setAttribute("hx-post", `/m/${model}/drivers/section/${part.dataset.doing}`);
  editor.setAttribute("hx-post", `/m/${model}/drivers/section/change`);
  htmx.process(editor);
  place(editor, button);
  editor.elements.label.focus();
}

// A new section's form, and the rule's form, send where they stand
document.addEventListener("htmx:configRequest", (event) => {
  const values = event.detail.parameters;
  if (event.detail.elt.matches?.(".new-section")) {
    values.back = window.location.pathname + window.location.search;
    values.seen = byId("state").dataset.revision;
  }
});

// The rule's form: whichever side was touched last is the one that is used
document.addEventListener("input", (event) => {
  const form = byId("shape-form");
  if (!form?.contains(event.target)) return;
  const parts = event.target.closest(".parts");
  form.elements.kind.value = parts ? parts.dataset.kind : "";
});

document.addEventListener("keydown", (event) => {
  if (event.target.id !== "shape-phrase" || event.key !== "Enter" || event.shiftKey) return;
  event.preventDefault();
  byId("shape-form").requestSubmit();
});

// Clipboard: tab-separated, full figures out; either decimal style in

const clipboardFree = () => !byId("entry") && !byId("editor") && inSheet(document.activeElement ?? document.body);

document.addEventListener("copy", (event) => {
  if (!clipboardFree()) return;
  event.preventDefault();
  const chosen = block();
  const text = chosen.rows.map((row) => cellsOf(row).slice(chosen.from, chosen.to + 1).map((cell) => cell.dataset.v).join("\t")).join("\n");
  event.clipboardData.setData("text/plain", text);
});

document.addEventListener("cut", (event) => { if (clipboardFree()) event.preventDefault(); });

document.addEventListener("paste", (event) => {
  if (!clipboardFree()) return;
  event.preventDefault();
  const value = event.clipboardData.getData("text/plain");
  const chosen = block();
  const height = value.replace(/\r?\n$/, "").split(/\r\n|\n|\r/).length;
  const taken = isRange(chosen) ? chosen.rows.length : 1;
  const list = chosen.all.slice(chosen.top, chosen.top + Math.max(height, taken));
  entry.gesture({ kind: "paste", value, rows: list.map((row) => [row.dataset.line, row.dataset.at]), months: chosen.months });
});

// Sections come when they are scrolled to

const watcher = new IntersectionObserver(
  (seen) => {
    for (const { isIntersecting, target } of seen) if (isIntersecting) fetchSection(target);
  },
  { root: byId("main"), rootMargin: "700px 0px" },
);

async function fetchSection(body) {
  watcher.unobserve(body);
  const url = new URL(window.location.href);
  url.pathname += "/section";
  url.searchParams.set("section", body.dataset.section);
  const shown = shownToken();
  const reply = await fetch(url.pathname + url.search, { headers: { "X-Shown": shown } });
  if (!reply.ok || !body.isConnected || !body.matches(".unfilled")) return;
  if (shown !== shownToken()) { // an edit came in between: these are the figures before it
    watcher.observe(body);
    return;
  }
  const holder = document.createElement("template");
  holder.innerHTML = await reply.text();
  const filled = holder.content.querySelector("[data-section]");
  if (!filled) return;
  body.replaceWith(filled);
  htmx.process(filled);
}

function settle() {
  for (const body of document.querySelectorAll("#sheet .unfilled")) watcher.observe(body);
  document.querySelector("#sheet td.figure")?.setAttribute("tabindex", "0");
  if (!byId("entry") && !byId("editor")) show(false);
}

document.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target?.id === "editor-place" || event.detail.target?.id === "roots") return;
  settle();
  const lost = document.activeElement === document.body && !byId("roots-panel") && !document.querySelector("dialog[open]");
  if (lost) ((opener && byId(opener)) || activeCell())?.focus({ preventScroll: true });
});

settle();
const wanted = new URL(window.location.href);
const target = wanted.hash && byId(wanted.hash.slice(1));
if (target) {
  target.scrollIntoView({ block: "center" });
  const first = target.querySelector?.("td.figure");
  if (first) choose(cellsOf(rowOf(first))[Math.max(0, columnOf(first))]);
}
