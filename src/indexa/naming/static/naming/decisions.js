// Keys of a naming pass: j and k go from word to word, 1 to 5 choose, o writes another, s leaves it, r takes it back.
(function () {
  "use strict";
  const all = () => [...document.querySelectorAll("article.dec")];
  const current = () => document.querySelector("article.dec.sel");

  function select(article, focus) {
    all().forEach((one) => one.classList.toggle("sel", one === article));
    article.scrollIntoView({ block: "nearest" });
    if (focus) article.querySelector(".pick").focus({ preventScroll: true });
  }

  let waiting;
  function step(by) {
    const articles = all();
    const at = articles.indexOf(current());
    const next = articles[Math.max(0, Math.min(articles.length - 1, at < 0 ? 0 : at + by))];
    if (!next) return;
    select(next, true);
    clearTimeout(waiting);
    waiting = setTimeout(() => window.htmx.trigger(next.querySelector(".pick"), "click"), 120);
  }

  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
    if (event.target.closest("input, textarea, select")) return;
    if (event.key === "j" || event.key === "k") { step(event.key === "j" ? 1 : -1); event.preventDefault(); return; }
    const article = current();
    if (!article) return;
    const press = (selector) => { const found = article.querySelector(selector); if (found) { window.htmx.process(article); found.click(); event.preventDefault(); } };
    if (/^[1-5]$/.test(event.key)) press(`.opt[name="word"]:nth-of-type(${event.key})`);
    else if (event.key === "s") press('.opt[value="leave"]');
    else if (event.key === "r") press("[data-key-back]");
    else if (event.key === "o") { const field = article.querySelector(".opt-other"); if (field) { field.focus(); event.preventDefault(); } }
  });
  document.addEventListener("click", (event) => {
    const article = event.target.closest("article.dec");
    if (article) select(article, false);
  });
  // A decision that was made is put in anew: it stays the selected one, and keeps the keys.
  let was;
  document.body.addEventListener("htmx:beforeSwap", (event) => { if (event.detail.target.matches?.("article.dec.sel")) was = event.detail.target.id; });
  document.body.addEventListener("htmx:afterSettle", () => {
    const article = was && document.getElementById(was);
    was = "";
    if (!article) return;
    select(article, true);
    window.htmx.trigger(article.querySelector(".pick"), "click");
  });
})();
