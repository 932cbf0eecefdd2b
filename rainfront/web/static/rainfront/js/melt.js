// Times a melt: from the first air on the board until the joint moves, or until a thermocouple at the joint says that
// its solder has melted. It fills the field in; keeping the melt stays a press of its own.
const place = document.querySelector("[data-melt]"), form = place.closest("form");
const press = place.querySelector("button"), said = place.querySelector("[role=status]"), by = place.querySelector("select");
const melting = JSON.parse(document.getElementById("melting").textContent);
const LOOK_MS = 250;
let begun = 0, timer = 0;

async function degrees() {
  const answer = await fetch("/instruments/values.json?quantity=celsius", { headers: { "X-By-Itself": "yes" } }).catch(() => null);
  return answer?.ok ? (await answer.json()).values : [];
}

function over(text) {
  clearInterval(timer);
  begun = 0;
  press.textContent = "Time it";
  said.textContent = text;
}

function done(how) {
  const seconds = (performance.now() - begun) / 1000;
  over(`${how} after ${seconds.toFixed(1)} s`);
  form.elements.seconds.value = seconds.toFixed(1);
  form.querySelector("button.btn-main").focus();
}

async function look() {
  const mine = begun;
  said.textContent = `${((performance.now() - begun) / 1000).toFixed(0)} s`;
  if (!by.value) return;
  const found = (await degrees()).find((row) => row.name === by.value);
  if (!begun || begun !== mine) return;
  if (!found) said.textContent += `, ${by.value} says nothing now`;
  else if (parseFloat(found.text.replace(",", ".")) >= melting[form.elements.alloy.value]) done(`${found.shown} at ${by.value}`);
  else said.textContent += `, ${found.shown}`;
}

press.addEventListener("click", () => {
  if (begun) return done("It moved");
  begun = performance.now();
  press.textContent = "It moved";
  timer = setInterval(look, LOOK_MS);
});
place.addEventListener("keydown", (event) => {
  if (begun && event.key === "Escape") over("Not timed.");
});
const names = (await degrees()).map((row) => row.name);
by.append(...names.map((name) => new Option(name, name)));
by.closest("label").hidden = !names.length;
place.hidden = false;
