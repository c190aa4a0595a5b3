// Frame: fields that send themselves when they were changed, and profiles whose points are dragged.
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-quiet]") && event.target.value.trim() !== event.target.defaultValue.trim()) event.target.form.requestSubmit();
});

document.addEventListener("click", (event) => {
  const months = event.target.closest("[data-months]");
  const actual = event.target.closest("[data-actual]");
  if (!months && !actual) return;
  const form = document.getElementById("timeline-form");
  if (months) form.elements.months.value = months.dataset.months;
  else form.elements.last_actual.value = actual.dataset.actual;
  form.requestSubmit();
});

const formOf = (curve) => curve.parentElement.querySelector("form");
const points = (curve) => [...curve.querySelectorAll("circle")];

function show(point, value) {
  const curve = point.closest("svg");
  const per = Number(curve.dataset.perUnit);
  const start = Number(point.dataset.value);
  point.dataset.y ??= point.getAttribute("cy");
  point.dataset.now = value;
  point.setAttribute("cy", Number(point.dataset.y) - (value - start) * per);
  point.setAttribute("aria-valuetext", `${value} %`);
  const all = points(curve);
  const line = all.map((p) => `${p.getAttribute("cx")} ${p.getAttribute("cy")}`).join("L");
  curve.querySelector(".now").setAttribute("d", `M${line}H420`);
  formOf(curve).elements.amounts.value = all.map((p) => `${p.dataset.now ?? p.dataset.value} %`).join(", ");
}

document.addEventListener("pointerdown", (event) => {
  const point = event.target.closest?.(".profile circle");
  if (!point) return;
  event.preventDefault();
  point.focus();
  const curve = point.closest("svg");
  const start = Number(point.dataset.value);
  let value = start;
  const move = (moved) => {
    value = Math.max(0, Math.round(start + (event.clientY - moved.clientY) / Number(curve.dataset.perUnit)));
    show(point, value);
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", () => {
    document.removeEventListener("pointermove", move);
    if (value !== start) formOf(curve).requestSubmit();
  }, { once: true });
});

document.addEventListener("keydown", (event) => {
  const point = event.target.closest?.(".profile circle");
  if (!point || !["ArrowUp", "ArrowDown", "Enter"].includes(event.key)) return;
  event.preventDefault();
  if (event.key === "Enter") {
    formOf(point.closest("svg")).requestSubmit();
    return;
  }
  const by = (event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 10 : 1);
  show(point, Math.max(0, Number(point.dataset.now ?? point.dataset.value) + by));
});
