// Actuals: says which field was changed, so that what was only proposed elsewhere stays a proposal.
document.addEventListener(
  "change",
  (event) => {
    const form = event.target.form;
    if (form?.id === "arrange") form.elements.changed.value = event.target.name;
  },
  true,
);

// Numbers that can be read two ways: the message offers both, and the books are sent again.
document.addEventListener("click", (event) => {
  const offer = event.target.closest("#books-message [data-offer^='mark:']");
  const form = document.getElementById("read-form");
  if (!offer || !form) return;
  form.elements.mark.value = offer.dataset.offer.slice("mark:".length);
  form.requestSubmit();
  form.elements.mark.value = "";
});
