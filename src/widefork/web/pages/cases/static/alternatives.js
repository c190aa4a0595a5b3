// Alternatives: arrows go from cell to cell; the table goes to the clipboard; a shape is drawn, or set by keys.
const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

document.addEventListener("keydown", (event) => {
  const cell = event.target.closest?.("#alternatives td button");
  const step = STEPS[event.key];
  if (!cell || !step || event.ctrlKey || event.altKey) return;
  event.preventDefault();
  const rows = [...document.querySelectorAll("#alternatives tbody tr")].filter((row) => row.querySelector("td button"));
  const row = cell.closest("tr");
  const column = [...row.querySelectorAll("td button")].indexOf(cell) + step[1];
  rows[rows.indexOf(row) + step[0]]?.querySelectorAll("td button")[column]?.focus();
});

document.addEventListener("click", async (event) => {
  const button = event.target.closest?.("#copy-block");
  if (!button) return;
  await navigator.clipboard.writeText(document.getElementById("block").content.textContent);
  button.textContent = "copied";
});

// A shape: per cent by month, drawn from 0 to 150.
const MONTHS = 24;
const TOP = 150;
let shape = Array(MONTHS).fill(100);
let at = 0;

function showShape() {
  const pad = document.getElementById("shape-pad");
  if (!pad) return;
  const x = (month) => (month + 0.5) * (384 / MONTHS);
  const y = (share) => 128 - (share / TOP) * 124;
  pad.querySelector("polyline").setAttribute("points", shape.map((share, month) => `${x(month)},${y(share)}`).join(" "));
  const dot = pad.querySelector("circle");
  dot.setAttribute("cx", x(at));
  dot.setAttribute("cy", y(shape[at]));
  document.getElementById("shape-words").textContent = `month ${at + 1}: ${shape[at]} %`;
}

function drawAt(event) {
  const pad = document.getElementById("shape-pad");
  const box = pad.getBoundingClientRect();
  at = Math.min(MONTHS - 1, Math.max(0, Math.floor(((event.clientX - box.left) / box.width) * MONTHS)));
  const share = ((box.bottom - event.clientY - 4) / (box.height - 8)) * TOP;
  shape[at] = Math.min(TOP, Math.max(0, Math.round(share / 5) * 5));
  showShape();
}

function drawn() {
  let last = shape.length;
  while (last > 1 && shape[last - 1] === 100) last -= 1;
  return shape.slice(0, last).join(" ");
}

document.addEventListener("pointerdown", (event) => {
  const pad = event.target.closest?.("#shape-pad");
  if (!pad) return;
  pad.setPointerCapture(event.pointerId);
  drawAt(event);
});
document.addEventListener("pointermove", (event) => {
  if (event.buttons && event.target.closest?.("#shape-pad")) drawAt(event);
});
document.addEventListener("keydown", (event) => {
  if (event.target.id !== "shape-pad" || !STEPS[event.key]) return;
  event.preventDefault();
  const [down, right] = STEPS[event.key];
  at = Math.min(MONTHS - 1, Math.max(0, at + right));
  shape[at] = Math.min(TOP, Math.max(0, shape[at] - 5 * down));
  showShape();
});
document.addEventListener("click", (event) => {
  if (event.target.id !== "shape-add") return;
  const read = (id) => document.getElementById(id).value.trim();
  const form = document.getElementById("ask").elements;
  const line = read("shape-line").replace(/^shape of /, "");
  if (!line) {
    document.getElementById("shape-line").focus();
    return;
  }
  const first = read("shape-first");
  const lead = `shape of ${line}${first ? ` from ${first}` : ""}`;
  const known = form.third_lead.value === lead ? form.third_values.value : "as it was = 100";
  const name = read("shape-name") || `shape ${known.split(";").length}`;
  form.third_lead.value = lead;
  form.third_values.value = `${known}; ${name} = ${drawn()}`;
  document.getElementById("draw").open = false;
  form.third_values.focus();
});
showShape();
document.addEventListener("htmx:afterSwap", showShape);
