// Light or dark before the first paint: the person's choice, else the system's. No module: it must not wait.
{
  const dark = window.matchMedia("(prefers-color-scheme: dark)");
  const chosen = () => {
    try {
      return localStorage.getItem("rainfront-theme");
    } catch {
      return null;
    }
  };
  const apply = () => {
    document.documentElement.dataset.bsTheme = chosen() || (dark.matches ? "dark" : "light");
  };
  apply();
  dark.addEventListener("change", apply);
  document.addEventListener("click", (event) => {
    if (!event.target.closest("[data-theme-switch]")) return;
    const next = document.documentElement.dataset.bsTheme === "dark" ? "light" : "dark";
    try {
      localStorage.setItem("rainfront-theme", next);
    } catch {
      // Not stored: it holds for this page.
    }
    apply();
  });
}
