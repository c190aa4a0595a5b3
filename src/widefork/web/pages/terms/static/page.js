// Terms: choices that send themselves.
document.addEventListener("change", (event) => {
  if (event.target.matches(".paid [data-quiet]")) event.target.form.requestSubmit();
});
