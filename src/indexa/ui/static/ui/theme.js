// Follows the system's light or dark unless the person chose one; runs before the first paint. Also tells the
// server the time zone, so that pages show times as the person has them.
(function () {
  "use strict";
  const root = document.documentElement;
  const system = window.matchMedia("(prefers-color-scheme: dark)");
  const chosen = () => (document.cookie.match(/(?:^|; )theme=(light|dark)/) || [])[1];
  const apply = () => {
    root.dataset.bsTheme = chosen() || (system.matches ? "dark" : "light");
  };
  apply();
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  document.cookie = `timezone=${zone}; path=/; max-age=31536000; samesite=lax`;
  system.addEventListener("change", apply);
  document.addEventListener("click", (event) => {
    if (!event.target.closest("[data-theme-switch]")) return;
    const next = root.dataset.bsTheme === "dark" ? "light" : "dark";
    document.cookie = `theme=${next}; path=/; max-age=31536000; samesite=lax`;
    apply();
  });
})();
