// A plan that is run: keys press the buttons (a foot pedal that types Page Down does too), timers count down and sound off once.
const rung = new Set();

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  // In a field for a number only the sign that no number has: it says what may be said instead.
  const field = event.target.closest("input:not([type=hidden]), textarea, select");
  if (field && !(event.key === "=" && field.closest(".readings"))) return;
  const button = document.querySelector(`[data-key="${CSS.escape(event.key)}"]`);
  if (!button) return;
  event.preventDefault();
  button.click();
});

function ring() {
  try {
    const sound = new AudioContext(), tone = sound.createOscillator();
    tone.frequency.value = 660;
    tone.connect(sound.destination);
    tone.start();
    tone.stop(sound.currentTime + 0.4);
  } catch {
    // No sound here; the words say it too.
  }
}

function count() {
  for (const timer of document.querySelectorAll("[data-due]")) {
    const left = Math.ceil((new Date(timer.dataset.due) - Date.now()) / 1000), said = timer.querySelector("[data-left]");
    if (left > 0) {
      said.textContent = `${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")}`;
    } else {
      said.textContent = "time is up";
      timer.classList.add("over");
      if (!rung.has(timer.dataset.due) && left > -30) ring();
      rung.add(timer.dataset.due);
    }
  }
}

// The list shows the step that is large, without moving the page.
function follow() {
  const list = document.querySelector(".steplist ol"), now = list?.querySelector(".is-now");
  if (now) list.scrollTop = now.offsetTop - list.offsetTop - list.clientHeight / 3;
}

count();
follow();
setInterval(count, 500);
document.addEventListener("htmx:afterSettle", () => {
  count();
  follow();
});
