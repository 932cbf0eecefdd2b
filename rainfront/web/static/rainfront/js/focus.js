// Where the focus goes after a fragment has been swapped in: back to the quick line, or on to the next step.
document.addEventListener("htmx:afterSettle", (event) => {
  const line = document.getElementById("line");
  if (event.detail.target?.id === "bench" && line) line.focus({ preventScroll: true });
  document.querySelector("[data-focus-next]")?.focus();
});
