// Alternatives: arrows go from cell to cell; the table goes to the clipboard as a block.
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
