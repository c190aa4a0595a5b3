// The formula editor: completion by the names people use, and what the formula would give while it is typed.
import { address, modelUrl } from "/static/visit.js";
import { byId } from "./sheet.js";

let words = [];
let chosen = 0;
let timer = 0;

export async function load() {
  const reply = await fetch(address("drivers/words"));
  if (reply.ok) words = await reply.json();
}

// The word around the caret: names may be typed with spaces, as people call the line, since the last operator.
function typed(field) {
  const before = field.value.slice(0, field.selectionStart);
  const found = /[\p{L}_][\p{L}\p{N}_ ]*$/u.exec(before);
  return found ? { text: found[0].replace(/^(?:if|then|else|and|or|not|at)\s+/u, ""), end: field.selectionStart } : null;
}

function matches(text) {
  const asked = text.toLowerCase().replaceAll("_", " ").trim();
  if (asked.length < 2) return [];
  const rank = (word) => {
    const [label, name] = [word.label.toLowerCase(), word.name.replaceAll("_", " ")];
    if (label.startsWith(asked) || name.startsWith(asked)) return 0;
    if (` ${label}`.includes(` ${asked}`) || ` ${name}`.includes(` ${asked}`)) return 1;
    return label.includes(asked) || name.includes(asked) ? 2 : 3;
  };
  return words.map((word) => [rank(word), word]).filter(([place]) => place < 3).sort((a, b) => a[0] - b[0]).slice(0, 8).map(([, word]) => word);
}

function offer(field) {
  const list = byId("formula-words");
  const found = typed(field);
  const options = found ? matches(found.text) : [];
  const exact = options.length === 1 && options[0].name === found.text;
  list.replaceChildren(
    ...(exact ? [] : options).map((word, place) => {
      const item = document.createElement("li");
      item.role = "option";
      item.dataset.name = word.name;
      item.ariaSelected = String(place === 0);
      for (const [kind, text] of [["b", word.label], ["code", word.name], ["span", word.aside]]) {
        const part = document.createElement(kind);
        part.textContent = text;
        item.append(part);
      }
      return item;
    }),
  );
  chosen = 0;
  list.hidden = !list.childElementCount;
  field.ariaExpanded = String(!list.hidden);
}

function take(field, item) {
  const found = typed(field);
  const start = found.end - found.text.length;
  const name = item.dataset.name;
  field.setRangeText(name, start, found.end, "end");
  if (name.endsWith("()")) field.selectionStart = field.selectionEnd = start + name.length - 1;
  byId("formula-words").hidden = true;
  tryOut(field);
}

function tryOut(field) {
  window.clearTimeout(timer);
  timer = window.setTimeout(async () => {
    const form = field.form;
    const view = new URL(address("drivers/formula/try"), window.location.href).search;
    const reply = await fetch(modelUrl(`drivers/formula/try${view}`), {
      method: "POST",
      headers: JSON.parse(document.body.getAttribute("hx-headers")),
      body: new URLSearchParams(new FormData(form)),
    });
    if (reply.ok && form.isConnected) byId("editor-message").innerHTML = await reply.text();
  }, 180);
}

document.addEventListener("input", (event) => {
  if (!event.target.form?.matches("[data-formula-editor]")) return;
  offer(event.target);
  tryOut(event.target);
});

document.addEventListener("keydown", (event) => {
  const list = byId("formula-words");
  if (!event.target.form?.matches("[data-formula-editor]") || !list || list.hidden) return;
  const items = [...list.children];
  if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    event.preventDefault();
    chosen = (chosen + (event.key === "ArrowDown" ? 1 : -1) + items.length) % items.length;
    items.forEach((item, place) => { item.ariaSelected = String(place === chosen); });
  } else if (event.key === "Tab" || (event.key === "Enter" && !event.ctrlKey)) {
    event.preventDefault();
    take(event.target, items[chosen]);
  } else if (event.key === "Escape") {
    event.preventDefault();
    event.stopImmediatePropagation();
    list.hidden = true;
  }
});

document.addEventListener("pointerdown", (event) => {
  const item = event.target.closest?.("#formula-words li");
  if (!item) return;
  event.preventDefault();
  take(byId("editor-value"), item);
});
