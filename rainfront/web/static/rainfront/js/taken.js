// What the instruments of the bench read now, beside the field that asks for it: one press, or Alt and M, takes it.
const EVERY_MS = 1000;
let field = null, shown = null, timer = 0;

function put(text) {
  field.value = text;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  field.focus();
  field.select();
}

function show(rows) {
  if (!field) return;
  shown ??= Object.assign(document.createElement("div"), { className: "taken" });
  if (shown.previousElementSibling !== field) field.after(shown);
  shown.replaceChildren(...rows.map((row) => {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "btn-text", textContent: `${row.shown} from ${row.name}` });
    button.dataset.text = row.text;
    return button;
  }));
}

async function look() {
  const asked = field;
  const answer = await fetch(`/instruments/values.json?quantity=${asked.dataset.quantity}&unit=${encodeURIComponent(asked.dataset.unit)}`, { headers: { "X-By-Itself": "yes" } }).catch(() => null);
  if (!answer?.ok || field !== asked) return;
  const { values, some } = await answer.json();
  if (field !== asked) return;
  // A shop without such an instrument is not asked again and again.
  if (some) show(values);
  else end();
}

function end() {
  clearInterval(timer);
  shown?.remove();
  field = null;
}

document.addEventListener("focusin", (event) => {
  const into = event.target.closest?.("input[data-quantity]");
  if (into === field || event.target.closest?.(".taken")) return;
  if (field) end();
  // While a probe walks, nothing is laid over the points that come next.
  if (!into || into.readOnly || into.closest("[data-walking]")) return;
  field = into;
  look();
  timer = setInterval(look, EVERY_MS);
});
document.addEventListener("focusout", (event) => {
  if (field && event.target === field && !event.relatedTarget?.closest?.(".taken")) end();
});
document.addEventListener("pointerdown", (event) => {
  // The field keeps the focus while its button is pressed.
  if (event.target.closest?.(".taken button")) event.preventDefault();
});
document.addEventListener("click", (event) => {
  const button = event.target.closest?.(".taken button");
  if (button && field) put(button.dataset.text);
});
document.addEventListener("keydown", (event) => {
  const first = field && shown?.querySelector("button");
  if (!first || !event.altKey || event.code !== "KeyM") return;
  event.preventDefault();
  put(first.dataset.text);
});
