// Actuals: says which field was changed, so that what was only proposed elsewhere stays a proposal.
document.addEventListener(
  "change",
  (event) => {
    const form = event.target.form;
    if (form?.id === "arrange") form.elements.changed.value = event.target.name;
  },
  true,
);
