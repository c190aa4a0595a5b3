// A series: left and right walk along it, and what stands there is said.
const walk = (chart, by) => {
  const points = JSON.parse(chart.dataset.points || "[]");
  if (!points.length) return;
  const last = Number(chart.dataset.at ?? points.length - by);
  const at = Math.min(points.length - 1, Math.max(0, last + by));
  chart.dataset.at = at;
  const [x, , words] = points[at];
  const mark = chart.querySelector(".month");
  mark.setAttribute("d", `M${x} 22V192`);
  mark.setAttribute("visibility", "visible");
  document.getElementById("series-words").textContent = words;
};

document.addEventListener("keydown", (event) => {
  const chart = event.target.closest("#series-chart");
  if (!chart || !["ArrowLeft", "ArrowRight", "Home", "End"].includes(event.key)) return;
  event.preventDefault();
  if (event.key === "Home") chart.dataset.at = 1;
  if (event.key === "End") chart.dataset.at = JSON.parse(chart.dataset.points).length - 2;
  walk(chart, ["ArrowLeft", "Home"].includes(event.key) ? -1 : 1);
});

document.addEventListener("pointermove", (event) => {
  const chart = event.target.closest?.("#series-chart");
  if (!chart) return;
  const points = JSON.parse(chart.dataset.points || "[]");
  const box = chart.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * chart.viewBox.baseVal.width;
  let near = 0;
  points.forEach((point, place) => {
    if (Math.abs(point[0] - x) < Math.abs(points[near][0] - x)) near = place;
  });
  chart.dataset.at = near;
  walk(chart, 0);
});

document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-copy]");
  if (!button) return;
  await navigator.clipboard.writeText(button.dataset.copy);
  button.textContent = "copied";
});

// The method is part of the sentence: those that take a rate or a count ask for it once chosen.
document.addEventListener("change", (event) => {
  if (event.target.matches("#trends-form select[name='method'], #trends-form select[name='series']")) {
    event.target.form.requestSubmit();
  }
});

// One series: its steps by number, as it came and back, the next one, back to all.
document.addEventListener("keydown", (event) => {
  const form = document.getElementById("trends-form");
  if (!form || event.ctrlKey || event.metaKey || document.querySelector("dialog[open]")) return;
  if (event.altKey && /^Digit[1-9]$/.test(event.code)) {
    const step = document.querySelectorAll(".step-list li")[Number(event.code.slice(-1)) - 1];
    step?.querySelector("select, button")?.focus();
  } else if (event.altKey && event.code === "KeyZ") {
    const asked = new URLSearchParams(location.search);
    if (asked.get("original")) asked.delete("original");
    else asked.set("original", "yes");
    location.search = asked;
  } else if (["PageDown", "PageUp"].includes(event.key)) {
    const series = form.elements.series;
    const next = series.selectedIndex + (event.key === "PageDown" ? 1 : -1);
    if (next < 0 || next >= series.options.length) return;
    series.selectedIndex = next;
    form.requestSubmit();
  } else if (event.key === "Escape" && !event.target.matches("input, select, textarea")) {
    document.querySelector(".back-to-all")?.click();
  } else return;
  event.preventDefault();
});
