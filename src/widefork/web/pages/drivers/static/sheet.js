// The cells of the sheet and which of them are chosen. A cell is known by its row's id and its column's place.
export const byId = (id) => document.getElementById(id);
export const rows = () => [...document.querySelectorAll("#sheet tr[data-line]")];
export const cellsOf = (row) => [...row.querySelectorAll("td.figure")];
export const months = () => [...document.querySelectorAll("#sheet thead th[data-month]")].map((th) => th.dataset.month);
export const rowOf = (cell) => cell.closest("tr");
export const columnOf = (cell) => cellsOf(rowOf(cell)).indexOf(cell);
export const cellAt = (row, column) => cellsOf(row)[column];

let anchor = null; // {row: id, column}
let head = null;

const placeOf = (cell) => ({ row: rowOf(cell).id, column: columnOf(cell) });
const cellOf = (place) => {
  const row = place && byId(place.row);
  return row ? cellAt(row, Math.min(place.column, cellsOf(row).length - 1)) : null;
};

export const activeCell = () => cellOf(anchor);
export const headCell = () => cellOf(head);

export function choose(cell, extend = false) {
  if (!cell) return;
  head = placeOf(cell);
  if (!extend || !anchor) anchor = head;
  show(true);
}

export function chooseBlock(from, to) {
  anchor = placeOf(from);
  head = placeOf(to);
  show(true);
}

// The chosen block: its rows in order, the places of its columns, and its months.
export function block() {
  const [first, last] = [activeCell(), headCell()];
  if (!first || !last) return null;
  const all = rows();
  const [a, b] = [all.indexOf(rowOf(first)), all.indexOf(rowOf(last))].sort((x, y) => x - y);
  const [c, d] = [columnOf(first), columnOf(last)].sort((x, y) => x - y);
  return { rows: all.slice(a, b + 1), from: c, to: d, months: months().slice(c, d + 1), all, top: a };
}

export const isRange = (chosen) => chosen.rows.length > 1 || chosen.to > chosen.from;

export function show(focuses) {
  for (const cell of document.querySelectorAll("#sheet td.in-range")) cell.classList.remove("in-range");
  const chosen = block();
  const bar = byId("selection");
  if (!chosen) {
    if (bar) bar.hidden = true;
    return;
  }
  if (isRange(chosen)) {
    for (const row of chosen.rows) for (const cell of cellsOf(row).slice(chosen.from, chosen.to + 1)) cell.classList.add("in-range");
  }
  tellOf(chosen, bar);
  if (focuses) {
    for (const cell of document.querySelectorAll('#sheet td.figure[tabindex="0"]')) cell.tabIndex = -1;
    activeCell().tabIndex = 0;
    headCell().scrollIntoView({ block: "nearest", inline: "nearest" });
    activeCell().focus({ preventScroll: true });
  }
}

function tellOf(chosen, bar) {
  if (!bar) return;
  bar.hidden = !isRange(chosen) && !activeCell().title;
  if (bar.hidden) return;
  if (!isRange(chosen)) {
    byId("selection-words").textContent = activeCell().title; // what it was, or what the root case says
    return;
  }
  const values = chosen.rows.flatMap((row) => cellsOf(row).slice(chosen.from, chosen.to + 1).map((cell) => Number(cell.dataset.v || 0)));
  const sum = values.reduce((total, value) => total + value, 0);
  const write = (value) => value.toLocaleString("en", { maximumFractionDigits: Math.abs(value) < 1000 ? 2 : 0 }).replace("-", "\u2212");
  const span = chosen.months.length > 1 ? `${chosen.months.length} months` : "1 month";
  byId("selection-words").textContent =
    `${chosen.rows.length} ${chosen.rows.length > 1 ? "rows" : "row"} × ${span}: sum ${write(sum)}, mean ${write(sum / values.length)}, lowest ${write(Math.min(...values))}, highest ${write(Math.max(...values))}`;
}

// Move by cells; towards the edge of the sheet, by a screen, or to the ends.
export function step(down, right, { extend = false, edge = false } = {}) {
  const from = extend ? headCell() : activeCell();
  if (!from) return;
  const all = rows();
  const row = all.indexOf(rowOf(from));
  const count = cellsOf(rowOf(from)).length;
  const column = columnOf(from);
  const nextRow = edge && down ? (down > 0 ? all.length - 1 : 0) : Math.min(Math.max(row + down, 0), all.length - 1);
  const nextColumn = edge && right ? (right > 0 ? count - 1 : 0) : Math.min(Math.max(column + right, 0), count - 1);
  choose(cellAt(all[nextRow], nextColumn), extend);
}

export function screenOfRows() {
  const main = byId("main");
  return Math.max(5, Math.floor(main.clientHeight / 20) - 4);
}

export const asRows = (list) => list.map((row) => [row.dataset.line, row.dataset.at]);
