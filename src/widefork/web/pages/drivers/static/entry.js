// Typing into cells: the field over the cell, what stands under it, and the gesture that is sent.
import { send, address } from "/static/visit.js";
import { activeCell, asRows, block, byId, choose, isRange, rowOf, step } from "./sheet.js";

let cell = null; // the cell being edited
let latest = null; // the gesture sent last, to send it again with an offer taken up

const place = () => byId("editor-place");
export const isOpen = () => Boolean(byId("entry"));

export function close() {
  place().replaceChildren();
  delete place().dataset.keep;
  cell = null;
}

const element = (name, attributes = {}, text = "") => {
  const made = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  made.textContent = text;
  return made;
};

// Open the field over the active cell, or only what is said of it where nothing can be typed.
export function open(typed, message = "", asks = true) {
  const chosen = block();
  cell = activeCell();
  if (!cell) return;
  byId("entry")?.remove();
  const byMonth = byId("sheet").dataset.by === "month";
  const isEditable = asks && ((byMonth && isRange(chosen)) || cell.classList.contains("editable"));
  const box = element("div", { id: "entry", class: "editor entry" });
  if (isEditable) {
    const field = element("input", { id: "editor-value", class: "field", autocomplete: "off", inputmode: "text", "aria-label": "New value", "aria-describedby": "editor-message" });
    field.value = typed ?? (isTotal(rowOf(cell)) ? "" : cell.dataset.v);
    box.append(field, element("p", { class: "reach" }, reachWords(chosen)));
  } else box.tabIndex = -1;
  const said = element("div", { id: "editor-message", role: "alert" });
  said.innerHTML = message;
  box.append(said, element("div", { id: "entry-hint" }));
  place().replaceChildren(box);
  place().dataset.keep = "1";
  put(box);
  const field = byId("editor-value");
  (field ?? box).focus({ preventScroll: true });
  if (field && typed === undefined) field.select();
  tell(chosen, isEditable);
}

const isTotal = (row) => Boolean(row.querySelector("a.fold"));
const monthOf = (column) => document.querySelectorAll("#sheet thead th[data-month]")[column]?.textContent;

function reachWords(chosen) {
  if (isRange(chosen)) return `Enter sets ${chosen.rows.length * chosen.months.length} cells`;
  const month = monthOf(chosen.from);
  const [on, only] = [`from ${month} on`, `only ${month}`];
  const usual = rowOf(activeCell()).dataset.reach === "on";
  return usual ? `Enter: ${on} · Alt+Enter: ${only}` : `Enter: ${only} · Alt+Enter: ${on}`;
}

// The field lies over its cell; what is said stands under it, or above it near the foot of the page.
function put(box) {
  const at = cell.getBoundingClientRect();
  box.style.left = `${Math.max(8, Math.min(at.left, window.innerWidth - 352))}px`;
  const isLow = at.top + 240 > window.innerHeight;
  box.style.top = isLow ? "" : `${at.bottom + 3}px`;
  box.style.bottom = isLow ? `${window.innerHeight - at.top + 3}px` : "";
  const field = byId("editor-value");
  if (!field) return;
  const width = Math.max(at.width + 4, 78);
  field.style.left = `${at.right + 2 - width}px`;
  field.style.top = `${at.top - 2}px`;
  field.style.width = `${width}px`;
}

// Somebody who types on at once does not read what stands under the cell, and need not wait for it.
const A_MOMENT = 150;

async function tell(chosen, isEditable) {
  const opened = byId("entry");
  await new Promise((goOn) => setTimeout(goOn, A_MOMENT));
  if (!opened.isConnected) return;
  const row = rowOf(cell);
  const month = chosen.months[0];
  const unlocked = byId("sheet").dataset.unlocked;
  const asked = cell;
  const reply = await fetch(address("drivers/cell", { line: row.dataset.line, at: row.dataset.at, month, unlocked }));
  const hint = byId("entry-hint");
  if (!reply.ok || !hint || cell !== asked) return;
  hint.innerHTML = await reply.text();
  htmx.process(hint);
  if (isEditable && isRange(chosen)) hint.querySelector("[data-refusal]")?.remove();
}

export async function gesture(values, options = {}) {
  if (byId("sheet").dataset.by !== "month") {
    byId("message").innerHTML = '<p class="fault">Values are given by month. Choose Month at the top right to change them.</p>';
    return false;
  }
  const chosen = values.rows ? null : block();
  const sent = { rows: chosen && asRows(chosen.rows), months: chosen?.months, ...values };
  latest = { sent, home: activeCell()?.id };
  const unlocked = byId("sheet").dataset.unlocked;
  const despite = sent.despite ? "yes" : "";
  const done = await send("drivers/cells", { gesture: JSON.stringify(sent), unlocked, despite });
  if (!done) fail(options.typed);
  return done;
}

// What was wrong is said at the place it was made, with what was typed still there.
function fail(typed) {
  const said = byId("gesture-message").innerHTML;
  byId("gesture-message").replaceChildren();
  const home = latest.home && byId(latest.home);
  if (isOpen() || !home) {
    byId("message").innerHTML = said;
    byId("message").dataset.of = "gesture";
    return;
  }
  choose(home);
  open(typed, said, typed !== undefined);
}

export function commit({ other = false, down = 0, right = 0 } = {}) {
  const field = byId("editor-value");
  const home = activeCell();
  const chosen = block();
  const value = field.value;
  const usual = rowOf(home).dataset.reach === "on";
  const reach = !isRange(chosen) && usual !== other ? "on" : "only";
  close();
  if (value.trim() === home.dataset.v && !isRange(chosen)) {
    step(down, right);
    return;
  }
  const sent = gesture({ kind: "type", value, reach }, { typed: value });
  if (!isRange(chosen)) step(down, right);
  else home.focus();
  return sent;
}

export function takeOffer(offer) {
  const [name, value] = offer.split(":");
  close();
  byId("message").replaceChildren();
  gesture({ ...latest.sent, [name]: value ?? true });
}

// After a conflict: the same gesture again, over what somebody else did meanwhile.
export function insist() {
  close();
  gesture({ ...latest.sent, despite: true });
}

// A small form for "+5 %", "-20000 in total", "set to 50" on what is chosen.
export function openAdjust() {
  open("");
  const field = byId("editor-value");
  if (!field) return;
  field.placeholder = "+5 %   −20000 in total   set to 50";
  field.setAttribute("aria-label", "Adjust by");
  field.classList.add("wide");
  field.removeAttribute("style");
  byId("entry").dataset.adjusts = "1";
}

export function commitAdjust() {
  const value = byId("editor-value").value;
  close();
  activeCell()?.focus();
  gesture({ kind: "adjust", value }, { typed: value });
}
