// Moves by case: arrows go from bead to bead; a month or a percentage is typed on one; the start handle is dragged.
const STEPS = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
const NUDGES = { ArrowLeft: ["by", "-1"], ArrowRight: ["by", "1"], ArrowUp: ["more", "10"], ArrowDown: ["more", "-10"] };

function send(bead, values) {
  const form = document.getElementById("bead-form");
  const all = { case: bead.dataset.case, move: bead.dataset.move, do: "set", typed: "", by: "", more: "", ...values };
  for (const [name, value] of Object.entries(all)) form.elements[name].value = value;
  form.requestSubmit();
}

function typeOn(bead, first) {
  const field = document.createElement("input");
  field.className = "bead-field";
  field.value = first;
  field.setAttribute("aria-label", "Start month such as Feb 27, or strength such as 80 %");
  bead.after(field);
  bead.hidden = true;
  field.focus();
  const leave = () => {
    field.remove();
    bead.hidden = false;
  };
  field.addEventListener("blur", leave);
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape") {
      field.blur();
      bead.focus();
    } else if (event.key === "Enter") {
      event.preventDefault();
      const typed = field.value;
      field.blur();
      bead.focus();
      send(bead, { typed });
    }
  });
}

document.addEventListener("keydown", (event) => {
  if (event.target.id === "handle" && (event.key === "ArrowLeft" || event.key === "ArrowRight")) {
    event.preventDefault();
    startBy(event.target, event.key === "ArrowLeft" ? -1 : 1);
    return;
  }
  if (event.key === "Escape" && event.target.closest?.("#move-panel")) {
    event.preventDefault();
    document.getElementById("close-move").click();
    return;
  }
  const bead = event.target.closest?.("#moves td.bead-cell button");
  if (!bead) return;
  if ((event.ctrlKey || event.metaKey) && NUDGES[event.key]) {
    event.preventDefault();
    const [name, value] = NUDGES[event.key];
    send(bead, { [name]: value });
  } else if (STEPS[event.key]) {
    event.preventDefault();
    const rows = [...document.querySelectorAll("#moves tbody tr")].filter((row) => row.querySelector(".bead-cell"));
    const row = bead.closest("tr");
    const column = [...row.querySelectorAll(".bead-cell button")].indexOf(bead) + STEPS[event.key][1];
    rows[rows.indexOf(row) + STEPS[event.key][0]]?.querySelectorAll(".bead-cell button")[column]?.focus();
  } else if (event.key === "Delete") {
    event.preventDefault();
    if (["on", "inherited", "idle"].includes(bead.dataset.state)) send(bead, { do: "off" });
  } else if (event.key === "Enter") {
    event.preventDefault();
    document.getElementById(`name-${bead.dataset.move}`).click();
  } else if (event.key.length === 1 && /[\p{L}\d]/u.test(event.key) && !event.ctrlKey && !event.metaKey && !event.altKey) {
    event.preventDefault();
    typeOn(bead, event.key);
  }
});

// The handle: how many months it was dragged; which month that is, the server says.
function startBy(handle, months) {
  if (!months) return;
  const own = document.getElementById("start-form").elements;
  send({ dataset: { case: own.case.value, move: own.move.value } }, { by: String(months) });
}

let drag = null;
document.addEventListener("pointerdown", (event) => {
  if (event.target.id !== "handle") return;
  drag = { handle: event.target, from: event.clientX };
  event.target.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  const width = Number(drag.handle.dataset.month);
  drag.months = Math.round((event.clientX - drag.from) / width);
  drag.handle.style.left = `${Number(drag.handle.dataset.x) + drag.months * width}px`;
});
document.addEventListener("pointerup", () => {
  if (!drag) return;
  const { handle, months } = drag;
  drag = null;
  startBy(handle, months);
});
place();
document.addEventListener("htmx:afterSwap", place);

function place() {
  const handle = document.getElementById("handle");
  if (handle) handle.style.left = `${handle.dataset.x}px`;
}
