// The curve under a row: points are dragged, or nudged by keys; the row's cells show it while it happens.
import { byId, cellsOf } from "./sheet.js";
import { gesture } from "./entry.js";

const points = () => [...byId("curve").querySelectorAll("circle")];
const goesOn = () => document.querySelector('input[name="curve-reach"]:checked')?.value === "on";
const round = (value, per) => Number(value.toPrecision(per > 50 ? 4 : 3));

function showAt(moved, value, startValue) {
  const curve = byId("curve");
  const per = Number(curve.dataset.perUnit);
  const reach = goesOn();
  const from = points().indexOf(moved);
  points().forEach((point, place) => {
    if (place !== from && !(reach && place > from)) return;
    const target = place === from || reach ? value : Number(point.dataset.value);
    const y = Number(point.dataset.y ?? point.getAttribute("cy")) - (target - Number(point.dataset.value)) * per;
    point.dataset.y ??= point.getAttribute("cy");
    point.setAttribute("cy", y);
  });
  redraw();
  const row = curve.closest("tr").previousElementSibling;
  const column = [...document.querySelectorAll("#sheet thead th[data-month]")].findIndex((th) => th.dataset.month === moved.dataset.month);
  const shown = cellsOf(row)[column];
  if (shown) shown.textContent = value.toLocaleString("en").replace("-", "\u2212");
  tag(moved, value, startValue);
}

function redraw() {
  const path = byId("curve-now");
  const all = path.getAttribute("d").slice(1).split("L").map((pair) => pair.split(" "));
  const moved = new Map(points().map((point) => [Number(point.getAttribute("cx")).toFixed(1), point.getAttribute("cy")]));
  path.setAttribute("d", `M${all.map(([x, y]) => `${x} ${moved.get(Number(x).toFixed(1)) ?? y}`).join("L")}`);
}

function tag(point, value, start) {
  const group = byId("curve-tag");
  const difference = value - start;
  const text = group.querySelector("text");
  const sign = difference < 0 ? "\u2212" : "+";
  text.textContent = `${point.getAttribute("aria-label")}  ${value}  ${sign}${Math.abs(round(difference, 1))}`;
  group.removeAttribute("hidden");
  const width = text.getComputedTextLength() + 12;
  const x = Math.max(2, Math.min(Number(point.getAttribute("cx")) - width / 2, byId("curve").clientWidth - width - 2));
  const y = Math.max(1, Number(point.getAttribute("cy")) - 26);
  group.setAttribute("transform", `translate(${x} ${y})`);
  group.querySelector("rect").setAttribute("width", width);
  text.setAttribute("x", 6);
}

function keep(point, value) {
  const { line, at } = byId("curve").dataset;
  return gesture({ kind: "type", value: String(value), reach: goesOn() ? "on" : "only", rows: [[line, at]], months: [point.dataset.month] });
}

document.addEventListener("pointerdown", (event) => {
  const point = event.target.closest?.("#curve circle");
  if (!point) return;
  event.preventDefault();
  point.focus();
  const start = Number(point.dataset.value);
  const per = Number(byId("curve").dataset.perUnit);
  let value = start;
  const move = (moved) => {
    value = round(start + (event.clientY - moved.clientY) / per, per);
    showAt(point, value, start);
  };
  const drop = () => {
    document.removeEventListener("pointermove", move);
    if (value !== start) keep(point, value);
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", drop, { once: true });
});

let nudged = null; // {point, start, value}

document.addEventListener("keydown", (event) => {
  const point = event.target.closest?.("#curve circle");
  if (!point) return;
  const all = points();
  const at = all.indexOf(point);
  if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
    event.preventDefault();
    const next = all[at + (event.key === "ArrowRight" ? 1 : -1)];
    if (next) {
      point.tabIndex = -1;
      next.tabIndex = 0;
      next.focus();
    }
  } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    event.preventDefault();
    if (nudged?.point !== point) nudged = { point, start: Number(point.dataset.value), value: Number(point.dataset.value) };
    const size = 10 ** Math.floor(Math.log10(Math.max(Math.abs(nudged.start), 1e-9)) - 1.999);
    nudged.value = Number((nudged.value + (event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 10 : 1) * size).toPrecision(12));
    showAt(point, nudged.value, nudged.start);
  } else if (event.key === "Enter" && nudged?.point === point) {
    event.preventDefault();
    keep(point, nudged.value);
    nudged = null;
  } else if (event.key === "Escape") {
    event.preventDefault();
    event.stopPropagation();
    if (nudged) showAt(point, nudged.start, nudged.start);
    nudged = null;
  }
});
