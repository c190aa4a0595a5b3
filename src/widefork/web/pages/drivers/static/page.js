// The sheet: arrows move, typing starts an edit, Enter opens it, Esc leaves the cell unchanged.
const byId = (id) => document.getElementById(id);
const cells = (row) => [...row.querySelectorAll("td.figure")];

let anchor = null; // id of the cell or button the editor belongs to

function move(cell, down, right) {
  const row = cell.closest("tr");
  const column = cells(row).indexOf(cell);
  if (right) {
    const next = cells(row)[column + right];
    if (next) focus(next);
    return;
  }
  const rows = [...document.querySelectorAll("#sheet tr")].filter((other) => other.querySelector("td.figure"));
  const other = rows[rows.indexOf(row) + down];
  if (other) focus(cells(other)[column]);
}

function focus(cell) {
  cell.focus({ preventScroll: true });
  cell.scrollIntoView({ block: "nearest", inline: "nearest" });
}

function address(path, values) {
  const url = new URL(`${window.location.pathname}/${path}`, window.location.href);
  url.search = new URL(document.body.dataset.back, window.location.href).search;
  for (const [key, value] of Object.entries(values)) url.searchParams.set(key, value);
  return url.pathname + url.search;
}

async function openEditor(from, url, typed) {
  anchor = from.id || null;
  await htmx.ajax("GET", url, { target: "#editor-place", swap: "innerHTML" });
  const editor = byId("editor");
  if (!editor) return;
  place(editor, from);
  editor.elements.back.value = window.location.pathname + window.location.search;
  const field = byId("editor-value");
  if (!field) {
    editor.tabIndex = -1;
    editor.focus();
    return;
  }
  field.focus();
  if (typed) field.value = typed;
  else field.select();
}

function place(editor, from) {
  const box = from.getBoundingClientRect();
  const width = editor.offsetWidth;
  const height = editor.offsetHeight;
  const left = Math.min(box.left, window.innerWidth - width - 12);
  const below = box.bottom + 4 + height < window.innerHeight;
  editor.style.left = `${Math.max(8, left)}px`;
  editor.style.top = `${below ? box.bottom + 4 : Math.max(8, box.top - height - 4)}px`;
}

function closeEditor() {
  byId("editor-place").replaceChildren();
  const home = anchor && byId(anchor);
  if (home) focus(home);
}

const openCell = (cell, typed) =>
  openEditor(cell, address("cell", { line: cell.dataset.line, at: cell.dataset.at, month: cell.dataset.month }), typed);

document.addEventListener("keydown", (event) => {
  const editor = event.target.closest?.("#editor");
  if (editor) {
    if (event.key === "Escape") {
      event.preventDefault();
      closeEditor();
    } else if (event.key === "Enter" && event.ctrlKey) {
      event.preventDefault();
      editor.requestSubmit();
    }
    return;
  }
  const cell = event.target.closest?.("td.figure");
  if (!cell || event.altKey) return;
  const steps = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
  if (steps[event.key] && !event.ctrlKey) {
    event.preventDefault();
    move(cell, ...steps[event.key]);
  } else if (event.key === "Enter" || event.key === "F2") {
    event.preventDefault();
    openCell(cell);
  } else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && /[\d.,+\-*/(]/.test(event.key)) {
    event.preventDefault();
    openCell(cell, event.key);
  }
});

document.addEventListener("click", (event) => {
  const roots = event.target.closest("[data-roots]");
  if (roots) {
    const form = byId("editor");
    const there = new URL(document.body.dataset.back, window.location.href);
    there.pathname = window.location.pathname.replace(/\/drivers$/, "/roots");
    there.searchParams.set("line", form.elements.line.value);
    there.searchParams.set("at", form.elements.at.value);
    there.searchParams.set("start", form.elements.month.value);
    closeEditor();
    htmx.ajax("GET", there.pathname + there.search, { target: "#roots", swap: "innerHTML" });
    return;
  }
  const formula = event.target.closest("[data-formula]");
  if (formula) {
    formula.id ||= `formula-${formula.dataset.formula}`;
    openEditor(formula, address("formula", { line: formula.dataset.formula }));
    return;
  }
  const cell = event.target.closest("td.figure");
  if (cell) {
    focus(cell);
    openCell(cell);
  } else if (byId("editor") && !event.target.closest("#editor")) {
    byId("editor-place").replaceChildren();
  }
});

// After an edit the page has been morphed: the editor is gone, the cell it belonged to takes the focus back.
document.addEventListener("htmx:afterSettle", (event) => {
  if (event.detail.target?.id !== "editor-place" && !byId("editor") && anchor) {
    const home = byId(anchor);
    if (home && !byId("roots-panel")) focus(home);
  }
});

// Tab reaches the sheet at the cell last used, or the first one.
document.querySelector("td.figure.editable")?.setAttribute("tabindex", "0");
