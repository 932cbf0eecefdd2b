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
