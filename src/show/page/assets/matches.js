"use strict";
// What was recorded, as the arrays it comes in. The format of messages is specified in
// docs/formats/page.md.

function readMessage(buffer) {
  const bytes = new DataView(buffer).getUint32(0, true);
  const about = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, bytes)));
  return { about, numbers: new Float32Array(buffer, 4 + bytes) };
}

// Where the numbers of a moment stand.
class Layout {
  constructor(scene) {
    this.roles = [];
    let at = 0;
    for (const role of scene.roles) {
      const parts = {};
      const seats = role.seats.length;
      for (const [name, each] of [
        ["observations", role.columns.length],
        ["controls", role.controls.length],
        ["rewards", role.terms.length],
        ["values", 1],
        ["probabilities", role.probabilities],
      ]) {
        parts[name] = { at, each };
        at += seats * each;
      }
      this.roles.push(parts);
    }
    this.meters = at;
    this.poses = at + scene.meters.length;
    this.fields = scene.high ? 5 : 3;
    this.perTick = scene.posed * this.fields;
    this.size = this.poses + scene.ticks * this.perTick;
  }
}

// Some moments that follow each other.
class Chunk {
  constructor(layout, message) {
    this.layout = layout;
    this.about = message.about;
    this.first = message.about.first;
    this.moments = message.about.moments;
    this.numbers = message.numbers;
    this.maps = {};
  }
  // The map of cells, blocks or tags at a step, and a number that changes whenever it does.
  map(which, step) {
    const { start, changes } = this.about[which];
    let cached = this.maps[which];
    if (!cached || cached.step > step)
      cached = this.maps[which] = { step: this.first, next: 0, kinds: Int16Array.from(start) };
    while (cached.next < changes.length && changes[cached.next][0] <= step) {
      cached.kinds[changes[cached.next][1]] = changes[cached.next][2];
      ++cached.next;
    }
    cached.step = step;
    return { kinds: cached.kinds, version: `${this.first}:${cached.next}` };
  }
}

// One moment.
class Frame {
  constructor(chunk, step) {
    this.chunk = chunk;
    this.step = step;
    this.at = (step - chunk.first) * chunk.layout.size;
  }
  part(role, name, seat) {
    const { at, each } = this.chunk.layout.roles[role][name];
    return this.chunk.numbers.subarray(
      this.at + at + seat * each,
      this.at + at + (seat + 1) * each,
    );
  }
  meter(i) {
    return this.chunk.numbers[this.at + this.chunk.layout.meters + i];
  }
  // All poses after a tick, counted from 0.
  poses(tick) {
    const { poses, perTick } = this.chunk.layout;
    return this.chunk.numbers.subarray(
      this.at + poses + tick * perTick,
      this.at + poses + (tick + 1) * perTick,
    );
  }
  get outcome() {
    return this.chunk.about.outcomes[this.step - this.chunk.first];
  }
  get events() {
    return this.chunk.about.events.filter((e) => e[0] === this.step);
  }
  get overlays() {
    return this.chunk.about.overlays.filter((o) => o[0] === this.step).map((o) => o[1]);
  }
  cells() {
    return this.chunk.map("cells", this.step);
  }
  blocks() {
    return this.chunk.map("blocks", this.step);
  }
  // The tag that each entity bears, -1 for a wall that has opened; empty where neither changes.
  tags() {
    return this.chunk.map("tags", this.step);
  }
}

const kindsOfEvents = [
  "touch",
  "part",
  "enter",
  "inside",
  "leave",
  "collect",
  "launch",
  "hit",
  "pass",
  "empty",
  "full",
  "die",
  "back",
  "gate",
  "success",
  "failure",
  "cutoff",
  "dig",
  "place",
  "custom",
];
const outcomes = ["running", "success", "failure", "cutoff"];
// Too many or too dull to be marked.
const quietEvents = new Set(["part", "inside", "pass", "leave"]);

// One recorded match, or one that is being played. `fetch(episode, number)` gives the bytes of a
// message, `nodes(role, episode)` what the nodes of a role's network were, if networks are shown.
class Match {
  constructor(meta, fetch, nodes) {
    Object.assign(this, meta); // name, scene, episodes, forms, per_message
    this.layout = new Layout(this.scene);
    this.seats = this.scene.roles.reduce((n, role) => n + role.seats.length, 0);
    this.fetch = fetch;
    this.nodes = nodes;
    this.loaded = new Map(); // "episode:number" to Chunk, or to the promise of one
    this.version = 0; // changes when something was loaded
  }
  static live(meta) {
    return new Match({ ...meta, live: true, episodes: [], forms: [], per_message: 1 }, () =>
      Promise.reject(new Error("not recorded here")),
    );
  }
  moments(episode) {
    return this.episodes[episode] ? this.episodes[episode].moments : 0;
  }
  formsOf(episode) {
    return this.forms[this.episodes[episode].forms];
  }
  number(step) {
    return Math.floor(step / this.per_message);
  }

  // The moment if it is here already, else nothing; it is then on its way.
  frame(episode, step) {
    if (step < 0 || step >= this.moments(episode)) return null;
    const chunk = this.loaded.get(`${episode}:${this.number(step)}`);
    if (chunk instanceof Chunk) return new Frame(chunk, step);
    this.load(episode, this.number(step));
    return null;
  }
  load(episode, number) {
    const key = `${episode}:${number}`;
    if (!this.loaded.has(key))
      this.loaded.set(
        key,
        this.fetch(episode, number).then((buffer) =>
          this.store(episode, number, readMessage(buffer)),
        ),
      );
    return this.loaded.get(key);
  }
  store(episode, number, message) {
    const chunk = new Chunk(this.layout, message);
    this.loaded.set(`${episode}:${number}`, chunk);
    ++this.version;
    if (this.arrived) this.arrived();
    return chunk;
  }
  // All of an episode, one message after the other; what belongs to others is let go of.
  async loadEpisode(episode) {
    for (const key of this.loaded.keys())
      if (!this.live && +key.split(":")[0] !== episode) this.loaded.delete(key);
    for (let d = 0; d < this.moments(episode); d += this.per_message)
      await this.load(episode, this.number(d));
  }
  // Every moment of an episode that is here, in order.
  *frames(episode) {
    for (let d = 0; d < this.moments(episode);) {
      const chunk = this.loaded.get(`${episode}:${this.number(d)}`);
      if (!(chunk instanceof Chunk)) {
        if (!this.live) return;
        ++d; // whoever joins late lacks what was before
        continue;
      }
      for (; d < chunk.first + chunk.moments; ++d) yield new Frame(chunk, d);
    }
  }

  // ---- A match that is being played.
  begin(forms) {
    this.forms.push(forms);
    this.episodes.push({ moments: 0, outcome: 0, forms: this.forms.length - 1, marks: [] });
  }
  append(message) {
    const episode = this.episodes.length - 1,
      now = this.episodes[episode];
    this.store(episode, message.about.first, message);
    now.moments = message.about.first + 1;
    now.outcome = message.about.outcomes[0];
    for (const e of message.about.events)
      if (!quietEvents.has(kindsOfEvents[e[2]])) now.marks.push([e[0], e[2], e[3], e[4], e[8]]);
  }

  seatList() {
    return this.scene.roles.flatMap((role, r) =>
      role.seats.map((body, s) => ({
        role: r,
        seat: s,
        body,
        label: role.seats.length > 1 ? `${role.name} ${s + 1}` : role.name,
      })),
    );
  }
  // In a crowd only what happens to the chosen one is pointed out.
  concerns(event, body) {
    const [who, whom] = event;
    return this.seats <= 8 || (who < 0 && whom < 0) || who === body || whom === body;
  }
  nameOf(entity) {
    return entity < 0 ? "" : this.scene.entities[entity].name;
  }
  colourOf(entity) {
    return this.scene.tags[this.scene.entities[entity].tag].colour;
  }
  // Seats that are alike differ in lightness.
  seatColour(body) {
    const colour = new THREE.Color(this.colourOf(body)),
      alike = this.seatList().filter((s) => this.colourOf(s.body) === this.colourOf(body)),
      place = alike.findIndex((s) => s.body === body);
    if (alike.length < 2 || place < 0) return colour;
    const { h, s, l } = colour.getHSL({ h: 0, s: 0, l: 0 }),
      share = place / (alike.length - 1) - 0.5;
    return colour.setHSL((h + 0.16 * share + 1) % 1, s, Math.min(0.85, Math.max(0.2, l + 0.4 * share)));
  }
  // What a custom game tells has a name of its own.
  wordFor(kind, detail) {
    return kindsOfEvents[kind] === "custom" ? this.scene.happenings[detail] : kindsOfEvents[kind];
  }
  tellEvent([step, kind, who, whom, detail]) {
    return `step ${step}: ${this.wordFor(kind, detail)} ${this.nameOf(who)} ${this.nameOf(whom)}`.trim();
  }
}

// Poses between moments: `time` counts steps, with fractions for ticks. They come as five numbers
// each, whatever the arena; the first is not a number for things that are not there.
function posesAt(match, episode, time, out) {
  const step = Math.floor(time),
    ticks = match.scene.ticks;
  const from = match.frame(episode, step);
  if (!from) return null;
  const next = time > step ? match.frame(episode, step + 1) : null;
  if (!next) return blendPoses(match, from.poses(ticks - 1), from.poses(ticks - 1), 0, out);
  const at = (time - step) * ticks,
    tick = Math.min(Math.floor(at), ticks - 1);
  return blendPoses(
    match,
    tick === 0 ? from.poses(ticks - 1) : next.poses(tick - 1),
    next.poses(tick),
    at - tick,
    out,
  );
}

function blendPoses(match, a, b, share, out) {
  const { posed, high, entities } = match.scene,
    fields = match.layout.fields;
  if (!out || out.length !== posed * 5) out = new Float32Array(posed * 5);
  for (let e = 0; e < posed; ++e) {
    const i = e * fields,
      o = e * 5;
    const dx = b[i] - a[i],
      dy = b[i + 1] - a[i + 1],
      dz = high ? b[i + 3] - a[i + 3] : 0;
    // What is suddenly elsewhere did not travel there.
    const jumps = !(Math.hypot(dx, dy) < (entities[e].kind === "shot" ? 1e9 : 5));
    const s = jumps ? (share < 1 ? 0 : 1) : share;
    let turn = b[i + 2] - a[i + 2];
    turn -= 2 * Math.PI * Math.round(turn / (2 * Math.PI));
    out[o] = s === 0 ? a[i] : a[i] + s * dx;
    out[o + 1] = a[i + 1] + s * dy;
    out[o + 2] = a[i + 2] + s * turn;
    out[o + 3] = high ? a[i + 3] + s * dz : 0;
    out[o + 4] = high ? a[i + 4] + s * (b[i + 4] - a[i + 4]) : 0;
  }
  return out;
}

// What one ray says: the tag it met (-1: none), and how far away as a share of its reach.
function metBy(rays, seen, column) {
  if (rays.reports === "each_tag") {
    const shares = rays.tags.map((_, t) => seen[column + t]),
      share = Math.min(...shares);
    return { hit: share < 1 ? shares.indexOf(share) : -1, share };
  }
  return {
    hit: rays.tags.findIndex((_, t) => seen[column + t] > 0.5),
    share: seen[column + rays.columns_each - 1],
  };
}

// Where and what a seat's rays met, from what it sensed: [from, to, tag or null].
function raysOf(match, frame, role, seat, pose) {
  const list = [],
    seen = frame.part(role, "observations", seat);
  const [x, y, heading, z, look] = pose,
    c = Math.cos(heading),
    s = Math.sin(heading);
  for (const rays of match.scene.roles[role].rays) {
    const tilt = rays.looks ? look : 0,
      tc = Math.cos(tilt),
      ts = Math.sin(tilt);
    let column = rays.first_column;
    for (const [ahead, left, up] of rays.directions) {
      const { hit, share } = metBy(rays, seen, column);
      const reach = share * rays.reach;
      const a = ahead * tc - up * ts,
        h = ahead * ts + up * tc;
      const from = [x, y, z + rays.eye];
      list.push({
        from,
        to: [x + reach * (c * a - s * left), y + reach * (s * a + c * left), from[2] + reach * h],
        tag: hit < 0 ? null : rays.tags[hit],
      });
      column += rays.columns_each;
    }
  }
  return list;
}

// Where those stand whom a seat can choose, from what it sensed: the number of the option, and the
// place.
function othersOf(match, frame, role, seat, pose, target) {
  const list = [],
    seen = frame.part(role, "observations", seat);
  const [x, y, heading, z] = pose,
    c = Math.cos(heading),
    s = Math.sin(heading);
  for (let k = 0; k < target.others; ++k) {
    const at = target.first_column + k * target.columns_each;
    if (seen[at] < 0.5) continue;
    const ahead = seen[at + 1],
      left = seen[at + 2],
      far = seen[at + 3] * target.reach;
    list.push({
      place: k + 1,
      at: [x + far * (c * ahead - s * left), y + far * (s * ahead + c * left), z],
    });
  }
  return list;
}
