// Where the focus goes: on a page just opened the first Tab is its main act; after a fragment has been swapped in, back
// to the quick line, on to the next step, or to where it was.
function begin() {
  if (toMend(document.getElementById("main"))) return;
  // What asks for the focus by itself gets it later than this runs.
  if (document.querySelector("main [autofocus]")) return;
  if (document.activeElement && document.activeElement !== document.body) return;
  const first = document.querySelector("[data-first]") || mainAct();
  if (!first || location.hash) return;
  const before = document.createElement("span");
  before.tabIndex = -1;
  before.className = "before-first";
  first.before(before);
  before.focus({ preventScroll: true });
}

// The first thing to fill in of the form that the page is for, else its main button.
function mainAct() {
  const button = document.querySelector("main .btn-main");
  const field = button?.form?.querySelector("input:not([type=hidden]), select, textarea");
  return field && field.checkVisibility() ? field : button;
}

// The first field of a refused form that is to be mended.
function toMend(within) {
  const bad = within?.querySelector("form [aria-invalid=true]");
  const field = bad?.matches("fieldset") ? bad.querySelector("input") : bad;
  field?.focus();
  return Boolean(field);
}

let last = "";
document.addEventListener("htmx:beforeSwap", () => {
  const node = document.activeElement;
  last = node?.id ? `#${CSS.escape(node.id)}` : node?.name ? `[name="${CSS.escape(node.name)}"]` : "";
});

// A line that was refused is selected: typing replaces it, an arrow key goes on in it. It has the focus before the page
// settles, so it is selected at once, and once more as it settles unless somebody has typed by then: their next key would
// replace what they typed.
document.addEventListener("htmx:afterSwap", ({ detail }) => {
  if (detail.target?.id === "bench" && detail.xhr?.status === 422) document.getElementById("line")?.select();
});
document.addEventListener("htmx:afterSettle", (event) => {
  // What was said about the last step is over with the next one.
  if (event.detail.requestConfig?.verb === "post") document.querySelectorAll("[data-said-once]").forEach((said) => said.remove());
  const line = document.getElementById("line");
  if (event.detail.target?.id === "bench" && line) line.focus({ preventScroll: true });
  const untouched = line?.value === line?.defaultValue;
  if (document.activeElement === line && untouched && line?.getAttribute("aria-invalid")) line.select();
  document.querySelector("[data-focus-next]")?.focus();
  if (document.activeElement === document.body) {
    const kept = last && document.querySelector(last);
    (kept || document.querySelector("[data-first]") || document.getElementById("main"))?.focus({ preventScroll: true });
  }
});

begin();
