// What the server could not do is said beside the quick line; nothing is lost without a word.
function say(text) {
  const place = document.getElementById("trouble");
  if (place) place.textContent = text;
}

document.addEventListener("htmx:responseError", (event) => {
  say(`The server answered ${event.detail.xhr.status}. Nothing was stored; try again.`);
});
document.addEventListener("htmx:sendError", () => say("The server cannot be reached. Nothing was stored; try again."));
