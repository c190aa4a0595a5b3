// Tables of rows in a form: rows are added, and a pasted block fills cells from the one it is pasted into.
function addRow(body) {
  const last = body.rows[body.rows.length - 1];
  const row = last.cloneNode(true);
  for (const field of row.querySelectorAll("input, select")) {
    field.name = field.name.replace(/\.\d+\./, `.${body.rows.length}.`);
    field.setAttribute("aria-label", field.getAttribute("aria-label").replace(/\d+$/, body.rows.length + 1));
    if (field.tagName === "INPUT") field.value = "";
  }
  body.append(row);
  return row;
}

function put(field, text) {
  if (field.tagName !== "SELECT") {
    field.value = text;
    return;
  }
  const wanted = text.toLowerCase();
  const option = [...field.options].find((one) => one.value === wanted || one.text.toLowerCase() === wanted);
  if (!option && text) field.add(new Option(text, text)); // what does not fit stays in sight, and is refused with a sentence
  field.value = option ? option.value : text || field.options[0].value;
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-add-row]");
  if (!button) return;
  addRow(button.closest("[data-rows]").querySelector("tbody")).querySelector("input").focus();
});

document.addEventListener("paste", (event) => {
  const cell = event.target.closest("[data-rows] td");
  const text = event.clipboardData.getData("text/plain");
  if (!cell || !/[\t\n]/.test(text.trimEnd())) return;
  event.preventDefault();
  const body = cell.closest("tbody");
  const [top, left] = [cell.parentElement.rowIndex - 1, cell.cellIndex];
  const block = text.replace(/\r\n?/g, "\n").replace(/\n+$/, "").split("\n");
  block.forEach((line, down) => {
    while (body.rows.length <= top + down) addRow(body);
    line.split("\t").forEach((value, across) => {
      const field = body.rows[top + down].cells[left + across]?.querySelector("input, select");
      if (field) put(field, value.trim());
    });
  });
  body.dispatchEvent(new Event("change", { bubbles: true }));
});
