// Charts from the data that a canvas carries: curves with their units, limits across, and one place along them marked.
(() => {
  const drawn = new WeakMap();
  const tone = (name) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
  const written = (value) => {
    const size = Math.abs(value);
    const text = size >= 100 ? value.toFixed(0) : size >= 1 ? value.toFixed(2) : value.toFixed(3);
    return text.replace("-", "\u2212");
  };
  const unit = (words) => (words === "°" ? "°" : words ? `\u00a0${words}` : "");

  // The marked place, drawn behind the curves as a dashed line.
  const marker = {
    id: "marker",
    beforeDatasetsDraw(chart) {
      const at = chart.options.plugins.marker.at;
      if (at === null || at === undefined) return;
      const x = chart.scales.x.getPixelForValue(at), { top, bottom } = chart.chartArea, pen = chart.ctx;
      pen.save();
      pen.strokeStyle = tone("elm");
      pen.lineWidth = 2;
      pen.setLineDash([4, 3]);
      pen.beginPath();
      pen.moveTo(x, top);
      pen.lineTo(x, bottom);
      pen.stroke();
      pen.restore();
    },
  };

  const told = (canvas, data, index) => {
    const out = canvas.closest("figure") && canvas.closest("figure").querySelector("output");
    if (!out) return;
    const figures = data.curves.map((c) => `${c.name} ${written(c.values[index])}${unit(data.y_unit)}`).join(", ");
    out.textContent = `${data.x_name} ${written(data.x[index])}${unit(data.x_unit)}: ${figures}`;
  };

  const draw = (canvas) => {
    const before = drawn.get(canvas), theme = document.documentElement.dataset.theme || "";
    if (before && before.text === canvas.dataset.chart && before.theme === theme && before.chart.canvas && canvas.style.height) return;
    if (before) before.chart.destroy();
    const data = JSON.parse(canvas.dataset.chart);
    const line = (name, values, colour, dash, width) => ({
      label: name, data: values.map((y, k) => ({ x: data.x[k], y })), borderColor: colour, backgroundColor: colour, borderDash: dash, borderWidth: width,
      pointRadius: 0, pointHitRadius: 12, tension: 0,
    });
    const datasets = data.curves.map((c) => line(c.name, c.values, tone(c.tone), c.dashed ? [7, 4] : [], 2.4));
    data.marks.forEach((m) => datasets.push(line(m.name, data.x.map(() => m.value), tone("fails"), [2, 3], 1.4)));
    const font = { family: "Atkinson Next", size: 13 };
    const grid = { color: tone("line") }, ticks = (words) => ({ color: tone("soft"), font, maxRotation: 0, includeBounds: false, callback: (v) => `${String(v).replace("-", "\u2212")}${words === "°" || words === "%" ? unit(words) : ""}` });
    const named = (words, measure) => ({ display: measure !== "°" && measure !== "%", text: `${words}, ${measure}`, color: tone("soft"), font, padding: 0 });
    const chart = new Chart(canvas, {
      type: "line",
      data: { datasets },
      plugins: [marker],
      options: {
        animation: false, responsive: true, maintainAspectRatio: false, parsing: false, normalized: true,
        interaction: { mode: "index", axis: "x", intersect: false },
        scales: {
          x: { type: "linear", min: data.x[0], max: data.x[data.x.length - 1], grid, title: named(data.x_name, data.x_unit), ticks: { ...ticks(data.x_unit), stepSize: data.x_unit === "°" ? 90 : undefined, includeBounds: data.x_unit === "°" } },
          y: { grid, title: named(data.y_name, data.y_unit), ticks: { ...ticks(data.y_unit), maxTicksLimit: 6 } },
        },
        plugins: {
          marker: { at: data.at },
          legend: { display: datasets.length > 1, position: "bottom", labels: { color: tone("ink"), font, boxWidth: 26, boxHeight: 0, padding: 10 } },
          tooltip: {
            backgroundColor: tone("ink"), titleColor: tone("paper"), bodyColor: tone("paper"), titleFont: font, bodyFont: { family: "Atkinson Mono", size: 13 },
            callbacks: {
              title: (items) => (items.length ? `${data.x_name} ${written(items[0].parsed.x)}${unit(data.x_unit)}` : ""),
              label: (item) => `${item.dataset.label} ${written(item.parsed.y)}${unit(data.y_unit)}`,
            },
          },
        },
      },
    });
    drawn.set(canvas, { chart, text: canvas.dataset.chart, theme });
  };

  // By keyboard: the arrows walk along the curves and the figures are told below.
  document.addEventListener("keydown", (event) => {
    const canvas = event.target;
    if (!canvas.matches || !canvas.matches("canvas[data-chart]") || !["ArrowLeft", "ArrowRight"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    const { chart } = drawn.get(canvas), data = JSON.parse(canvas.dataset.chart), last = data.x.length - 1;
    const step = Math.max(1, Math.round(last / 40)) * (event.key === "ArrowLeft" ? -1 : 1);
    const index = Math.min(last, Math.max(0, (canvas.chartIndex ?? Math.round(last / 2)) + step));
    canvas.chartIndex = index;
    const active = chart.data.datasets.map((_, datasetIndex) => ({ datasetIndex, index }));
    chart.setActiveElements(active);
    chart.tooltip.setActiveElements(active, { x: 0, y: 0 });
    chart.update("none");
    told(canvas, data, index);
  }, true);

  const all = () => document.querySelectorAll("canvas[data-chart]").forEach(draw);
  document.addEventListener("DOMContentLoaded", all);
  document.addEventListener("htmx:afterSettle", all);
  if (document.readyState !== "loading") all();
})();
