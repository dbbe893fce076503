"use strict";
// What the report and the viewer share.

addEventListener(
  "error",
  (e) => (document.body.dataset.errors = (document.body.dataset.errors || "") + e.message + "\n"),
);
addEventListener(
  "unhandledrejection",
  (e) => (document.body.dataset.errors = (document.body.dataset.errors || "") + e.reason + "\n"),
);

const byId = (id) => document.getElementById(id);
const make = (tag, parent, text, className) => {
  const element = document.createElement(tag);
  if (text !== undefined) element.textContent = text;
  if (className) element.className = className;
  if (parent) parent.appendChild(element);
  return element;
};
const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const percent = (x) => (100 * x).toFixed(1) + "%";
const short = (x) =>
  Math.abs(x) >= 100 ? x.toFixed(0) : Math.abs(x) >= 10 ? x.toFixed(1) : x.toFixed(2);
const count = (v) =>
  v >= 1e6 ? +(v / 1e6).toFixed(1) + " M" : v >= 1e3 ? +(v / 1e3).toFixed(1) + " k" : v;

// ---- Light or dark, as the system likes it until the reader chooses.
function setLook(look) {
  document.documentElement.dataset.look = look;
  if (window.Chart) {
    Chart.defaults.color = css("--soft");
    Chart.defaults.borderColor = css("--line");
    for (const chart of Object.values(Chart.instances)) {
      for (const scale of Object.values(chart.options.scales)) {
        scale.grid = { ...scale.grid, color: css("--line") };
        scale.ticks = { ...scale.ticks, color: css("--soft") };
        if (scale.title) scale.title.color = css("--soft");
      }
      chart.options.plugins.legend.labels.color = css("--soft");
      chart.update("none");
    }
  }
  dispatchEvent(new Event("look"));
}

// ---- Lines that can be told apart by hue, lightness and dashes.
const hues = ["#007373", "#cc6600", "#8a3ea8", "#3a6fd8", "#a8324a", "#6b7a00", "#555f6b"];
const dashes = [[], [7, 3], [2, 2], [9, 3, 2, 3], [4, 4], [12, 4], [1, 3]];

// lines: [label, [{x, y}], more of the data set]; returns the chart.
function lineChart(canvas, title, lines, { x = {}, y = {}, stepped = false, plugins = [] } = {}) {
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", title);
  return new Chart(canvas, {
    type: "line",
    plugins,
    data: {
      datasets: lines.map(([label, data, more = {}], i) => ({
        label,
        data,
        stepped,
        borderColor: hues[i % hues.length],
        borderDash: dashes[i % dashes.length],
        borderWidth: 2,
        pointRadius: 0,
        ...more,
      })),
    },
    options: {
      animation: false,
      parsing: false,
      maintainAspectRatio: false,
      interaction: { mode: "index", intersect: false },
      scales: {
        x: { type: "linear", ticks: { maxTicksLimit: 6, callback: count }, ...x },
        y,
      },
      plugins: {
        legend: {
          display: lines.length > 1 && lines.length <= 12,
          labels: { usePointStyle: true, pointStyle: "line", pointStyleWidth: 30 },
        },
      },
    },
  });
}
