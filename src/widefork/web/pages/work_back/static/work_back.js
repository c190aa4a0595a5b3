// Up and down step through questions and goals; Enter follows the one in focus, as with any link.
document.addEventListener("keydown", (event) => {
  if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
  if (event.altKey || event.ctrlKey || event.metaKey || event.shiftKey) return;
  const here = event.target.closest?.("[data-step]");
  if (!here) return;
  const steps = [...document.querySelectorAll("[data-step]")];
  const next = steps[steps.indexOf(here) + (event.key === "ArrowDown" ? 1 : -1)];
  if (!next) return;
  event.preventDefault();
  next.focus();
});
