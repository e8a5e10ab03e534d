// Searches the columns of the edition in the page itself; no server is asked.
(function () {
  "use strict";
  var tables = window.EDITION.tables,
    columns = window.EDITION.columns,
    STEP = 100;
  var field = document.getElementById("q"),
    count = document.getElementById("count");
  var holder = document.getElementById("rows"),
    body = holder.querySelector("tbody");
  var texts = columns.map(function (c) {
    var t = tables[c[0]];
    return [t[1], t[2], c[3], c[4], c[7], c[8]].join("\n").toLowerCase();
  });
  var all = columns.map(function (_, index) {
    return index;
  });
  var hits = all,
    found = "",
    shown = 0,
    terms = [];

  function marked(parent, text) {
    var lower = text.toLowerCase(),
      at = 0;
    while (terms.length && at < text.length) {
      var start = -1,
        length = 0;
      terms.forEach(function (term) {
        var i = lower.indexOf(term, at);
        if (i >= 0 && (start < 0 || i < start)) {
          start = i;
          length = term.length;
        }
      });
      if (start < 0) break;
      parent.append(text.slice(at, start));
      var mark = document.createElement("mark");
      mark.textContent = text.slice(start, start + length);
      parent.append(mark);
      at = start + length;
    }
    parent.append(text.slice(at));
    return parent;
  }
  function cell(row, text, tag, css) {
    var td = row.insertCell();
    if (css) td.className = css;
    marked(tag ? td.appendChild(document.createElement(tag)) : td, String(text));
    return td;
  }
  function more() {
    hits.slice(shown, shown + STEP).forEach(function (index) {
      var c = columns[index],
        t = tables[c[0]],
        row = body.insertRow();
      var link = document.createElement("a");
      link.href = t[0] + "#c" + c[1];
      link.appendChild(marked(document.createElement("code"), t[1]));
      row.insertCell().append(link);
      cell(row, c[1], null, "num");
      var roles = row.insertCell();
      c[2]
        .split(" ")
        .filter(Boolean)
        .forEach(function (role) {
          var a = document.createElement("abbr");
          a.className = "role";
          a.textContent = role;
          roles.append(a);
        });
      cell(row, c[3], "code");
      cell(row, c[4]);
      cell(row, c[5], "code").firstChild.className = "t";
      cell(row, c[6] ? "yes" : "no");
      if (c[7]) cell(row, c[7]);
      else cell(row, c[8], "i");
    });
    shown = Math.min(hits.length, shown + STEP);
  }
  function search() {
    var text = field.value.toLowerCase().trim();
    // What is typed on narrows what was found; anything else is looked for in all columns.
    var within = found && text.indexOf(found) === 0 ? hits : all;
    found = text;
    terms = text.split(/\s+/).filter(Boolean);
    hits = terms.reduce(function (left, term) {
      return left.filter(function (index) {
        return texts[index].indexOf(term) >= 0;
      });
    }, within);
    shown = 0;
    body.replaceChildren();
    more();
    holder.scrollTop = 0;
    count.textContent = hits.length.toLocaleString("en") + (hits.length === 1 ? " column" : " columns");
  }
  holder.addEventListener("scroll", function () {
    if (shown < hits.length && holder.scrollTop + holder.clientHeight > holder.scrollHeight - 400) more();
  });
  var waiting;
  field.addEventListener("input", function () {
    clearTimeout(waiting);
    waiting = setTimeout(search, 120);
  });
  document.getElementById("find").addEventListener("submit", function (event) {
    event.preventDefault();
    search();
  });
  field.value = new URLSearchParams(location.search).get("q") || "";
  search();
})();
