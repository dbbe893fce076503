"use strict";
const data = JSON.parse(document.getElementById("data").textContent);
const byId = (id) => document.getElementById(id);
const make = (tag, parent, text, className) => {
  const element = document.createElement(tag);
  if (text !== undefined) element.textContent = text;
  if (className) element.className = className;
  parent.appendChild(element);
  return element;
};
const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const percent = (x) => (100 * x).toFixed(1) + "%";
const short = (x) => (Math.abs(x) >= 100 ? x.toFixed(0) : Math.abs(x) >= 10 ? x.toFixed(1) : x.toFixed(2));

byId("heading").textContent = `${data.game}: ${data.run}`;
byId("summary").textContent =
  `${data.about} ${data.decisions.toLocaleString("en")} of ${data.total.toLocaleString("en")} decisions trained in ` +
  `${short(data.seconds)} s, seed ${data.seed}. Made with version ${data.version}.`;
byId("configuration").textContent = data.configuration;

// ---- Score: one row a pilot, each estimate with its 95% interval.
const table = byId("score");
const head = make("tr", make("thead", table));
for (const title of ["pilot", `success over ${data.score.episodes} episodes`, "", "return", "length", ...data.terms])
  make("th", head, title);
const body = make("tbody", table);
for (const pilot of data.score.pilots) {
  const row = make("tr", body);
  make("td", row, pilot.name);
  const cell = make("td", row);
  const span = make("span", cell, undefined, "span");
  const range = make("i", span);
  range.style.left = percent(pilot.success.low);
  range.style.right = percent(1 - pilot.success.high);
  make("b", span).style.left = percent(pilot.success.mean);
  const share = make("td", row, percent(pilot.success.mean) + " ");
  make("span", share, `${percent(pilot.success.low)} to ${percent(pilot.success.high)}`, "range");
  for (const value of [pilot.return, pilot.length, ...data.terms.map((t) => pilot.terms[t])]) {
    const td = make("td", row, short(value.mean) + " ");
    make("span", td, `±${short((value.high - value.low) / 2)}`, "range");
  }
}

// ---- Curves. Hues differ in lightness too, and lines in their dashes.
const hues = ["#007373", "#cc6600", "#6b5a94", "#1a73bf", "#b34073", "#59626e"];
const dashes = [[], [7, 3], [2, 3], [9, 3, 2, 3], [4, 4], [1, 2]];
Chart.defaults.color = css("--soft");
Chart.defaults.borderColor = css("--line");
Chart.defaults.animation = false;
Chart.defaults.font.family = "system-ui, 'DejaVu Sans', sans-serif";

function curve(title, lines, options = {}) {
  const panel = make("div", byId("curves"), undefined, "panel");
  make("h3", panel, title);
  const canvas = make("canvas", make("div", panel, undefined, "chart"));
  canvas.setAttribute("role", "img");
  canvas.setAttribute("aria-label", title);
  new Chart(canvas, {
    type: "line",
    data: {
      datasets: lines.map(([label, values], i) => ({
        label,
        data: values.map((y, k) => ({ x: data.curves.decisions[k], y })).filter((p) => p.y !== null),
        borderColor: hues[i % hues.length],
        borderDash: dashes[i % dashes.length],
        borderWidth: 2,
        pointRadius: 0,
      })),
    },
    options: {
      maintainAspectRatio: false,
      interaction: { mode: "index", intersect: false },
      scales: {
        x: { type: "linear", min: 0, max: data.curves.decisions.at(-1), title: { display: true, text: "decisions" },
             ticks: { maxTicksLimit: 6, callback: (v) => (v >= 1e6 ? +(v / 1e6).toFixed(1) + " M" : v >= 1e3 ? +(v / 1e3).toFixed(1) + " k" : v) } },
        y: options.y || {},
      },
      plugins: { legend: { display: lines.length > 1, labels: { usePointStyle: true, pointStyle: "line", pointStyleWidth: 30 } } },
    },
  });
}

const c = data.curves;
curve("Success, share of the last 100 episodes", [["success", c.recent_success]], { y: { min: 0, max: 1 } });
curve("Return per episode", [["return", c.mean_return]]);
curve("Reward by term, per episode", data.terms.map((t) => [t, c.terms[t]]));
curve("Episode length, decisions", [["length", c.mean_length]], { y: { min: 0 } });
curve("Entropy of the policy, nats", [["entropy", c.entropy]]);
curve("Share of the returns' variance explained by the value network", [["explained", c.explained_variance]], { y: { max: 1 } });
curve("Divergence of the policy per update, nats", [["divergence", c.kl]], { y: { min: 0 } });
curve("Decisions per second", [["decisions per second", c.decisions_per_second]], { y: { min: 0 } });

// ---- Paths.
for (const path of data.paths) {
  const figure = make("figure", byId("paths"), undefined, "panel");
  const image = make("img", figure);
  image.alt = path.caption;
  image.src = path.image;
  make("figcaption", figure, path.caption);
}
