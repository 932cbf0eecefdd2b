// Light or dark before the first paint: the person's choice, else the system's.
(function () {
  "use strict";
  var dark = window.matchMedia("(prefers-color-scheme: dark)");
  function chosen() {
    try { return localStorage.getItem("rainfront-theme"); } catch (e) { return null; }
  }
  function apply() {
    document.documentElement.dataset.bsTheme = chosen() || (dark.matches ? "dark" : "light");
  }
  apply();
  dark.addEventListener("change", apply);
  document.addEventListener("click", function (event) {
    if (!event.target.closest("[data-theme-switch]")) return;
    var next = document.documentElement.dataset.bsTheme === "dark" ? "light" : "dark";
    try { localStorage.setItem("rainfront-theme", next); } catch (e) { /* not stored */ }
    apply();
  });
})();
