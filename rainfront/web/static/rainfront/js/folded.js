// What a person has folded or unfolded stays so on this machine, from page to page and from step to step. On a phone it
// begins folded: the step has the room.
const NAME = "rainfront-folded";
const chosen = () => JSON.parse(localStorage.getItem(NAME) || "{}");

function fold() {
  const open = chosen(), wide = !matchMedia("(max-width: 34rem)").matches;
  for (const one of document.querySelectorAll("details[data-fold]")) {
    one.open = open[one.dataset.fold] ?? wide;
    one.dataset.said = "";
  }
}

document.addEventListener("click", (event) => {
  const one = event.target.closest("details[data-fold] > summary")?.parentElement;
  if (one) localStorage.setItem(NAME, JSON.stringify({ ...chosen(), [one.dataset.fold]: !one.open }));
});

document.addEventListener("htmx:afterSwap", fold);
fold();
