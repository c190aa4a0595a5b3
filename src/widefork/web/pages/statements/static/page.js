// Statements: what stands beside the figures, and names that send themselves when they were changed.
import { visit } from "/static/visit.js";

document.addEventListener("change", (event) => {
  if (event.target.matches("[data-beside]")) {
    const url = new URL(window.location.href);
    if (event.target.value) url.searchParams.set("beside", event.target.value);
    else url.searchParams.delete("beside");
    visit(url.pathname + url.search);
  }
  if (event.target.matches(".statement [data-quiet]") && event.target.value.trim() !== event.target.defaultValue.trim()) {
    event.target.form.requestSubmit();
  }
});
