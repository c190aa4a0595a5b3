// Swings: bars and curve by key, the square from cell to cell, and the bench answering while a lever is pulled.
import { address, here, visit } from "/static/visit.js";

const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
const $ = (id) => document.getElementById(id);

// One by one

let walkAt = -1;

function walkTo(place) {
  const curve = $("swing-curve");
  const points = JSON.parse(curve.dataset.points);
  walkAt = Math.min(points.length - 1, Math.max(0, place));
  const [x, y, amount, words, said] = points[walkAt];
  const walk = curve.querySelector(".walk");
  walk.setAttribute("visibility", "visible");
  walk.querySelector("circle").setAttribute("cx", x);
  walk.querySelector("circle").setAttribute("cy", y);
  walk.querySelector("path").setAttribute("d", `M${x} ${y}V${curve.querySelector(".zero").getAttribute("d").match(/M\S+ (\S+)H/)[1]}`);
  $("walk-words").textContent = `${words}: ${said}`;
  const form = $("try-form");
  form.elements.amount.value = amount;
  form.querySelector("button").disabled = false;
  form.querySelector("button span").textContent = words;
}

function nearest(x) {
  const points = JSON.parse($("swing-curve").dataset.points);
  return points.reduce((best, point, place) => (Math.abs(point[0] - x) < Math.abs(points[best][0] - x) ? place : best), 0);
}

function walkBy(step) {
  const shown = $("swing-curve").querySelector(".walk");
  const from = shown.getAttribute("visibility") === "hidden" ? $("swing-curve").querySelector(".today-ring") : shown.querySelector("circle");
  walkTo(nearest(Number(from?.getAttribute("cx") ?? 0)) + step);
}

function chooseBar(step) {
  const rows = [...document.querySelectorAll("#swings tbody tr")];
  const row = rows[rows.findIndex((each) => each.classList.contains("chosen")) + step];
  const link = row?.querySelector("a");
  if (!link) return;
  row.scrollIntoView({ block: "nearest" });
  const kept = document.activeElement?.closest("#swings") ? "#swings tr.chosen a" : "";
  visit(link.getAttribute("href")).then(() => kept && document.querySelector(kept)?.focus());
}

function barKeys(event) {
  const isTyping = event.target.matches?.("input, select, textarea, button");
  if (isTyping || event.altKey || event.metaKey || !$("swings")) return;
  const inBars = event.target.closest?.("#swings, .rank-box, #main, body");
  if (event.key === "Enter" && event.ctrlKey) $("try-form")?.requestSubmit();
  else if (event.ctrlKey || event.shiftKey || !inBars) return;
  else if (event.key === "ArrowUp" || event.key === "ArrowDown") chooseBar(event.key === "ArrowUp" ? -1 : 1);
  else if ((event.key === "ArrowLeft" || event.key === "ArrowRight") && $("swing-curve")) walkBy(event.key === "ArrowLeft" ? -1 : 1);
  else if (event.key === "F2") document.querySelector(".range-field")?.select();
  else if (event.key === "Enter" && !event.target.closest("a, summary")) document.querySelector(".outcomes a.primary")?.click();
  else return;
  event.preventDefault();
}

document.addEventListener("pointerdown", (event) => {
  const curve = event.target.closest?.("#swing-curve");
  if (!curve) return;
  const box = curve.getBoundingClientRect();
  walkTo(nearest(((event.clientX - box.left) / box.width) * curve.viewBox.baseVal.width));
});

document.addEventListener("change", (event) => {
  const { join } = event.target.dataset ?? {};
  if (!join || !event.target.value) return;
  const url = new URL(here(), window.location.href);
  const groups = url.searchParams.getAll("together").filter((group) => group !== join);
  url.searchParams.delete("together");
  const joined = `${join}+${event.target.value}`;
  for (const group of [...groups, joined]) url.searchParams.append("together", group);
  url.searchParams.set("line", joined);
  visit(url.pathname + url.search);
});

// Two at once

function cellKeys(event) {
  const cell = event.target.closest?.("#square td button");
  if (!cell || event.ctrlKey || event.altKey) return;
  const rows = [...document.querySelectorAll("#square tbody tr")].map((row) => [...row.querySelectorAll("td button")]);
  let row = rows.findIndex((cells) => cells.includes(cell));
  let column = rows[row].indexOf(cell);
  if (event.key === "Home") {
    document.querySelector("#square td.today button")?.focus();
    event.preventDefault();
    return;
  }
  const step = STEPS[event.key];
  if (!step) return;
  event.preventDefault();
  const misses = (at) => at.closest("td").classList.contains("miss");
  do {
    const next = rows[row + step[0]]?.[column + step[1]];
    if (!next) break;
    row += step[0];
    column += step[1];
    if (misses(next) !== misses(cell)) break;
  } while (event.shiftKey);
  rows[row][column].focus();
}

document.addEventListener("keydown", (event) => {
  cellKeys(event);
  if (!event.defaultPrevented) barKeys(event);
});

document.addEventListener("click", async (event) => {
  const button = event.target.closest?.("[data-copy]");
  if (!button) return;
  await navigator.clipboard.writeText($(button.dataset.copy).content.textContent);
  button.textContent = "copied";
});

// Bench

const levers = () => [...document.querySelectorAll("#levers .lever")];
let asking = false;
let again = false;

function benchQuery(typedCounts) {
  const query = new URLSearchParams();
  for (const lever of levers()) {
    query.append("lever", lever.querySelector("[name=lever]").value);
    const isTyped = typedCounts(lever);
    query.append("typed", isTyped ? lever.querySelector("[name=typed]").value : "");
    query.append("at", lever.querySelector("[name=at]").value);
  }
  query.set("drawn", $("drawn")?.value ?? "");
  return query;
}

// One question at a time; what is pulled meanwhile is asked once the answer is there.
async function tryLevers() {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  const query = benchQuery((lever) => lever.dataset.typed === "yes");
  const base = address("swings/tried");
  await htmx.ajax("GET", `${base}&${query}`, { target: "#tried", swap: "innerHTML" });
  const values = [...($("lever-values")?.content.children ?? [])];
  levers().forEach((lever, place) => {
    const said = values[place]?.dataset;
    if (!said) return;
    const field = lever.querySelector("[name=typed]");
    if (document.activeElement !== field && !said.fault) field.value = said.value;
    if (lever.dataset.typed === "yes" && !said.fault) lever.querySelector("[name=at]").value = said.position;
    lever.classList.toggle("moved", said.moved === "yes");
    if (said.fault) field.setAttribute("aria-invalid", "true");
    else field.removeAttribute("aria-invalid");
    lever.querySelector(".fault").textContent = said.fault;
  });
  asking = false;
  if (again) {
    again = false;
    tryLevers();
  }
}

const benchUrl = (query) => `${address("swings", { view: "bench" })}&${query}`;

document.addEventListener("input", (event) => {
  const lever = event.target.closest?.("#levers .lever");
  if (!lever) return;
  lever.dataset.typed = event.target.name === "typed" ? "yes" : "no";
  tryLevers();
});

document.addEventListener("change", (event) => {
  if (event.target.id === "drawn") {
    event.preventDefault();
    tryLevers();
  } else if (event.target.id === "put-on" && event.target.value) {
    const query = benchQuery((lever) => lever.dataset.typed === "yes");
    query.append("lever", event.target.value);
    visit(benchUrl(query));
  }
});

document.addEventListener("click", (event) => {
  const lever = event.target.closest?.("#levers .lever");
  if (lever && event.target.closest("[data-reset]")) {
    lever.dataset.typed = "no";
    const slider = lever.querySelector("[name=at]");
    slider.value = slider.dataset.now;
    tryLevers();
  } else if (lever && event.target.closest("[data-remove]")) {
    const query = new URLSearchParams();
    lever.remove();
    const rest = benchQuery((each) => each.dataset.typed === "yes");
    if (!levers().length) query.append("lever", "");
    visit(benchUrl(levers().length ? rest : query));
  } else if (event.target.closest?.("#drop-levers")) {
    for (const slider of document.querySelectorAll("#levers [name=at]")) slider.value = slider.dataset.now;
    for (const each of levers()) each.dataset.typed = "no";
    tryLevers();
  } else if (event.target.closest?.("#levers .outcomes button[value]")) {
    const form = $("levers");
    form.elements.do.value = event.target.closest("button").value;
    // The slider counts where it was moved last: its amount may not have come back yet.
    for (const each of levers()) if (each.dataset.typed === "no") each.querySelector("[name=typed]").value = "";
    if (form.elements.do.value === "sketch") form.elements.back.value = benchUrl(benchQuery((each) => each.dataset.typed !== "no"));
  }
});

// Chance: a month of the fan, and the cut through the distribution

let monthAt = -1;
let cutAt = -1;

function chooseMonth(place) {
  const points = JSON.parse($("fan").dataset.points);
  monthAt = Math.min(points.length - 1, Math.max(0, place));
  const line = $("fan").querySelector(".month");
  line.setAttribute("visibility", "visible");
  line.setAttribute("d", `M${points[monthAt][0]} 12V230`);
  $("month-words").textContent = points[monthAt][1];
}

function cutThrough(place) {
  const points = JSON.parse($("distribution").dataset.points);
  cutAt = Math.min(points.length - 1, Math.max(0, place));
  const [x, value, share] = points[cutAt];
  $("distribution").querySelector(".cut path").setAttribute("d", `M${x} 4V96`);
  $("distribution").querySelector(".cut rect").setAttribute("x", x - 4);
  $("cut-words").textContent = `${share} left of ${value}`;
}

function nearestOf(chart, event) {
  const box = chart.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * chart.viewBox.baseVal.width;
  const points = JSON.parse(chart.dataset.points);
  return points.reduce((best, point, place) => (Math.abs(point[0] - x) < Math.abs(points[best][0] - x) ? place : best), 0);
}

function cutNow() {
  const x = Number($("distribution").querySelector(".cut rect").getAttribute("x")) + 4;
  return JSON.parse($("distribution").dataset.points).findIndex((point) => Math.abs(point[0] - x) < 0.2);
}

document.addEventListener("keydown", (event) => {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (event.altKey && event.key.toLowerCase() === "c") $("stop-form")?.requestSubmit();
  else if (!step || event.ctrlKey || event.altKey) return;
  else if (event.target.id === "fan") chooseMonth(monthAt + step);
  else if (event.target.id === "distribution") cutThrough((cutAt < 0 ? cutNow() : cutAt) + step);
  else return;
  event.preventDefault();
});

document.addEventListener("pointermove", (event) => {
  const chart = event.target.closest?.("#distribution");
  if (chart && event.buttons) cutThrough(nearestOf(chart, event));
});

document.addEventListener("pointerdown", (event) => {
  const chart = event.target.closest?.("#fan, #distribution");
  if (chart?.id === "fan") chooseMonth(nearestOf(chart, event));
  else if (chart) cutThrough(nearestOf(chart, event));
});
