// Cases: keys on the tree, on what differs and on the steps; a change copied from one cell goes into another.
import { visit } from "/static/visit.js";

const COPIED = "widefork change";
const cells = () => [...document.querySelectorAll("#differs td[data-cell] a.cell")];

function moveIn(cell, key) {
  const row = cell.closest("tr");
  const across = [...row.querySelectorAll("a.cell")];
  const place = across.indexOf(cell);
  if (key === "ArrowLeft" || key === "ArrowRight") return across[place + (key === "ArrowRight" ? 1 : -1)];
  const rows = [...document.querySelectorAll("#differs tbody tr")].filter((one) => one.querySelector("a.cell"));
  const there = rows[rows.indexOf(row) + (key === "ArrowDown" ? 1 : -1)];
  return there?.querySelectorAll("a.cell")[place];
}

function focusCell(cell) {
  for (const one of cells()) one.tabIndex = one === cell ? 0 : -1;
  cell.focus();
}

// What a cell's case itself does there goes to another case.
function pasteInto(cell) {
  const [from, ...key] = (sessionStorage.getItem(COPIED) ?? "").split("/");
  const to = cell.closest("td").dataset.cell.split("/")[0];
  if (from && from !== to) sendForm("paste-form", { case: from, key: key.join("/"), to });
}

function sendForm(id, values) {
  const form = document.getElementById(id);
  for (const [name, value] of Object.entries(values)) form.elements[name].value = value;
  form.requestSubmit();
}

document.addEventListener("keydown", (event) => {
  const cell = event.target.closest?.("#differs a.cell");
  if (cell) {
    const isCommand = event.ctrlKey || event.metaKey;
    if (event.key.startsWith("Arrow")) {
      event.preventDefault();
      const there = moveIn(cell, event.key);
      if (there) focusCell(there);
    } else if (event.key === "Delete") {
      event.preventDefault();
      const [of, ...key] = cell.closest("td").dataset.cell.split("/");
      sendForm("clear-form", { case: of, key: key.join("/") });
    } else if (isCommand && event.key === "c") {
      sessionStorage.setItem(COPIED, cell.closest("td").dataset.cell);
    } else if (isCommand && event.key === "v") {
      event.preventDefault();
      pasteInto(cell);
    }
    return;
  }
  if (event.key === "Escape" && event.target.closest?.("#strip")) {
    event.preventDefault();
    document.getElementById("close-strip").click();
    return;
  }
  const step = event.target.closest?.("#steps tr[data-step]");
  if (step && event.altKey && event.shiftKey && ["ArrowUp", "ArrowDown"].includes(event.key)) {
    event.preventDefault();
    step.querySelector(`button[value^="${event.key === "ArrowUp" ? "earlier" : "later"}"]`).click();
    return;
  }
  const tip = event.target.closest?.("#tips tbody tr");
  if (!tip) return;
  const rows = [...tip.parentElement.rows];
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    rows[rows.indexOf(tip) + (event.key === "ArrowDown" ? 1 : -1)]?.querySelector("a.case-name").focus();
  } else if (event.key === "F2") {
    event.preventDefault();
    visit(tip.dataset.about);
  } else if (event.key === "Enter" && event.ctrlKey) {
    event.preventDefault();
    const menu = document.getElementById("fork-menu");
    menu.open = true;
    menu.querySelector("input[name=label]").focus();
  }
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-close-merge]")) document.getElementById("merge-place").replaceChildren();
});

// What a file holds is shown under the menu it was chosen in
document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target?.id === "merge-place") document.getElementById("merge-menu").open = false;
});

// A sentence under a row is read from its first field on
document.addEventListener("htmx:afterSettle", () => {
  const strip = document.getElementById("strip");
  if (strip && !strip.contains(document.activeElement) && document.activeElement === document.body) strip.focus();
});
