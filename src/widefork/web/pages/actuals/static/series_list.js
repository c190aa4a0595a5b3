// All series: a list walked by keys, with ticks that are still there after one of it was looked at.
const list = () => document.querySelector(".all-table");
const links = () => [...document.querySelectorAll(".all-table td.name a")];
const ticks = () => [...document.querySelectorAll(".all-table input[name='chosen']")];
const place = () => `ticks ${location.pathname}`;
const latest = () => `latest ${location.pathname}`;

const remember = (event) => {
  if (!event.target.matches?.(".all-table input[name='chosen']")) return;
  const kept = JSON.parse(sessionStorage.getItem(place()) || "{}");
  kept[event.target.value] = event.target.checked;
  sessionStorage.setItem(place(), JSON.stringify(kept));
};

const restore = () => {
  if (!list() || list().dataset.restored) return;
  list().dataset.restored = "yes";
  const kept = JSON.parse(sessionStorage.getItem(place()) || "{}");
  for (const tick of ticks()) if (tick.value in kept) tick.checked = kept[tick.value];
  const name = sessionStorage.getItem(latest());
  sessionStorage.removeItem(latest());
  if (name) links().find((link) => link.closest("tr").dataset.series === name)?.focus();
};

document.addEventListener("change", remember);
document.addEventListener("htmx:afterSettle", restore);
restore();

document.addEventListener("click", (event) => {
  const link = event.target.closest?.(".all-table td.name a");
  if (link) sessionStorage.setItem(latest(), link.closest("tr").dataset.series);
});

// After writing, what was ticked is written: the next list begins as it is proposed.
document.addEventListener("submit", (event) => {
  if (event.target.id === "write-all") sessionStorage.removeItem(place());
});

const step = (event) => {
  const every = links();
  const now = document.activeElement?.closest(".all-table tr")?.querySelector("td.name a");
  const by = event.key === "ArrowDown" ? 1 : -1;
  let next = every[Math.min(every.length - 1, Math.max(0, every.indexOf(now) + by))];
  if (event.altKey) {
    const heads = [...document.querySelectorAll(".all-table tbody")];
    const group = heads[Math.min(heads.length - 1, Math.max(0, heads.indexOf(now?.closest("tbody")) + by))];
    next = group?.querySelector("td.name a");
  }
  next?.focus();
};

document.addEventListener("keydown", (event) => {
  if (event.altKey && event.key.toLowerCase() === "c") {
    document.querySelector("form[hx-post$='/actuals/trends/stop']")?.requestSubmit();
    return;
  }
  const row = event.target.closest?.(".all-table tr");
  if (!row) return;
  if (["ArrowDown", "ArrowUp"].includes(event.key)) {
    event.preventDefault();
    step(event);
  } else if (event.key === " " && event.target.matches("a")) {
    event.preventDefault();
    row.querySelector("input[name='chosen']")?.click();
  }
});
