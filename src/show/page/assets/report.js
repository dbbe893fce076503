"use strict";
const data = JSON.parse(document.getElementById("data").textContent);
setLook(matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");

byId("heading").textContent = `${data.game}: ${data.run}`;
// A training stops after the update that reaches its budget, so it may have made some more.
const left = data.steps < data.total ? ` of ${data.total.toLocaleString("en")}` : "";
byId("summary").textContent =
  `${data.about} ${data.steps.toLocaleString("en")}${left} steps trained in ` +
  `${short(data.seconds)} s by ${data.method}, seed ${data.seed}. Made with version ${data.version}.`;
byId("configuration").textContent = data.configuration;

// ---- Score: one row a player, each estimate with its 95% interval.
const table = byId("score");
const head = make("tr", make("thead", table));
for (const title of [
  "player",
  `success over ${data.score.episodes} episodes`,
  "",
  "return",
  "length",
  ...data.terms,
])
  make("th", head, title);
const body = make("tbody", table);
for (const player of data.score.players) {
  const row = make("tr", body);
  make("td", row, player.name);
  const cell = make("td", row);
  const span = make("span", cell, undefined, "span");
  const range = make("i", span);
  range.style.left = percent(player.success.low);
  range.style.right = percent(1 - player.success.high);
  make("b", span).style.left = percent(player.success.mean);
  const share = make("td", row, percent(player.success.mean) + " ");
  make("span", share, `${percent(player.success.low)} to ${percent(player.success.high)}`, "range");
  for (const value of [player.return, player.length, ...data.terms.map((t) => player.terms[t])]) {
    const td = make("td", row, short(value.mean) + " ");
    const alike = value.low === value.high;
    make("span", td, alike ? "always" : `${short(value.low)} to ${short(value.high)}`, "range");
  }
}

// ---- Curves.
function curve(title, lines, options = {}) {
  const panel = make("div", byId("curves"), undefined, "panel");
  make("h3", panel, title);
  const points = (values) =>
    values.map((y, k) => ({ x: data.curves.steps[k], y })).filter((p) => p.y !== null);
  lineChart(
    make("canvas", make("div", panel, undefined, "chart")),
    title,
    lines.map(([label, values, more]) => [label, points(values), more]),
    {
      x: { min: 0, max: data.curves.steps.at(-1), title: { display: true, text: "steps" } },
      y: options.y || {},
    },
  );
}

const c = data.curves;
const further = Object.entries(c.roles);
// A line for the first policy, and one for each further one that learns.
const byRole = (label, values, name) => [
  [further.length ? data.role : label, values],
  ...further.map(([role, own]) => [role, own[name]]),
];
const band = { borderWidth: 1, borderColor: "#3a6fd8", borderDash: [], backgroundColor: "#3a6fd844" };
const part = (k) => `hsl(${(k * 137.5) % 360}, 55%, ${k % 2 ? 42 : 62}%)`;
const stacked = (colour) => ({
  fill: true,
  borderWidth: 0.5,
  borderDash: [],
  borderColor: "#ffffff",
  backgroundColor: colour,
});
// How a line of a method's chart looks, by how the method wants it drawn.
const looks = {
  line: () => undefined,
  lower: () => band,
  upper: () => ({ ...band, fill: "-1" }),
  part: (k) => stacked(part(k)),
  others: () => stacked("#8a929c"),
};

// A training that learns from demonstrations alone plays no episode.
const played = c.mean_length.some((y) => y !== null);
if (played)
  curve("Success, share of the last 100 episodes", [["success", c.recent_success]], {
    y: { min: 0, max: 1 },
  });
if (data.stages.length > 1)
  curve(
    `Stage of the curriculum: ${data.stages.map((name, k) => `${k + 1} ${name}`).join(", ")}`,
    [["stage", c.stage]],
    { y: { min: 1, max: data.stages.length, ticks: { stepSize: 1 } } },
  );
if (played) {
  curve("Return per episode", byRole("return", c.mean_return, "mean_return"));
  curve(
    "Reward by term, per episode",
    data.terms.map((t) => [t, c.terms[t]]),
  );
  curve("Episode length, steps", [["length", c.mean_length]], { y: { min: 0 } });
}
for (const chart of data.charts)
  curve(
    chart.title,
    chart.lines.map((line, k) => [line.name, line.values, looks[line.drawn](k)]),
    {
      y: {
        ...(chart.least === undefined ? {} : { min: chart.least }),
        ...(chart.most === undefined ? {} : { max: chart.most }),
        stacked: chart.lines.some((line) => line.drawn === "part"),
      },
    },
  );
curve("Steps per second", [["steps per second", c.steps_per_second]], { y: { min: 0 } });

// ---- Paths.
for (const path of data.paths) {
  const figure = make("figure", byId("paths"), undefined, "panel");
  const image = make("img", figure);
  image.alt = path.caption;
  image.src = path.image;
  make("figcaption", figure, path.caption);
}
