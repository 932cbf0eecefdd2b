// Completions by keyboard, of the quick line and of a model's name. The pages work without this file.
// A list is fresh while it was made for what stands in the field now: a late answer never replaces what was typed.
const input = () => document.querySelector("input[role=combobox][aria-controls=completions]");
const list = () => document.getElementById("completions");
const items = () => [...document.querySelectorAll("#completions [role=option]")];
const typed = () => input().value.trim();
const fresh = () => list().dataset.typed === typed();
const isLine = () => input().id === "line";
const at = () => items().findIndex((item) => item.getAttribute("aria-selected") === "true");

function select(index) {
  const all = items();
  all.forEach((item, i) => item.setAttribute("aria-selected", i === index ? "true" : "false"));
  if (all[index]) input().setAttribute("aria-activedescendant", all[index].id);
  else input().removeAttribute("aria-activedescendant");
}

function close() {
  list().replaceChildren();
  select(-1);
}

function put(item) {
  input().value = item.dataset.line;
  close();
  if (isLine()) htmx.trigger(input(), "complete");
  else input().dispatchEvent(new Event("change", { bubbles: true }));
}

function take(item) {
  put(item);
  input().focus();
}

// Tab in the quick line takes the first way to go on, at once or as soon as the list for what was typed has come;
// pressed once more before that, it moves on.
let wanted = false;

function tabInLine(event) {
  event.preventDefault();
  const all = items();
  if (fresh()) {
    take(all[Math.max(at(), 0)]);
  } else {
    wanted = true;
    htmx.trigger(input(), "complete");
  }
}

// Tab in a model's name always moves on; it fills in what was chosen, the first model that begins as was typed, or the
// only one with a later word that does.
function tabInModel() {
  const all = items(), text = typed().toLowerCase();
  const begins = (item) => item.dataset.line.toLowerCase().startsWith(text);
  const same = all.some((item) => item.dataset.line.toLowerCase() === text);
  const inside = all.filter((item) => item.dataset.line.toLowerCase().includes(` ${text}`));
  const only = text.length > 1 && inside.length === 1 ? inside[0] : null;
  const chosen = all[at()] || all.find(begins) || only;
  if (chosen && fresh() && (at() >= 0 || !same)) put(chosen);
  else close();
}

document.addEventListener("keydown", (event) => {
  if (event.key === "/" && input() && !/^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement.tagName)) {
    event.preventDefault();
    input().focus();
    return;
  }
  if (!input() || event.target !== input()) return;
  const all = items();
  if (event.key === "ArrowDown" && all.length) {
    event.preventDefault();
    select((at() + 1) % all.length);
  } else if (event.key === "ArrowUp" && all.length) {
    event.preventDefault();
    select((at() + all.length - 1) % all.length);
  } else if (event.key === "Enter" && at() >= 0) {
    event.preventDefault();
    take(all[at()]);
  } else if (event.key === "Tab" && !event.shiftKey && typed()) {
    if (!isLine()) tabInModel();
    else if (fresh() ? all.length : !wanted) tabInLine(event);
  } else if (event.key === "Escape") {
    close();
  }
});

document.addEventListener("click", (event) => {
  const item = event.target.closest("#completions [role=option]");
  if (item) take(item);
});

// What was chosen in a list belongs to what was typed when it came.
document.addEventListener("input", (event) => {
  if (event.target !== input()) return;
  wanted = false;
  select(-1);
});

// What changes the list may say whether it is open. A list that comes once the field was left, or for less than what
// stands there now, is not shown.
document.addEventListener("htmx:afterSettle", () => {
  if (!input() || !list()) return;
  if (items().length && (document.activeElement !== input() || !fresh())) close();
  input().setAttribute("aria-expanded", String(items().length > 0));
  if (wanted && fresh()) {
    wanted = false;
    if (items().length) take(items()[0]);
  }
});
