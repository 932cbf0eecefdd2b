// Walking a probe sheet by keyboard. Readings are sent one after the other; the prompt is on the next pin at once, so that nobody
// waits for the network. The page works without this file: every key is also a button.
import { newKey } from "./once.js";

const form = document.getElementById("probe-form");
const KEYS = { o: "open", s: "short", " ": "skip", b: "back", r: "again", m: "take" };

function walk() {
  const box = document.getElementById("probe"), input = document.getElementById("probe-value");
  const pinField = document.getElementById("probe-pin"), trouble = document.getElementById("probe-error");
  const prompts = JSON.parse(document.getElementById("prompts").textContent);
  const order = prompts.map((row) => row.pin), read = new Set(), queue = [];
  let busy = false, last = "", handsFree = false, paused = false;

  for (const pad of document.querySelectorAll("#sheet .pad[data-pin]")) {
    if (pad.querySelector(".value").textContent.trim()) read.add(pad.dataset.pin);
  }

  function put(id, text) {
    document.getElementById(id).textContent = text;
  }

  function show(pin) {
    const row = prompts[order.indexOf(pin)];
    if (!row) return;
    pinField.value = pin;
    put("probe-title", row.title);
    put("probe-where", row.where);
    put("probe-expect", row.expect);
    document.dispatchEvent(new CustomEvent("probe-shown", { detail: pin }));
    for (const pad of document.querySelectorAll("#sheet .pad")) {
      pad.classList.toggle("now", pad.dataset.pin === pin);
      if (pad.dataset.pin === pin) centre(pad);
    }
  }

  // On a narrow screen the map is wider than the page: the pin to probe is brought to its middle.
  function centre(pad) {
    const map = pad.closest(".pinmap"), from = map.getBoundingClientRect(), at = pad.getBoundingClientRect();
    map.scrollLeft += at.left + at.width / 2 - from.left - from.width / 2;
  }

  function after(pin) {
    const start = order.indexOf(pin) + 1;
    return [...order.slice(start), ...order.slice(0, start)].find((other) => !read.has(other)) || "";
  }

  function finish() {
    put("probe-title", "The sheet is full");
    put("probe-where", "Look at what it says below, then enter it.");
    put("probe-expect", "");
    box.classList.add("done");
    input.blur();
  }

  function send(pin, fields) {
    queue.push({ pin, fields, once: newKey() });
    work();
  }

  // The same headers as htmx sends: the server answers with the fragment.
  async function post(item) {
    const body = new FormData(form), query = new URL(box.dataset.fragment, location).search;
    body.delete("value");
    body.delete("act");
    body.set("pin", item.pin);
    // A reading that is sent again after the network broke has its key still: it is stored once.
    body.set("once", item.once);
    for (const [name, value] of Object.entries(item.fields)) body.set(name, value);
    const headers = { "HX-Request": "true", "HX-Target": "sheet" };
    const answer = await fetch(form.action + query, { method: "POST", body, headers });
    if (!answer.ok && answer.status !== 422) throw new Error(`The server answered ${answer.status}`);
    if (answer.headers.get("HX-Refresh")) location.reload();
    return { ok: answer.ok, html: await answer.text() };
  }

  async function work() {
    if (busy || !queue.length) return;
    busy = true;
    const item = queue.shift();
    try {
      const answer = await post(item);
      busy = false;
      if (answer.ok) {
        read.add(item.pin);
        if (handsFree && item.fields.act === "take") next(item.pin);
      } else {
        refuse(item, answer.html);
      }
      if (!queue.length || !answer.ok) swap(answer.html, answer.ok ? item.pin : "");
      work();
    } catch (error) {
      busy = false;
      queue.unshift(item);
      const what = error.message || "The server cannot be reached";
      trouble.textContent = `${what}. ${queue.length} reading(s) wait here; press Enter to send them again.`;
    }
  }

  function part(html, id) {
    return new DOMParser().parseFromString(html, "text/html").getElementById(id);
  }

  // One tone a verdict, where the person has switched them on: high for good, lower for off its band, twice low for a
  // short, falling for open.
  const TONES = { good: [[880, 0.07]], off: [[440, 0.16]], short: [[220, 0.12], [220, 0.12]], open: [[440, 0.1], [294, 0.16]] };
  const toned = document.getElementById("probe-tone");
  let sound = null;

  function tell(pin) {
    if (toned?.getAttribute("aria-pressed") !== "true") return;
    const pad = document.querySelector(`#sheet .pad[data-pin="${CSS.escape(pin)}"]`);
    const verdict = Object.keys(TONES).find((name) => pad?.querySelector(`.mark-${name}`));
    if (!verdict) return;
    sound ??= new AudioContext();
    let when = sound.currentTime;
    for (const [hertz, seconds] of TONES[verdict]) {
      const tone = sound.createOscillator(), loud = sound.createGain();
      tone.frequency.value = hertz;
      loud.gain.value = 0.15;
      tone.connect(loud).connect(sound.destination);
      tone.start(when);
      tone.stop(when + seconds);
      when += seconds + 0.06;
    }
    toned.dataset.told = verdict;
  }

  function setTone(on) {
    toned.setAttribute("aria-pressed", String(on));
    toned.textContent = on ? "Tones on" : "Tones off";
    localStorage.setItem("probe-tones", on ? "on" : "off");
  }

  if (toned) {
    setTone(localStorage.getItem("probe-tones") === "on");
    toned.addEventListener("click", () => {
      setTone(toned.getAttribute("aria-pressed") !== "true");
      input.focus();
    });
  }

  function swap(html, pin) {
    const made = part(html, "sheet");
    if (!made) return;
    document.getElementById("sheet").replaceWith(made);
    document.dispatchEvent(new CustomEvent("sheet-swapped"));
    if (pinField.value) show(pinField.value);
    if (pin) tell(pin);
    if (Number(made.dataset.left) === 0 && order.every((pin) => read.has(pin))) finish();
  }

  function refuse(item, html) {
    read.delete(item.pin);
    paused = item.fields.act === "take" && handsFree;
    handsFree = false;
    trouble.textContent = `${item.pin}: ${part(html, "sheet-error")?.textContent ?? "not stored"}`;
    show(item.pin);
    input.value = item.fields.value || "";
    input.focus();
    input.select();
  }

  function next(pin) {
    last = pin;
    read.add(pin);
    handsFree = handsFree || paused;
    paused = false;
    input.value = "";
    const to = after(pin);
    if (to) show(to);
    if (to && handsFree) send(to, { act: "take", first: "no" });
    else handsFree = false;
  }

  function toggleHandsFree(pin) {
    handsFree = !handsFree;
    paused = false;
    trouble.textContent = handsFree ? "Hold the probe still on each pin; lift it in between. Press m to stop." : "";
    if (handsFree) send(pin, { act: "take", first: "yes" });
  }

  function act(name) {
    const pin = pinField.value;
    trouble.textContent = "";
    box.classList.remove("done");
    if (name === "open" || name === "short") {
      send(pin, { act: name });
      next(pin);
    } else if (name === "skip") {
      const to = after(pin);
      if (to) show(to);
    } else if (name === "back") {
      show(order[(order.indexOf(pin) + order.length - 1) % order.length]);
    } else if (name === "again") {
      if (last) show(last);
    } else if (name === "take") {
      toggleHandsFree(pin);
    }
    input.focus();
  }

  form.addEventListener("submit", (event) => {
    event.preventDefault();
    if (event.submitter?.name === "act") {
      act(event.submitter.value);
      return;
    }
    const pin = pinField.value, value = input.value;
    if (!value.trim() && !queue.length) return;
    trouble.textContent = "";
    if (!value.trim()) {
      work();
      return;
    }
    send(pin, { value });
    next(pin);
  });
  document.getElementById("probe-repeat").addEventListener("click", () => act("again"));
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const here = document.activeElement, name = KEYS[event.key.toLowerCase()];
    if (here !== input && here !== document.body) return;
    if (!name || (here === input && input.value) || (name === "take" && !form.querySelector("[value=take]"))) return;
    event.preventDefault();
    act(name);
  });
  document.addEventListener("click", (event) => {
    const pad = event.target.closest("#sheet .pad[data-pin]");
    if (!pad) return;
    event.preventDefault();
    box.classList.remove("done");
    show(pad.dataset.pin);
    input.value = "";
    input.focus();
  });
  window.addEventListener("beforeunload", (event) => {
    if (busy || queue.length) event.preventDefault();
  });
}

if (form) walk();
