"use strict";
// Learning curves of a run that grow while it is trained.

// Title, what is drawn of a row (lines by name if there are several), the y axis. `charts` are those
// of the learner's method.
const curvePlots = (terms, furtherRoles, charts) => [
  [
    "Success, share of the last 100 episodes",
    { success: (r) => r.recent_success },
    { min: 0, max: 1 },
  ],
  [
    "Return per episode",
    {
      return: (r) => r.mean_return,
      ...Object.fromEntries(furtherRoles.map((role) => [role, (r) => r.roles[role]])),
    },
    {},
  ],
  ["Reward by term, per episode", Object.fromEntries(terms.map((t) => [t, (r) => r.terms[t]])), {}],
  ["Episode length, steps", { length: (r) => r.mean_length }, { min: 0 }],
  ...charts.map(({ title, metrics, axis }) => [
    title,
    Object.fromEntries(metrics.map((name) => [name.replaceAll("_", " "), (r) => r.learner[name]])),
    axis,
  ]),
  ["Steps per second", { "steps per second": (r) => r.steps_per_second }, { min: 0 }],
];
const mostPoints = 600;

class Watching {
  constructor(terms, furtherRoles, charts, ask, arrived) {
    this.ask = ask;
    this.arrived = arrived;
    this.rows = [];
    const root = byId("curves");
    this.summary = make("p", root, "", "state");
    this.games = make("table", root, undefined, "games");
    this.charts = curvePlots(terms, furtherRoles, charts).map(([title, drawn, y]) => {
      const section = make("section", root, undefined, "panel");
      make("h3", section, title);
      const gets = Object.values(drawn),
        lines = Object.keys(drawn).map((name) => [name, []]);
      const chart = lineChart(
        make("canvas", make("div", section, undefined, lines.length > 1 ? "chart tall" : "chart")),
        title,
        lines,
        { y, x: { min: 0, title: { display: true, text: "steps" } } },
      );
      return { chart, gets };
    });
    this.poll();
  }

  async poll() {
    try {
      const after = this.rows.length ? this.rows[this.rows.length - 1].steps : -1;
      const news = await this.ask(`data/curves.json?after=${after}`);
      if (news.restarted) this.rows = [];
      this.rows.push(...news.rows);
      if (news.rows.length || news.restarted) this.draw();
      const last = this.rows[this.rows.length - 1];
      this.summary.textContent = last
        ? `${last.learner.generation ? `generation ${last.learner.generation}, ` : ""}${last.steps.toLocaleString("en")} of ${news.total.toLocaleString("en")} steps, ${count(Math.round(last.steps_per_second))}/s${news.finished ? ", finished" : ""}`
        : "no update yet";
      this.showGames(news.games);
      this.arrived(news);
      byId("connection").textContent = "";
    } catch (error) {
      byId("connection").textContent = "the tool has stopped";
    }
    setTimeout(() => this.poll(), 2000);
  }

  // Who plays a game in other processes.
  showGames(news) {
    this.games.hidden = !news;
    if (!news) return;
    this.games.replaceChildren();
    const row = (kind, cells) => {
      const line = make("tr", this.games);
      for (const cell of cells) make(kind, line, cell);
    };
    row("th", ["game", "program", "copies", "steps", "per second"]);
    for (const g of news.games)
      row("td", [
        String(g.number),
        g.program,
        String(g.copies),
        g.steps.toLocaleString("en"),
        Math.round(g.steps_per_second).toLocaleString("en"),
      ]);
    if (!news.dropped) return;
    const cell = make("td", make("tr", this.games), `${news.dropped} dropped, the last: ${news.last_drop}`);
    cell.colSpan = 5;
  }

  draw() {
    const step = Math.ceil(this.rows.length / mostPoints);
    const rows = this.rows.filter((_, i) => i % step === 0 || i === this.rows.length - 1);
    for (const { chart, gets } of this.charts) {
      gets.forEach(
        (get, i) =>
          (chart.data.datasets[i].data = rows
            .map((r) => ({ x: r.steps, y: get(r) }))
            .filter((p) => p.y !== null && p.y !== undefined)),
      );
      chart.update("none");
    }
  }
}
