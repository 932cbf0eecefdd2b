// The quick line's completions by keyboard. The page works without this file.
const input = () => document.getElementById("line");
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
  htmx.trigger(input(), "complete");
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
