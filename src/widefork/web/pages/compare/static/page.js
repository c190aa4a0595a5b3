// Compare: the answer in words is copied; small causes are opened; arrows go from cause to cause.
document.addEventListener("click", async (event) => {
  const opener = event.target.closest?.("#open-small");
  if (opener) {
    const small = document.getElementById("small-causes");
    small.hidden = !small.hidden;
    opener.setAttribute("aria-expanded", String(!small.hidden));
  }
  const copier = event.target.closest?.("#copy-words");
  if (copier) {
    await navigator.clipboard.writeText(document.getElementById("why-words").textContent);
    copier.textContent = "copied";
  }
});

document.addEventListener("keydown", (event) => {
  const cause = event.target.closest?.("#bridge a");
  if (!cause || (event.key !== "ArrowDown" && event.key !== "ArrowUp")) return;
  event.preventDefault();
  const all = [...document.querySelectorAll("#bridge a[data-visit]")].filter((one) => one.offsetParent);
  all[all.indexOf(cause) + (event.key === "ArrowDown" ? 1 : -1)]?.focus();
});
