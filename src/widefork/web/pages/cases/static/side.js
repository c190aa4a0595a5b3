// Side by side: cells by key, what is typed into one, and blocks that are pasted.
import { send } from "/static/visit.js";

const table = () => document.getElementById("side");
const rows = () => [...table().querySelectorAll("tr[data-line]")];
const heads = () => [...table().querySelectorAll("th[data-case]")];
const cellsOf = (row) => [...row.querySelectorAll("td.value")];
const placeOf = (cell) => {
  const row = cell.closest("tr");
  return [rows().indexOf(row), cellsOf(row).indexOf(cell)];
};

let at = [0, 0]; // the cell last chosen, to come back to after an edit
let latest = null; // the block sent last, to send it again with an offer taken up

function choose(row, column) {
  const there = rows()[Math.max(0, Math.min(rows().length - 1, row))];
  const cell = there && cellsOf(there)[Math.max(0, Math.min(heads().length - 1, column))];
  if (!cell) return;
  for (const one of table().querySelectorAll('td.value[tabindex="0"]')) one.tabIndex = -1;
  cell.tabIndex = 0;
  cell.focus({ preventScroll: false });
  cell.scrollIntoView({ block: "nearest", inline: "nearest" });
  at = placeOf(cell);
}

function shown([row, column]) {
  return JSON.stringify({
    row, column,
    rows: rows().map((one) => [one.dataset.line, JSON.parse(one.dataset.members)]),
    columns: heads().map((one) => [one.dataset.case, one.dataset.first, one.dataset.last, one.dataset.label]),
  });
}

async function give(text, more = {}) {
  latest = { text, at };
  const hold = document.getElementById("side-hold")?.checked ? "yes" : "";
  const done = await send("cases/block", { message_at: "side", shown: shown(at), text, hold, ...more });
  choose(...at);
  return done;
}

function edit(cell, text) {
  if (cell.classList.contains("shut")) {
    document.getElementById("side-message").textContent = cell.title;
    return;
  }
  at = placeOf(cell);
  const field = Object.assign(document.createElement("input"), { value: text, className: "side-field" });
  field.setAttribute("aria-label", `Value of ${cell.closest("tr").querySelector("th").textContent}`);
  const before = cell.textContent;
  cell.replaceChildren(field);
  field.focus();
  let over = false;
  const leave = async (keeps, step) => {
    if (over) return;
    over = true;
    const typed = field.value.trim();
    cell.replaceChildren(before);
    if (keeps && typed && typed !== before.trim()) await give(typed);
    if (step) choose(at[0] + step[0], at[1] + step[1]);
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") leave(true, [1, 0]);
    else if (event.key === "Tab") leave(true, [0, event.shiftKey ? -1 : 1]);
    else if (event.key === "Escape") leave(false, [0, 0]);
    else return;
    event.preventDefault();
  });
  field.addEventListener("blur", () => leave(true, null));
}

const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Enter: [1, 0] };

document.addEventListener("keydown", (event) => {
  const cell = event.target.closest?.("#side td.value");
  if (!cell || event.target.closest("input")) return;
  if (event.key === "F2") {
    event.preventDefault();
    edit(cell, cell.textContent.trim());
  } else if (event.key === "Delete" || event.key === "Backspace") {
    event.preventDefault();
    at = placeOf(cell);
    send("cases/inherit", { message_at: "side", shown: shown(at) }).then(() => choose(...at));
  } else if (STEPS[event.key] && !event.ctrlKey && !event.metaKey) {
    event.preventDefault();
    const [row, column] = placeOf(cell);
    choose(row + STEPS[event.key][0], column + STEPS[event.key][1]);
  } else if (event.key === "Home" || event.key === "End") {
    event.preventDefault();
    choose(placeOf(cell)[0], event.key === "Home" ? 0 : heads().length - 1);
  } else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey && event.key !== " " && event.key !== "?") {
    event.preventDefault();
    edit(cell, event.key);
  }
});

document.addEventListener("click", (event) => {
  const offer = event.target.closest?.("#side-message [data-offer]");
  if (offer && latest) {
    const [name, value] = offer.dataset.offer.split(":");
    at = latest.at;
    give(latest.text, { [name]: value ?? "yes" });
    return;
  }
  const cell = event.target.closest?.("#side td.value");
  if (cell && !event.target.closest("input")) choose(...placeOf(cell));
});

document.addEventListener("dblclick", (event) => {
  const cell = event.target.closest?.("#side td.value");
  if (cell && !event.target.closest("input")) edit(cell, cell.textContent.trim());
});

document.addEventListener("paste", (event) => {
  const cell = event.target.closest?.("#side td.value");
  if (!cell || event.target.closest("input")) return;
  event.preventDefault();
  at = placeOf(cell);
  give(event.clipboardData.getData("text/plain"));
});

// A row of the block, as a spreadsheet takes it
document.addEventListener("copy", (event) => {
  const cell = event.target.closest?.("#side td.value");
  if (!cell || window.getSelection().toString()) return;
  event.preventDefault();
  event.clipboardData.setData("text/plain", cell.textContent.trim());
});

function ready() {
  if (table() && !table().querySelector('td.value[tabindex="0"]')) {
    const first = table().querySelector("td.value");
    if (first) first.tabIndex = 0;
  }
}

document.addEventListener("htmx:afterSettle", ready);
ready();
