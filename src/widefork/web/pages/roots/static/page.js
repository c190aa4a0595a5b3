// Roots: segments are placed by their share of the strip's width; Backspace goes one level back.
import { visit } from "/static/visit.js";

function place() {
  for (const part of document.querySelectorAll("#strips [data-x]")) {
    part.style.left = `${part.dataset.x / 10}%`;
    part.style.width = `${part.dataset.width / 10}%`;
  }
}

place();
document.addEventListener("htmx:afterSettle", place);

document.addEventListener("change", (event) => {
  if (event.target.id === "roots-than") visit(event.target.value);
  if (event.target.id === "roots-find") {
    const options = [...document.querySelectorAll("#roots-assumptions option")];
    const asked = event.target.value.toLowerCase();
    const found = options.find((option) => option.value.toLowerCase() === asked) ?? options.find((option) => option.value.toLowerCase().includes(asked));
    if (found && asked) visit(found.dataset.url);
  }
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Backspace" || event.target.closest("input, textarea, select")) return;
  const up = [...document.querySelectorAll("#strips .up")].at(-1);
  if (!up) return;
  event.preventDefault();
  visit(up.getAttribute("href"));
});
