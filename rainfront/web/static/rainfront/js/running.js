// A running record's figures on the bench: asked for once a second while its line is on the page.
import { figure } from "./figures.js";

async function look() {
  const line = document.querySelector("[data-live]");
  if (!line) return;
  try {
    const found = await (await fetch(line.dataset.live)).json();
    const text = line.querySelector("[data-live-text]"), last = found.t.length - 1;
    if (last >= 0) {
      const volts = found.v[last] === null ? "" : `  ${figure(found.v[last], 2)} V`;
      text.textContent = `${figure(found.a[last], 3)} A${volts}`;
    }
    if (found.state === "running") setTimeout(look, 1000);
    else text.textContent = `${found.trouble || "stopped"}; what was taken is kept`;
  } catch {
    setTimeout(look, 3000);
  }
}

look();
