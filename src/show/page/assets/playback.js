"use strict";
// The clock of recorded matches, and the time line with its buttons. Several matches run in step,
// step by step.

const speeds = [1 / 8, 1 / 4, 1 / 2, 1, 2, 4, 8, 16, 32, 64];

class Playback {
  constructor(matches, changed) {
    this.matches = matches;
    this.changed = changed;
    this.episode = 0;
    this.time = 0; // steps, with fractions for ticks
    this.playing = false;
    this.speed = 3;
    this.loop = false;
    this.word = ""; // of the events that are marked; all if empty
  }
  get scene() {
    return this.matches[0].scene;
  }
  get secondsPerStep() {
    return this.scene.tick_seconds * this.scene.ticks_per_step;
  }
  get end() {
    return Math.max(0, ...this.matches.map((m) => m.moments(this.episode) - 1));
  }
  get episodes() {
    return Math.max(...this.matches.map((m) => m.episodes.length));
  }

  chooseEpisode(episode) {
    this.episode = Math.min(Math.max(0, episode), Math.max(0, this.episodes - 1));
    this.time = 0;
    for (const match of this.matches)
      if (match.moments(this.episode)) match.loadEpisode(this.episode);
    this.changed();
  }
  seek(time) {
    this.time = Math.min(Math.max(0, time), this.end);
    this.changed();
  }
  toggle(playing = !this.playing) {
    this.playing = playing;
    if (playing && this.time >= this.end) this.time = 0;
    this.changed();
  }
  faster(by) {
    this.speed = Math.min(Math.max(0, this.speed + by), speeds.length - 1);
    this.changed();
  }
  stepTick(by) {
    this.playing = false;
    this.seek((Math.round(this.time * this.scene.ticks) + by) / this.scene.ticks);
  }
  stepMoment(by) {
    this.playing = false;
    this.seek(by > 0 ? Math.floor(this.time) + by : Math.ceil(this.time) + by);
  }
  // Events of all matches, as [step, kind, who, whom, detail].
  marks(word = this.word) {
    return this.matches.flatMap((m) =>
      (m.episodes[this.episode] ? m.episodes[this.episode].marks : []).filter(
        (mark) =>
          m.concerns([mark[2], mark[3]], this.body) &&
          (!word || m.wordFor(mark[1], mark[4]) === word),
      ),
    );
  }
  // How many of each kind there are, by their words.
  words() {
    const counts = new Map();
    for (const mark of this.marks("")) {
      const word = this.matches[0].wordFor(mark[1], mark[4]);
      counts.set(word, (counts.get(word) || 0) + 1);
    }
    return counts;
  }
  toEvent(direction) {
    this.playing = false;
    const times = this.marks()
      .map((m) => m[0])
      .filter((d) => (direction > 0 ? d > this.time : d < this.time))
      .sort((a, b) => a - b);
    if (times.length) this.seek(direction > 0 ? times[0] : times[times.length - 1]);
  }

  advance(seconds) {
    if (!this.playing) return;
    // What has not arrived yet is waited for.
    const next = Math.ceil(Math.min(this.end, this.time + 0.001));
    if (this.matches.some((m) => next < m.moments(this.episode) && !m.frame(this.episode, next)))
      return;
    this.time += (seconds * speeds[this.speed]) / this.secondsPerStep;
    if (this.time >= this.end) {
      if (this.loop) this.time = 0;
      else {
        this.time = this.end;
        this.playing = false;
      }
    }
    this.changed();
  }
}

// Events by shape and place, so that no colour has to be told from another.
const markShapes = {
  touch: "triangle",
  hit: "triangle",
  die: "cross",
  success: "ring",
  failure: "cross",
  cutoff: "bar",
};

class TimeLine {
  constructor(root, playback) {
    this.playback = playback;
    this.canvas = make("canvas", root, undefined, "marks");
    this.kinds = make("select", root, undefined, "kinds");
    this.kinds.title = "Which events are marked";
    this.kinds.setAttribute("aria-label", this.kinds.title);
    this.kinds.onchange = () => {
      playback.word = this.kinds.value;
      this.drawMarks();
    };
    this.range = make("input", root);
    Object.assign(this.range, { type: "range", min: 0, step: "any", value: 0 });
    this.range.setAttribute("aria-label", "Time, in steps");
    this.range.oninput = () => {
      playback.playing = false;
      playback.seek(Math.round(this.range.value * playback.scene.ticks) / playback.scene.ticks);
    };
    this.canvas.onclick = (e) => {
      playback.playing = false;
      playback.seek(Math.round(this.timeAt(e)));
    };
    this.canvas.onmousemove = (e) => {
      const near = this.nearest(this.timeAt(e));
      this.canvas.title = near ? playback.matches[0].tellEvent(near) : "";
    };
    new ResizeObserver(() => this.drawMarks()).observe(this.canvas);
    addEventListener("look", () => this.drawMarks());
  }
  timeAt(event) {
    return ((event.offsetX - 8) / (this.canvas.clientWidth - 16)) * this.playback.end;
  }
  nearest(time) {
    const marks = this.playback
      .marks()
      .slice()
      .sort((a, b) => Math.abs(a[0] - time) - Math.abs(b[0] - time));
    return marks[0] && Math.abs(marks[0][0] - time) < this.playback.end * 0.02 + 1
      ? marks[0]
      : null;
  }
  update() {
    this.range.max = this.playback.end;
    this.range.value = this.playback.time;
    const key = [
      this.playback.episode,
      this.playback.end,
      this.playback.body,
      this.playback.marks().length,
    ].join();
    if (key === this.key) return;
    this.key = key;
    this.fillKinds();
    this.drawMarks();
  }
  fillKinds() {
    const words = this.playback.words();
    if (!words.has(this.playback.word)) this.playback.word = "";
    this.kinds.textContent = "";
    make("option", this.kinds, "all events").value = "";
    for (const [word, count] of [...words].sort((a, b) => a[0].localeCompare(b[0])))
      make("option", this.kinds, `${word} (${count})`).value = word;
    this.kinds.value = this.playback.word;
    this.kinds.hidden = words.size < 2;
  }
  drawMarks() {
    const width = (this.canvas.width = this.canvas.clientWidth * devicePixelRatio),
      height = (this.canvas.height = this.canvas.clientHeight * devicePixelRatio);
    const pen = this.canvas.getContext("2d"),
      r = 4 * devicePixelRatio;
    pen.lineWidth = 1.5 * devicePixelRatio;
    const drawn = new Set(); // of thousands at one spot, one of each kind and colour is enough
    for (const [step, kind, who] of this.playback.marks()) {
      const edge = 8 * devicePixelRatio,
        x = edge + (step / Math.max(1, this.playback.end)) * (width - 2 * edge),
        y = height / 2;
      const name = kindsOfEvents[kind];
      pen.strokeStyle = pen.fillStyle =
        who >= 0 ? this.playback.matches[0].colourOf(who) : css("--ink");
      const spot = [name, pen.fillStyle, Math.round(x / r)].join();
      if (drawn.has(spot)) continue;
      drawn.add(spot);
      pen.beginPath();
      switch (markShapes[name] || "dot") {
        case "triangle":
          pen.moveTo(x, y - r);
          pen.lineTo(x + r, y + r);
          pen.lineTo(x - r, y + r);
          pen.fill();
          break;
        case "cross":
          pen.moveTo(x - r, y - r);
          pen.lineTo(x + r, y + r);
          pen.moveTo(x + r, y - r);
          pen.lineTo(x - r, y + r);
          pen.stroke();
          break;
        case "ring":
          pen.arc(x, y, r, 0, 2 * Math.PI);
          pen.stroke();
          break;
        case "bar":
          pen.moveTo(x, y - 2 * r);
          pen.lineTo(x, y + 2 * r);
          pen.stroke();
          break;
        default:
          pen.arc(x, y, 0.6 * r, 0, 2 * Math.PI);
          pen.fill();
      }
    }
  }
}
