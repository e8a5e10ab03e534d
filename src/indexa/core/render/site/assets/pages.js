// Light or dark: what the system says, until the reader switches.
(function () {
  "use strict";
  var root = document.documentElement;
  function kept() {
    try {
      return localStorage.getItem("theme");
    } catch (error) {
      return null;
    }
  }
  root.dataset.theme = kept() || (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
  document.addEventListener("click", function (event) {
    if (!event.target.closest("[data-theme-switch]")) return;
    root.dataset.theme = root.dataset.theme === "dark" ? "light" : "dark";
    try {
      localStorage.setItem("theme", root.dataset.theme);
    } catch (error) {
      /* opened from disk: not kept */
    }
  });
})();
