// The quick line's completions by keyboard, and focus after each entry. The page works without this file.
(function () {
  "use strict";
  function input() { return document.getElementById("line"); }
  function items() { return Array.from(document.querySelectorAll("#completions [role=option]")); }
  function at() { return items().findIndex(function (item) { return item.getAttribute("aria-selected") === "true"; }); }

  function select(index) {
    var all = items();
    all.forEach(function (item, i) { item.setAttribute("aria-selected", i === index ? "true" : "false"); });
    if (all[index]) input().setAttribute("aria-activedescendant", all[index].id);
    else input().removeAttribute("aria-activedescendant");
  }
  function take(item) {
    input().value = item.dataset.line;
    document.getElementById("completions").replaceChildren();
    select(-1);
    input().focus();
    htmx.trigger(input(), "complete");
  }

  document.addEventListener("keydown", function (event) {
    if (event.key === "/" && input() && !/^(INPUT|TEXTAREA|SELECT)$/.test(document.activeElement.tagName)) {
      event.preventDefault();
      input().focus();
      return;
    }
    if (event.target !== input()) return;
    var all = items();
    if (event.key === "ArrowDown" && all.length) { event.preventDefault(); select((at() + 1) % all.length); }
    else if (event.key === "ArrowUp" && all.length) { event.preventDefault(); select((at() + all.length - 1) % all.length); }
    else if (event.key === "Enter" && at() >= 0) { event.preventDefault(); take(all[at()]); }
    else if (event.key === "Tab" && !event.shiftKey && all.length && input().value.trim()) {
      event.preventDefault();
      take(all[Math.max(at(), 0)]);
    } else if (event.key === "Escape") { document.getElementById("completions").replaceChildren(); select(-1); }
  });
  document.addEventListener("click", function (event) {
    var item = event.target.closest("#completions [role=option]");
    if (item) take(item);
  });
  document.addEventListener("htmx:afterSettle", function (event) {
    if (event.detail.target && event.detail.target.id === "bench" && input()) input().focus({ preventScroll: true });
    var open = document.querySelector("[data-focus-next]");
    if (open) open.focus();
  });
  // A live record's figures on the bench: asked for once a second while the line is on the page.
  function live() {
    var line = document.querySelector("[data-live]");
    if (!line) return;
    fetch(line.dataset.live).then(function (r) { return r.json(); }).then(function (found) {
      var last = found.t.length - 1, text = line.querySelector("[data-live-text]");
      if (last >= 0) text.textContent = found.a[last].toFixed(3) + " A" + (found.v[last] === null ? "" : "  " + found.v[last].toFixed(2) + " V");
      if (found.state === "running") setTimeout(live, 1000);
      else text.textContent = (found.trouble || "stopped") + "; what was taken is kept";
    }).catch(function () { setTimeout(live, 3000); });
  }
  live();

  document.addEventListener("htmx:responseError", function (event) {
    var place = document.getElementById("trouble");
    if (place) place.textContent = "The server answered " + event.detail.xhr.status + ". Nothing was stored; try again.";
  });
  document.addEventListener("htmx:sendError", function () {
    var place = document.getElementById("trouble");
    if (place) place.textContent = "The server cannot be reached. Nothing was stored; try again.";
  });
})();
