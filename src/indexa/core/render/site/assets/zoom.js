// Zooms and moves a diagram by its viewBox; without a script the whole of it is shown.
(function () {
  "use strict";
  var svg = document.querySelector(".plate svg"),
    whole = svg.viewBox.baseVal,
    full = { x: whole.x, y: whole.y, width: whole.width, height: whole.height },
    seen = full,
    from = null;

  function show(next) {
    seen = next;
    svg.setAttribute("viewBox", [seen.x, seen.y, seen.width, seen.height].join(" "));
  }
  /** Zoom around a point of the diagram, from the whole of it to four times its true size. */
  function zoom(factor, at) {
    var least = svg.clientWidth / 4,
      width = Math.min(full.width * 1.2, Math.max(least, seen.width / factor)),
      share = width / seen.width;
    show({
      x: at.x - (at.x - seen.x) * share,
      y: at.y - (at.y - seen.y) * share,
      width: width,
      height: seen.height * share,
    });
  }
  function middle() {
    return { x: seen.x + seen.width / 2, y: seen.y + seen.height / 2 };
  }
  function place(event) {
    return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  }
  function move(x, y) {
    show({ x: seen.x + x, y: seen.y + y, width: seen.width, height: seen.height });
  }
  var does = {
    in: function () {
      zoom(1.4, middle());
    },
    out: function () {
      zoom(1 / 1.4, middle());
    },
    fit: function () {
      show(full);
    },
  };
  document.querySelector(".plate-tools").hidden = false;
  document.addEventListener("click", function (event) {
    var button = event.target.closest("[data-zoom]");
    if (button) does[button.dataset.zoom]();
  });
  svg.addEventListener(
    "wheel",
    function (event) {
      event.preventDefault();
      zoom(Math.pow(1.0015, -event.deltaY), place(event));
    },
    { passive: false },
  );
  svg.addEventListener("pointerdown", function (event) {
    from = { at: place(event), moved: false };
  });
  svg.addEventListener("pointermove", function (event) {
    if (!from || !event.buttons) return;
    var now = place(event);
    if (!from.moved && Math.hypot(now.x - from.at.x, now.y - from.at.y) < 4) return;
    from.moved = true;
    move(from.at.x - now.x, from.at.y - now.y);
  });
  svg.addEventListener(
    "click",
    function (event) {
      if (from && from.moved) event.preventDefault();
      from = null;
    },
    true,
  );
  svg.addEventListener("dragstart", function (event) {
    event.preventDefault();
  });
  svg.addEventListener("keydown", function (event) {
    var step = seen.width / 12,
      keys = {
        ArrowLeft: [-step, 0],
        ArrowRight: [step, 0],
        ArrowUp: [0, -step],
        ArrowDown: [0, step],
      },
      names = { "+": "in", "=": "in", "-": "out", 0: "fit" };
    if (keys[event.key]) move(keys[event.key][0], keys[event.key][1]);
    else if (names[event.key]) does[names[event.key]]();
    else return;
    event.preventDefault();
  });
})();
