// Where the focus goes after a fragment has been swapped in: back to the quick line, or on to the next step.
document.addEventListener("htmx:afterSettle", (event) => {
  // What was said about the last step is over with the next one.
  if (event.detail.requestConfig?.verb === "post") document.querySelectorAll("[data-said-once]").forEach((said) => said.remove());
  const line = document.getElementById("line");
  if (event.detail.target?.id === "bench" && line) line.focus({ preventScroll: true });
  document.querySelector("[data-focus-next]")?.focus();
});
