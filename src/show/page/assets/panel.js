"use strict";
// What one seat senses, decides and is rewarded, beside the arena.

// The line of an option: its name, a bar and a number.
function optionLine(parent, name) {
  const line = make("div", parent, undefined, "gauge option");
  make("span", line, name);
  return {
    line,
    share: make("i", make("span", line, undefined, "track")),
    value: make("output", line),
  };
}

class Panel {
  constructor(root) {
    this.root = root;
    this.filter = "";
  }

  // Lays the panel out for a seat; `update` then fills in numbers.
  build(match, chosen) {
    this.match = match;
    this.chosen = chosen;
    const role = (this.role = match.scene.roles[chosen.role]);
    this.root.textContent = "";
    for (const chart of this.charts || []) chart.destroy();

    this.state = make("p", this.root, "", "state");
    const controls = this.section("Controls");
    this.controls = role.controls.map((control) => this.buildControl(controls, control));
    this.meters = match.scene.meters
      .map((meter, i) => ({ ...meter, i }))
      .filter((m) => m.body === role.seats[chosen.seat]);
    if (this.meters.length) {
      const section = this.section("Meters");
      for (const meter of this.meters)
        meter.bar = this.bar(section, meter.name, meter.low, meter.high);
    }
    const ledger = this.section("Reward ledger");
    this.ledgerRows = this.table(ledger, ["term", "now", "so far"], [...role.terms, "return"]);
    const cursor = { id: "cursor", afterDraw: (chart) => this.drawCursor(chart) };
    const seconds = { title: { display: true, text: "step" } };
    this.ledgerChart = lineChart(
      this.chartIn(ledger, "chart tall"),
      "Rewards so far, by term",
      [...role.terms, "return"].map((t) => [t, []]),
      { x: seconds, stepped: true, plugins: [cursor] },
    );
    this.valueChart = lineChart(
      this.chartIn(this.section("Value estimate")),
      "Return still to come, as the policy estimates it",
      [["value", []]],
      { x: seconds, plugins: [cursor] },
    );
    this.charts = [this.ledgerChart, this.valueChart];
    this.chartKey = "";

    this.network = this.buildNetwork(match, chosen, role);

    const senses = this.section("Observations");
    const filter = make("input", senses);
    filter.type = "search";
    filter.placeholder = "filter by name";
    filter.setAttribute("aria-label", "Filter observations by name");
    filter.value = this.filter;
    filter.oninput = () => this.applyFilter(filter.value);
    const body = this.table(
      senses,
      ["name", "value", "unit", "range"],
      role.columns.map((c) => c.name),
      "observations",
    );
    this.columns = role.columns.map((column, i) => {
      const cells = body[i].cells;
      const scale = column.unit === "flag" ? 1 : column.scale;
      cells[2].textContent = cells[2].title = column.unit;
      cells[3].textContent = `${short(column.low * scale)} to ${short(column.high * scale)}`;
      return { row: body[i], value: cells[1], scale, flag: column.unit === "flag" };
    });
    this.applyFilter(this.filter);
  }

  // What decides for the seat: a network at work, or the row of a table.
  buildNetwork(match, chosen, role) {
    const network = match.networks && match.networks[chosen.role];
    if (!network) return undefined;
    const ask = (episode) => match.nodes(chosen.role, episode),
      seats = role.seats.length;
    return network.combinations
      ? new TablePanel(
          this.section("Row of the table"),
          network,
          role.columns,
          seats,
          chosen.seat,
          ask,
        )
      : new NetworkPanel(this.section("Network"), network, seats, chosen.seat, ask);
  }

  section(title) {
    const section = make("section", this.root, undefined, "panel");
    make("h3", section, title);
    return section;
  }
  chartIn(section, className = "chart") {
    return make("canvas", make("div", section, undefined, className));
  }
  table(parent, titles, names, className) {
    const table = make("table", parent, undefined, className);
    const head = make("tr", make("thead", table));
    for (const title of titles) make("th", head, title);
    const body = make("tbody", table);
    return names.map((name) => {
      const row = make("tr", body);
      make("td", row, name).title = name;
      for (let i = 1; i < titles.length; ++i) make("td", row);
      return row;
    });
  }
  applyFilter(text) {
    this.filter = text;
    for (const { row } of this.columns) row.hidden = !row.cells[0].textContent.includes(text);
  }

  bar(parent, name, low, high) {
    const line = make("div", parent, undefined, "gauge");
    make("span", line, name);
    const track = make("span", line, undefined, "track");
    const band = make("i", track),
      mark = make("b", track),
      value = make("output", line);
    const place = (x) => Math.min(1, Math.max(0, (x - low) / (high - low)));
    return {
      set: (x, range) => {
        mark.style.left = percent(place(x));
        band.hidden = range === undefined;
        if (range !== undefined) {
          band.style.left = percent(place(range[0] - range[1]));
          band.style.right = percent(1 - place(range[0] + range[1]));
        }
        value.textContent = short(x);
      },
      clear: () => {
        mark.style.left = "-9px";
        band.hidden = true;
        value.textContent = "";
      },
    };
  }

  buildControl(parent, control) {
    if (!control.options.length)
      return { dial: this.bar(parent, control.name, control.low, control.high), numbers: 2 };
    make("div", parent, control.name, "choice");
    const options = control.options.map((option) => optionLine(parent, option));
    return { options, numbers: options.length };
  }

  // `frame`: the moment that is shown; `asked` and `answered`: the moments before and after the
  // step that is shown, as far as they are known.
  update(frame, asked, answered, time, episode) {
    if (!frame) return;
    this.time = time;
    const { role, seat } = this.chosen;
    const decided = answered ? answered.part(role, "controls", seat) : null,
      probabilities = (asked || frame).part(role, "probabilities", seat);
    const told = probabilities.some((x) => x !== 0);
    let at = 0;
    this.controls.forEach((control, c) => {
      if (control.dial) {
        if (decided)
          control.dial.set(
            decided[c],
            told ? [probabilities[at], probabilities[at + 1]] : undefined,
          );
        else control.dial.clear();
      } else
        control.options.forEach((option, o) => {
          option.line.classList.toggle("chosen", !!decided && decided[c] === o);
          option.share.style.width = percent(told ? probabilities[at + o] : 0);
          option.value.textContent = told
            ? percent(probabilities[at + o])
            : decided && decided[c] === o
              ? "chosen"
              : "";
        });
      at += control.numbers;
    });
    for (const meter of this.meters) meter.bar.set(frame.meter(meter.i));
    const seen = frame.part(role, "observations", seat);
    this.columns.forEach(({ row, value, scale, flag }, i) => {
      if (row.hidden) return;
      value.textContent = flag ? (seen[i] > 0.5 ? "1" : "0") : short(seen[i] * scale);
    });
    this.updateLedger(frame, episode);
    if (this.network) this.network.show(episode, frame.step, this.match.name);
    const done = outcomes[frame.outcome];
    this.state.textContent =
      `step ${frame.step}` +
      (this.match.moments(episode) ? ` of ${this.match.moments(episode) - 1}` : "") +
      `, ${short(frame.step * this.match.scene.tick_seconds * this.match.scene.ticks_per_step)} s` +
      (done === "running" ? "" : `: ${done}`) +
      (this.role.player ? `, decided by: ${this.role.player}` : "");
  }

  updateLedger(frame, episode) {
    const { role, seat } = this.chosen,
      terms = this.role.terms.length;
    const key = `${this.match.version}:${episode}`;
    if (key !== this.chartKey) {
      this.chartKey = key;
      const rewards = [...this.role.terms, "return"].map(() => []),
        value = [],
        sums = new Float64Array(terms);
      for (const f of this.match.frames(episode)) {
        f.part(role, "rewards", seat).forEach((p, t) => (sums[t] += p));
        sums.forEach((s, t) => rewards[t].push({ x: f.step, y: s }));
        rewards[terms].push({ x: f.step, y: sums.reduce((a, b) => a + b, 0) });
        value.push({ x: f.step, y: f.part(role, "values", seat)[0] });
      }
      this.rewards = rewards;
      this.redraw(rewards, value, episode);
    }
    const now = frame.part(role, "rewards", seat),
      total = now.reduce((a, b) => a + b, 0);
    this.ledgerRows.forEach((row, t) => {
      const so_far = this.rewards[t].length
        ? this.rewards[t][frame.step - this.rewards[t][0].x]
        : null;
      row.cells[1].textContent = short(t < terms ? now[t] : total);
      row.cells[2].textContent = so_far ? short(so_far.y) : "";
    });
    for (const chart of this.charts) chart.draw();
  }

  redraw(rewards, value, episode) {
    const step = Math.max(1, Math.floor(value.length / 500));
    const thin = (list) =>
      step === 1 ? list : list.filter((_, i) => i % step === 0 || i === list.length - 1);
    this.ledgerChart.data.datasets.forEach((set, t) => (set.data = thin(rewards[t])));
    this.valueChart.data.datasets[0].data = thin(value);
    for (const chart of this.charts) {
      chart.options.scales.x.max = Math.max(1, this.match.moments(episode) - 1);
      chart.update("none");
    }
  }

  drawCursor(chart) {
    if (this.time === undefined) return;
    const x = chart.scales.x.getPixelForValue(this.time),
      { top, bottom } = chart.chartArea,
      pen = chart.ctx;
    pen.save();
    pen.strokeStyle = css("--ink");
    pen.beginPath();
    pen.moveTo(x, top);
    pen.lineTo(x, bottom);
    pen.stroke();
    pen.restore();
  }
}
