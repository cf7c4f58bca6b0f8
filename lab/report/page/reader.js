// Figures of the report that can be zoomed and read by cursor: by mouse, by finger, by keyboard.
(function () {
  "use strict";
  function number(v) {
    if (v == null) return "–";
    var text = Math.abs(v) >= 1e6 || (v !== 0 && Math.abs(v) < 1e-3) ? v.toExponential(4) : String(+v.toPrecision(7));
    return text.replace(/^-/, "−");
  }
  // Curves each with places of their own become columns over one list of all places.
  function columns(curves) {
    var tables = curves.map(function (c) {
      var xs = typeof c.x === "number" ? curves[c.x].x : c.x, pairs = [];
      for (var i = 0; i < xs.length; i++) if (xs[i] != null) pairs.push([xs[i], c.y[i]]);
      pairs.sort(function (a, b) { return a[0] - b[0]; });
      return [pairs.map(function (p) { return p[0]; }), pairs.map(function (p) { return p[1]; })];
    });
    // A step has two values at one place: the second a hair further on.
    tables.forEach(function (t) {
      for (var i = 1; i < t[0].length; i++) if (t[0][i] <= t[0][i - 1]) t[0][i] = t[0][i - 1] + Math.max(Math.abs(t[0][i - 1]) * 1e-9, 1e-12);
    });
    return uPlot.join(tables, tables.map(function () { return [2]; }));
  }
  function between(xs, ys, x) {
    var lower = -1, upper = -1;
    for (var i = 0; i < xs.length; i++) {
      if (ys[i] == null) continue;
      if (xs[i] <= x) lower = i; else { upper = i; break; }
    }
    if (lower >= 0 && xs[lower] === x) return ys[lower];
    if (lower < 0 || upper < 0) return null;
    return ys[lower] + (ys[upper] - ys[lower]) * (x - xs[lower]) / (xs[upper] - xs[lower]);
  }
  function dataOf(figure) { return JSON.parse(figure.querySelector("script").textContent); }
  // Figures beside this one that are read together with it: magnitude and phase.
  function partners(figure) {
    var word = dataOf(figure).together;
    if (!word) return [];
    return Array.prototype.filter.call(figure.parentNode.children, function (other) {
      return other !== figure && other.matches("figure.readable") && dataOf(other).together === word;
    });
  }
  function open(figure, button) {
    var data = dataOf(figure), curves = data.curves, group = partners(figure);
    var plot = document.createElement("div"), said = document.createElement("p"), keys = document.createElement("p");
    plot.className = "plot"; plot.tabIndex = 0; plot.setAttribute("role", "application");
    plot.setAttribute("aria-label", data.title + ": arrow keys move the cursor, plus and minus zoom, 0 shows everything, Escape closes");
    said.className = "said"; said.setAttribute("aria-live", "polite");
    keys.className = "keys"; keys.textContent = "Drag to zoom, double click for everything. Keys: ← → cursor, + − zoom, 0 everything, Esc closes.";
    figure.insertBefore(plot, button); figure.insertBefore(said, button); figure.insertBefore(keys, button);
    figure.classList.add("reading");
    var values = columns(curves), wide = Math.max(320, Math.min(960, figure.clientWidth));
    var bars = uPlot.paths.bars({ size: [0.8, 60] });
    var series = [{ label: data.x, value: function (u, v) { return number(v); } }].concat(curves.map(function (c) {
      var s = { label: c.name, stroke: c.colour, width: c.role === "limit" ? 2 : 1.2, spanGaps: c.role !== "limit" || false,
                value: function (u, v) { return number(v); }, points: { show: c.role === "spots" || c.role === "sweep", size: 6, fill: c.colour } };
      if (c.role === "companion") s.dash = [4, 3];
      if (c.dash) s.dash = c.dash;
      if (c.role === "spots") s.width = 0;
      if (c.role === "bars") { s.paths = bars; s.fill = c.colour; }
      return s;
    }));
    var u = new uPlot({
      width: wide, height: 420, title: data.title, series: series,
      scales: { x: { time: false, distr: data.log ? 3 : 1, range: function (u, min, max) { return [min, max]; } } },
      axes: [{ label: data.x, size: 44, labelSize: 24, filter: logLabels, values: function (u, at) { return at.map(function (v) { return v == null ? null : number(+v.toPrecision(4)); }); } }, { label: data.y, size: 64, labelSize: 24 }],
      cursor: { drag: { x: true, y: true, uni: 20 }, points: { size: 7 } }, hooks: { setCursor: [moved], setScale: [follow] }, legend: { live: false }
    }, values, plot);
    function logLabels(u, at) {
      // On a logarithmic axis 1, 2 and 5 of each decade; all where the view is narrower than two decades.
      if (!data.log || u.scales.x.max / u.scales.x.min < 100 && at.length < 16) return at;
      return at.map(function (v) { var digit = v / Math.pow(10, Math.floor(Math.log10(v) + 1e-9)); return [1, 2, 5].some(function (d) { return Math.abs(digit - d) < 1e-6; }) ? v : null; });
    }
    function everything() {
      var xs = values[0];
      u.setScale("x", { min: xs[0], max: xs[xs.length - 1] });
      u.setData(values, true);
    }
    // A view of one figure is that of those read together with it.
    function follow(u, scale) {
      if (scale !== "x") return;
      group.forEach(function (other) {
        var o = other.plot;
        if (o && (o.scales.x.min !== u.scales.x.min || o.scales.x.max !== u.scales.x.max)) o.setScale("x", { min: u.scales.x.min, max: u.scales.x.max });
      });
    }
    // By position on the screen, so that a curve with few points is read between them too.
    function moved(u) {
      say(u);
      group.forEach(function (other) {
        if (!other.plot || other.plot.cursor.left === u.cursor.left) return;
        other.plot.setCursor({ left: u.cursor.left, top: u.cursor.left < 0 ? -10 : 100 }, false);
        other.say(other.plot);
      });
    }
    function say(u) {
      var left = u.cursor.left;
      if (left == null || left < 0) return;
      var x = u.posToVal(left, "x");
      said.textContent = data.x + ": " + number(x) + " · " + curves.map(function (c, i) {
        return c.name + ": " + number(between(values[0], values[i + 1], x));
      }).join(" · ");
    }
    function zoom(by) {
      var w = u.bbox.width / (window.devicePixelRatio || 1), at = u.cursor.left >= 0 ? u.cursor.left : w / 2;
      u.setScale("x", { min: u.posToVal(at - at * by, "x"), max: u.posToVal(at + (w - at) * by, "x") });
    }
    plot.addEventListener("keydown", function (e) {
      var w = u.bbox.width / (window.devicePixelRatio || 1), h = u.bbox.height / (window.devicePixelRatio || 1);
      var at = u.cursor.left >= 0 ? u.cursor.left : w / 2, step = e.shiftKey ? 40 : 4, used = true;
      if (e.key === "ArrowLeft") u.setCursor({ left: Math.max(0, at - step), top: h / 2 });
      else if (e.key === "ArrowRight") u.setCursor({ left: Math.min(w, at + step), top: h / 2 });
      else if (e.key === "+" || e.key === "=") zoom(0.5);
      else if (e.key === "-") zoom(2);
      else if (e.key === "0") everything();
      else if (e.key === "Escape") { close(figure, button); button.focus(); return; }
      else used = false;
      if (used) { e.preventDefault(); setTimeout(function () { say(u); }, 0); }  // once the new view holds
    });
    figure.plot = u; figure.say = say;
    button.textContent = "Back to the printed figure";
    button.setAttribute("aria-expanded", "true");
    plot.focus({ preventScroll: true });
  }
  function close(figure, button) {
    figure.plot.destroy();
    figure.plot = null;
    [".plot", ".said", ".keys"].forEach(function (name) { figure.querySelector(name).remove(); });
    figure.classList.remove("reading");
    button.textContent = "Zoom and read values";
    button.setAttribute("aria-expanded", "false");
  }
  document.querySelectorAll("figure.readable").forEach(function (figure) {
    var button = document.createElement("button");
    button.type = "button"; button.className = "read"; button.textContent = "Zoom and read values";
    button.setAttribute("aria-expanded", "false");
    button.addEventListener("click", function () {
      var reading = !figure.plot;
      partners(figure).concat([figure]).forEach(function (one) {
        var own = one.querySelector("button.read");
        if (reading && !one.plot) open(one, own);
        if (!reading && one.plot) close(one, own);
      });
    });
    figure.appendChild(button);
  });
  // Planes, maps and eyes have no axis to read along: they are looked at more closely.
  document.querySelectorAll("figure:not(.readable) > img").forEach(function (img) {
    var size = 1, frame = document.createElement("div");
    frame.className = "closer";
    img.parentNode.insertBefore(frame, img); frame.appendChild(img);
    frame.tabIndex = 0; frame.title = "Double click or + to look closer, - back, 0 everything, arrow keys to move";
    function show(to, x, y) {
      var left = x == null ? frame.clientWidth / 2 : x, top = y == null ? frame.clientHeight / 2 : y;
      var at = [(frame.scrollLeft + left) / size, (frame.scrollTop + top) / size];
      size = Math.max(1, Math.min(16, to));
      img.style.width = size > 1 ? 100 * size + "%" : ""; img.style.maxWidth = size > 1 ? "none" : ""; img.style.height = size > 1 ? "auto" : "";
      frame.scrollLeft = at[0] * size - left; frame.scrollTop = at[1] * size - top;
    }
    frame.addEventListener("dblclick", function (e) {
      if (size === 1) frame.style.height = frame.clientHeight + "px";
      var box = frame.getBoundingClientRect();
      show(size >= 8 ? 1 : size * 2, e.clientX - box.left, e.clientY - box.top);
      e.preventDefault();
    });
    frame.addEventListener("keydown", function (e) {
      if (size === 1) frame.style.height = frame.clientHeight + "px";
      if (e.key === "+" || e.key === "=") show(size * 2);
      else if (e.key === "-") show(size / 2);
      else if (e.key === "0") show(1);
      else return;
      e.preventDefault();
    });
  });
})();
