// Once-only keys (`web.once`): what is sent twice with one key is stored once.
export function newKey() {
  const bytes = crypto.getRandomValues(new Uint8Array(12));
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, "0")).join("");
}

// A form that stays on the page after its fragment has come may be meant again: it gets a new key.
document.addEventListener("htmx:afterRequest", (event) => {
  if (!event.detail.successful) return;
  for (const field of event.detail.elt.closest("form")?.querySelectorAll("[name=once]") || []) field.value = newKey();
});

// A double click on a plain form sends it once. The server would ask about the second one; here it is not even sent.
const MOMENT_MS = 1500;
const lately = new WeakMap();
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (form.method !== "post" || form.closest("[hx-post]") || event.submitter?.closest("[hx-post]")) return;
  if (performance.now() - (lately.get(form) ?? -Infinity) < MOMENT_MS) event.preventDefault();
  else lately.set(form, performance.now());
});

// The same of a form that htmx sends: while it is on its way, the same press again is not sent after it. Another one is.
const underWay = new WeakMap();
const sentWith = ({ elt, triggeringEvent, requestConfig }) => {
  const form = elt.closest("form") || elt;
  const pressed = (triggeringEvent || requestConfig?.triggeringEvent)?.submitter;
  const fields = form instanceof HTMLFormElement ? new URLSearchParams([...new FormData(form)].map(([name, value]) => [name, `${value}`])) : "";
  return [form, `${fields} ${pressed?.name ?? ""} ${pressed?.value ?? ""}`];
};
document.addEventListener("htmx:confirm", (event) => {
  if (event.detail.verb !== "post") return;
  const [form, fields] = sentWith(event.detail);
  if (underWay.get(form) === fields) event.preventDefault();
});
document.addEventListener("htmx:beforeSend", (event) => {
  if (event.detail.requestConfig.verb !== "post") return;
  const [form, fields] = sentWith(event.detail);
  underWay.set(form, fields);
});
document.addEventListener("htmx:afterRequest", (event) => underWay.delete(event.detail.elt.closest("form") || event.detail.elt));
