// Fields that hang on a choice come and go with it.
function showFields(form) {
  for (const field of form.querySelectorAll("[data-when]")) {
    const [key, words] = field.dataset.when.split("=");
    field.hidden = !words.split("|").includes(form.elements[key].value);
  }
}

const showAll = () => document.querySelectorAll(".terms-form").forEach(showFields);

document.addEventListener("change", (event) => {
  const form = event.target.form;
  if (form?.classList.contains("terms-form")) showFields(form);
});
document.addEventListener("htmx:afterSettle", showAll);
showAll();
