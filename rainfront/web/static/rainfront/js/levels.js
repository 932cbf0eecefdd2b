// What an answer would do to the gauges, shown on them as dashed levels while the answer has the focus or the pointer.
const TOP = 58, HEIGHT = 46;

function show(answer) {
  const levels = answer ? JSON.parse(answer.dataset.levels) : {};
  for (const station of document.querySelectorAll(".line [data-station]")) {
    const level = levels[station.dataset.station], ghost = station.querySelector(".ghost"), said = station.querySelector(".pct");
    if (!ghost) continue;
    ghost.classList.toggle("on", level !== undefined);
    station.classList.toggle("would", level !== undefined);
    if (level !== undefined) {
      ghost.setAttribute("y1", TOP + HEIGHT * (1 - level));
      ghost.setAttribute("y2", TOP + HEIGHT * (1 - level));
      said.dataset.now ??= said.textContent;
      said.textContent = level < 0.01 ? "<1%" : level > 0.99 ? ">99%" : `${Math.round(level * 100)}%`;
    } else if (said.dataset.now) said.textContent = said.dataset.now;
  }
}

for (const name of ["focusin", "pointerover"]) {
  document.addEventListener(name, (event) => show(event.target.closest?.("[data-levels]") ?? document.activeElement?.closest?.("[data-levels]")));
}
document.addEventListener("focusout", () => show(null));
