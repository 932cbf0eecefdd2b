// Walks a probe from test point to test point: waits for a reading that stands still, puts it in, goes to the next.
const form = document.querySelector("[data-walk]");
const said = form.querySelector("[data-walk-said]"), begin = form.querySelector("[data-walk-begin]");
const usual = begin.textContent;
let over = null;

function labelOf(field) {
  return field.labels[0].textContent.trim();
}

function stop(text) {
  over?.abort();
  over = null;
  begin.textContent = usual;
  said.textContent = text;
  delete form.dataset.walking;
}

async function ask(lifted, signal) {
  const sent = new URLSearchParams({ quantity: "volts", csrfmiddlewaretoken: form.elements.csrfmiddlewaretoken.value });
  if (lifted) sent.set("lifted", "no");
  const answer = await fetch(form.dataset.walk, { method: "POST", body: sent, signal });
  return answer.headers.get("Content-Type")?.startsWith("application/json") ? answer.json() : { error: "the program did not answer" };
}

async function walk() {
  const mine = over = new AbortController();
  begin.textContent = "Stop";
  form.dataset.walking = "";
  let lifted = false;
  const points = [...form.querySelectorAll("input[name^=v_]")].filter((field) => !field.value);
  for (const field of points) {
    field.focus();
    said.textContent = `Probe on: ${labelOf(field)}`;
    // Until the hand is there; a point that cannot be reached is passed by Tab.
    const left = new AbortController();
    field.addEventListener("blur", () => left.abort(), { once: true });
    let found = { again: true };
    while (found.again && over === mine && document.activeElement === field) {
      found = await ask(lifted, AbortSignal.any([mine.signal, left.signal])).catch(() => ({ error: "the program did not answer" }));
    }
    if (over !== mine) return;
    if (document.activeElement !== field) continue;
    if (found.error) return stop(found.error);
    field.value = found.text;
    field.dispatchEvent(new Event("input", { bubbles: true }));
    lifted = true;
  }
  stop("Every point is read or left out.");
  form.querySelector("button.btn-main").focus();
}

for (const part of form.querySelectorAll("[data-needs-scripts]")) part.hidden = false;
begin.addEventListener("click", () => (over ? stop("Stopped.") : walk()));
form.addEventListener("keydown", (event) => {
  if (over && event.key === "Escape") stop("Stopped.");
});
// Who types takes over; what is put in by the walk is no key.
form.addEventListener("beforeinput", () => over && stop("Typed by hand from here."));
