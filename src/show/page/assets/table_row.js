"use strict";
// The row of a table that decides for a seat, at the moment that is shown: the state in words, how
// often something was learned in it, and what each option is worth there.

class TablePanel extends DecidingPanel {
  // `table`: of the match's meta data; `rows`: asks for what the rows were in an episode.
  constructor(section, table, columns, seats, seat, rows) {
    super(seats, seat, rows);
    this.table = table;
    this.learned = make("p", section, undefined, "soft");
    this.learned.id = "table_learned";
    const list = make("ul", section, undefined, "links state_words");
    list.id = "table_state";
    this.bins = table.columns.map(({ column }) => {
      const line = make("li", list, `${columns[column].name} `);
      return make("b", line);
    });
    this.options = table.combinations.map((name) => optionLine(section, name));
  }

  draw() {
    if (!this.values) return;
    const { columns, combinations } = this.table;
    const each = columns.length + 1 + combinations.length,
      first = (this.step * this.seats + this.seat) * each;
    const row = this.values.subarray(first, first + each);
    if (row.length < each) return;
    columns.forEach(({ bins }, i) => (this.bins[i].textContent = bins[row[i]]));
    const learned = row[columns.length];
    this.learned.textContent =
      learned < 0
        ? "a state that was never met"
        : `learned ${count(learned)} time${learned === 1 ? "" : "s"}`;
    const values = [...row.subarray(columns.length + 1)];
    const low = Math.min(...values),
      high = Math.max(...values);
    values.forEach((value, i) => {
      const { line, share, value: text } = this.options[i];
      line.classList.toggle("chosen", learned >= 0 && value === high);
      share.style.width = percent(high > low ? (value - low) / (high - low) : 0);
      text.textContent = short(value);
    });
  }
}
