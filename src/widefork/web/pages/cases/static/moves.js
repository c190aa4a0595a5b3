// Moves by case: the arrow keys go from bead to bead.
const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

document.addEventListener("keydown", (event) => {
  const bead = event.target.closest?.("#moves td button");
  const step = STEPS[event.key];
  if (!bead || !step) return;
  event.preventDefault();
  const rows = [...document.querySelectorAll("#moves tbody tr")];
  const row = bead.closest("tr");
  const column = [...row.querySelectorAll("td button")].indexOf(bead) + step[1];
  const there = rows[rows.indexOf(row) + step[0]]?.querySelectorAll("td button")[column];
  there?.focus();
});
