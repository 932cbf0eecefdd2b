// Completions by keyboard, of the quick line and of a model's name. The pages work without this file.
const input = () => document.querySelector("input[role=combobox][aria-controls=completions]");
const list = () => document.getElementById("completions");
const items = () => [...document.querySelectorAll("#completions [role=option]")];
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

function take(item) {
  input().value = item.dataset.line;
  close();
  input().focus();
  if (input().id === "line") htmx.trigger(input(), "complete");
  else input().dispatchEvent(new Event("change", { bubbles: true }));
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
  } else if (event.key === "Tab" && !event.shiftKey && all.length && input().value.trim()) {
    event.preventDefault();
    take(all[Math.max(at(), 0)]);
  } else if (event.key === "Escape") {
    close();
  }
});

document.addEventListener("click", (event) => {
  const item = event.target.closest("#completions [role=option]");
  if (item) take(item);
});

// What changes the list may say whether it is open.
document.addEventListener("htmx:afterSettle", () => input()?.setAttribute("aria-expanded", String(items().length > 0)));
