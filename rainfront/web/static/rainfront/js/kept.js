// What was typed is not lost where somebody was signed out meanwhile: it is kept in this tab as it is sent, and put back
// when they come back from the sign-in page to the page it was typed on.
const TYPED = "rainfront-typed", OUT = "rainfront-signed-out";
// The form whose answer is waited for. Only its own answer forgets what was typed: another fragment, as the completions
// of the line, may settle while the form is still under way to the sign-in page.
let sent = null;

function formsOf() {
  return [...document.querySelectorAll("main form")];
}

document.addEventListener("submit", (event) => {
  const at = formsOf().indexOf(event.target);
  if (at < 0 || document.querySelector("[data-sign-in]")) return;
  sent = event.target;
  const fields = [...event.target.elements]
    .filter((field) => field.name && !["password", "hidden", "file", "submit", "button"].includes(field.type))
    .map((field) => [field.name, field.value, field.type === "checkbox" || field.type === "radio" ? field.checked : null]);
  sessionStorage.setItem(TYPED, JSON.stringify({ page: location.pathname, at, fields }));
}, true);

document.addEventListener("htmx:afterSettle", (event) => {
  const { elt: by, verb } = event.detail.requestConfig || {};
  if (!sent || !by || (by !== sent && (verb !== "post" || !sent.contains(by)))) return;
  sessionStorage.removeItem(TYPED);
  sent = null;
});

function putBack({ page, at, fields }) {
  const form = page === location.pathname && formsOf()[at];
  if (!form) return;
  let first = null;
  for (const [name, value, checked] of fields) {
    for (const field of form.elements) {
      if (field.name !== name) continue;
      if (checked === null) field.value = value;
      else if (field.value === value) field.checked = checked;
      else continue;
      if (checked === null && value) first ||= field;
    }
  }
  const said = document.createElement("div");
  said.className = "say";
  said.setAttribute("role", "status");
  said.textContent = "You had been signed out. What you typed is back; it is not stored yet, send it again.";
  document.getElementById("main").prepend(said);
  (first || form.querySelector("input:not([type=hidden]), textarea, select"))?.focus();
}

if (document.querySelector("[data-sign-in]")) {
  if (sessionStorage.getItem(TYPED)) sessionStorage.setItem(OUT, "yes");
} else {
  const typed = sessionStorage.getItem(TYPED);
  if (typed && sessionStorage.getItem(OUT)) putBack(JSON.parse(typed));
  sessionStorage.removeItem(TYPED);
  sessionStorage.removeItem(OUT);
}
