// The contents beside a page: links of this edition, and the tables of each schema, those of the page's own one opened.
// Then what is new or changed in this edition is marked.
(function () {
  "use strict";
  var body = document.body;
  var home = body.dataset.home;
  var here = body.dataset.path;
  var imprint = window.IMPRINT || { links: [], marks: {} };

  function link(path, text, asCode) {
    var made = document.createElement("a");
    made.href = home + path;
    var words = document.createElement(asCode ? "code" : "span");
    words.textContent = text;
    made.append(words);
    if (path === here) made.setAttribute("aria-current", "page");
    return made;
  }
  function item(list, made, mark) {
    var entry = document.createElement("li");
    entry.append(made);
    if (mark) entry.append(badge(mark));
    list.append(entry);
  }
  function badge(mark) {
    var made = document.createElement("small");
    made.className = "new";
    made.textContent = mark;
    return made;
  }

  var links = document.querySelector("[data-links]");
  imprint.links.forEach(function (one) {
    item(links, link(one[0], one[1]));
  });
  if (imprint.changes) item(links, link("changes.html", "What changed"));
  links.querySelectorAll("a").forEach(function (one) {
    if (one.getAttribute("href") === home + here) one.setAttribute("aria-current", "page");
  });

  var place = document.querySelector("[data-contents]");
  var schemas = new Map();
  (window.TABLES || []).forEach(function (table) {
    var schema = table[4] + "\u0001" + table[1];
    if (!schemas.has(schema)) schemas.set(schema, []);
    schemas.get(schema).push(table);
  });
  var several = new Set(Array.from(schemas.keys(), function (schema) { return schema.split("\u0001")[0]; })).size > 1;
  schemas.forEach(function (tables, schema) {
    var branch = document.createElement("details");
    branch.open = tables.some(function (table) { return table[0] === here; }) || schemas.size === 1;
    var head = document.createElement("summary");
    var names = schema.split("\u0001");
    head.textContent = (several ? names[0] + (names[1] ? ": " : "") : "") + (names[1] || (several ? "" : "Tables"));
    branch.append(head);
    var filled = false;
    function fill() {
      if (filled || !branch.open) return;
      filled = true;
      var list = document.createElement("ul");
      tables.forEach(function (table) {
        item(list, link(table[0], table[2], true), (imprint.marks[table[0]] || {})[""] === "new" ? "new" : "");
      });
      branch.append(list);
    }
    branch.addEventListener("toggle", fill);
    fill();
    place.append(branch);
  });
  var current = document.querySelector('.contents [aria-current="page"]');
  if (current && place.contains(current)) current.scrollIntoView({ block: "nearest" });

  var marks = imprint.marks[here] || {};
  document.querySelectorAll("[data-column]").forEach(function (row) {
    var mark = marks[row.dataset.column];
    if (mark) row.querySelector("[data-mark]").append(badge(mark));
  });
})();
