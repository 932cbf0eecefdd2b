// Walking a probe sheet by keyboard. Readings are sent one after the other; the prompt is on the next pin at once, so that nobody
// waits for the network. The page works without this file: every key is also a button.
(function () {
  "use strict";
  var form = document.getElementById("probe-form");
  if (!form) return;
  var box = document.getElementById("probe"), input = document.getElementById("probe-value");
  var pinField = document.getElementById("probe-pin"), trouble = document.getElementById("probe-error");
  var prompts = JSON.parse(document.getElementById("prompts").textContent);
  var order = prompts.map(function (row) { return row.pin; });
  var read = {}, queue = [], busy = false, last = "", handsFree = false, paused = false;

  document.querySelectorAll("#sheet .pad[data-pin]").forEach(function (pad) {
    if (pad.querySelector(".value").textContent.trim()) read[pad.dataset.pin] = true;
  });

  function put(id, text) { document.getElementById(id).textContent = text; }
  function show(pin) {
    var row = prompts[order.indexOf(pin)];
    if (!row) return;
    pinField.value = pin;
    put("probe-title", row.title); put("probe-where", row.where); put("probe-expect", row.expect);
    document.querySelectorAll("#sheet .pad").forEach(function (pad) { pad.classList.toggle("now", pad.dataset.pin === pin); });
  }
  function after(pin) {
    var at = order.indexOf(pin);
    for (var k = 1; k <= order.length; k++) {
      var next = order[(at + k) % order.length];
      if (!read[next]) return next;
    }
    return "";
  }
  function finish() {
    put("probe-title", "The sheet is full"); put("probe-where", "Look at what it says below, then enter it."); put("probe-expect", "");
    box.classList.add("done");
    input.blur();
  }
  function send(pin, fields) {
    queue.push({ pin: pin, fields: fields });
    work();
  }
  function work() {
    if (busy || !queue.length) return;
    busy = true;
    var item = queue.shift(), body = new FormData(form);
    body.delete("value"); body.delete("act");
    body.set("pin", item.pin);
    Object.keys(item.fields).forEach(function (name) { body.set(name, item.fields[name]); });
    var query = box.dataset.fragment.indexOf("?") < 0 ? "" : box.dataset.fragment.slice(box.dataset.fragment.indexOf("?"));
    fetch(form.action + query, { method: "POST", body: body, headers: { "X-Fragment": "sheet" } }).then(function (answer) {
      return answer.text().then(function (html) { return { ok: answer.ok, status: answer.status, html: html }; });
    }).then(function (answer) {
      busy = false;
      if (!answer.ok && answer.status !== 422) throw new Error("The server answered " + answer.status);
      if (answer.ok) { read[item.pin] = true; if (handsFree && item.fields.act === "take") next(item.pin); }
      else refuse(item, answer.html);
      if (!queue.length || !answer.ok) swap(answer.html);
      work();
    }).catch(function (error) {
      busy = false; queue.unshift(item);
      trouble.textContent = (error.message || "The server cannot be reached") + ". " + queue.length + " reading(s) wait here; press Enter to send them again.";
    });
  }
  function swap(html) {
    var made = new DOMParser().parseFromString(html, "text/html").getElementById("sheet");
    if (!made) return;
    document.getElementById("sheet").replaceWith(made);
    if (pinField.value) show(pinField.value);
    if (Number(made.dataset.left) === 0 && order.every(function (pin) { return read[pin]; })) finish();
  }
  function refuse(item, html) {
    var made = new DOMParser().parseFromString(html, "text/html").getElementById("sheet-error");
    delete read[item.pin]; paused = item.fields.act === "take" && handsFree; handsFree = false;
    trouble.textContent = item.pin + ": " + (made ? made.textContent : "not stored");
    show(item.pin);
    input.value = item.fields.value || "";
    input.focus(); input.select();
  }
  function next(pin) {
    last = pin; read[pin] = true;
    handsFree = handsFree || paused; paused = false;
    input.value = "";
    var to = after(pin);
    if (to) show(to);
    if (to && handsFree) send(to, { act: "take", first: "no" });
    else handsFree = false;
  }
  function act(name) {
    var pin = pinField.value;
    trouble.textContent = "";
    box.classList.remove("done");
    if (name === "open" || name === "short") { send(pin, { act: name }); next(pin); }
    else if (name === "skip") { read[pin] = read[pin] || false; var to = after(pin); if (to) show(to); }
    else if (name === "back") { show(order[(order.indexOf(pin) + order.length - 1) % order.length]); }
    else if (name === "again") { if (last) show(last); }
    else if (name === "take") {
      handsFree = !handsFree; paused = false;
      trouble.textContent = handsFree ? "Hold the probe still on each pin; lift it in between. Press m to stop." : "";
      if (handsFree) send(pin, { act: "take", first: "yes" });
    }
    input.focus();
  }

  form.addEventListener("submit", function (event) {
    event.preventDefault();
    var button = event.submitter;
    if (button && button.name === "act") { act(button.value); return; }
    if (queue.length && !input.value.trim()) { trouble.textContent = ""; work(); return; }
    if (!input.value.trim()) return;
    trouble.textContent = "";
    var pin = pinField.value, value = input.value;
    send(pin, { value: value });
    next(pin);
  });
  document.getElementById("probe-repeat").addEventListener("click", function () { act("again"); });
  var keys = { o: "open", s: "short", " ": "skip", b: "back", r: "again", m: "take" };
  document.addEventListener("keydown", function (event) {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    var here = document.activeElement;
    if (here !== input && here !== document.body) return;
    var name = keys[event.key.toLowerCase()];
    if (!name || (here === input && input.value) || (name === "take" && !form.querySelector("[value=take]"))) return;
    event.preventDefault();
    act(name);
  });
  document.addEventListener("click", function (event) {
    var pad = event.target.closest("#sheet .pad[data-pin]");
    if (!pad) return;
    event.preventDefault();
    box.classList.remove("done");
    show(pad.dataset.pin); input.value = ""; input.focus();
  });
  window.addEventListener("beforeunload", function (event) { if (busy || queue.length) event.preventDefault(); });
})();
