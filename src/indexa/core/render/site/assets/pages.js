// Light or dark: what the system says, until the reader switches. And which edition this is, who signed it.
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
  document.addEventListener("DOMContentLoaded", function () {
    var imprint = window.IMPRINT;
    if (!imprint) return;
    document.querySelectorAll("[data-imprint]").forEach(function (place) {
      place.textContent = imprint.edition + " · " + imprint.date;
    });
    var seal = document.querySelector("[data-signed]");
    if (seal && imprint.signed) {
      seal.textContent = imprint.signed;
      seal.hidden = false;
    }
  });
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
