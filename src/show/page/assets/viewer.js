"use strict";
// Puts the page together: where data comes from, one view for each match, the clock, the panel,
// keys, links.

const start = JSON.parse(byId("start").textContent);
const token = new URLSearchParams(location.search).get("token");
const withToken = (path) =>
  token ? path + (path.includes("?") ? "&" : "?") + "token=" + encodeURIComponent(token) : path;
const askJson = async (path) => {
  const reply = await fetch(withToken(path));
  if (!reply.ok) throw new Error(`${path}: ${reply.status}`);
  return reply.json();
};

// Messages stand in the page itself, or come from the tool that serves it.
async function fetchMessage(path) {
  const element = document.getElementById(path);
  if (!element) {
    const reply = await fetch(withToken(path));
    if (!reply.ok) throw new Error(`${path}: ${reply.status}`);
    return reply.arrayBuffer();
  }
  const bytes = Uint8Array.from(atob(element.textContent), (c) => c.charCodeAt(0));
  return new Response(
    new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip")),
  ).arrayBuffer();
}

class Viewer {
  constructor() {
    this.shown = Object.fromEntries(overlayList.map(([name, , on]) => [name, on]));
    this.hiddenNames = new Set();
    this.views = [];
    this.active = 0;
    this.following = false;
    this.changed = true;
    this.panelAt = 0;
    byId("heading").textContent = start.title;
    setLook(matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
    addEventListener("look", () => (this.changed = true));
    this.panel = new Panel(byId("panel"));
    this.wire();
  }

  // ---- Matches and their views.
  async open(matches) {
    this.matches = matches;
    if (!this.playback) {
      this.playback = new Playback(matches, () => (this.changed = true));
      this.timeLine = new TimeLine(byId("line"), this.playback);
    }
    this.playback.matches = matches;
    const holder = byId("views");
    holder.dataset.count = matches.length;
    while (this.views.length > matches.length) this.views.pop().holder.remove();
    while (this.views.length < matches.length)
      this.views.push(this.makeView(holder, this.views.length));
    matches.forEach((match, i) => this.dress(this.views[i], match));
    this.fillSeats();
    if (matches[0].episodes.length) {
      this.fillEpisodes();
      await this.chooseEpisode(Math.min(this.playback.episode, this.playback.episodes - 1));
    }
  }

  makeView(holder, i) {
    const root = make("div", holder, undefined, "view");
    const caption = make("div", root, "", "caption"),
      legend = make("div", root, undefined, "legend");
    const view = { holder: root, caption, legend, arena: new ArenaView(root) };
    view.overlays = new Overlays(view.arena);
    let down = null;
    root.addEventListener("pointerdown", (e) => {
      down = [e.clientX, e.clientY];
      this.activate(i);
      if (this.driving && view.arena.poses && this.driving.pointerDown(e, view.arena.pick(e)))
        down = null;
    });
    root.addEventListener("pointerup", (e) => {
      if (down && Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 4)
        this.chooseBody(view.arena.pick(e));
    });
    root.addEventListener("pointermove", (e) => {
      if (e.buttons) return;
      const entity = view.arena.poses ? view.arena.pick(e) : -1;
      root.title = entity < 0 ? "" : this.matches[i].nameOf(entity);
    });
    return view;
  }

  dress(view, match) {
    view.match = match;
    match.arrived = () => (this.changed = true);
    view.built = null;
    view.legend.textContent = "";
    const seen = new Set();
    for (const tag of match.scene.entities.flatMap((e) => [e.tag, ...e.may_bear])) {
      if (seen.has(tag)) continue;
      seen.add(tag);
      const item = make("span", view.legend);
      make("i", item).style.background = match.scene.tags[tag].colour;
      item.append(match.scene.tags[tag].name);
    }
    byId("overlay_cutaway").hidden = !match.scene.blocks;
    byId("overlay_targets").hidden = !match.scene.roles.some((r) => r.targets.length);
    view.legend.hidden = match.scene.custom; // what it draws has buttons
    for (const name of ["rays", "all_rays", "paths", "zones", "heatmap", "value"])
      byId("overlay_" + name).hidden = match.scene.custom;
    byId("mode").parentElement.hidden = byId("follow").hidden = match.scene.custom;
    const high = match.scene.high;
    view.arena.builtFor = null; // the camera has to be fitted to it again
    if (view.dressedFor !== match.scene.game) this.setMode(high ? "space" : "above");
    view.dressedFor = match.scene.game;
  }

  get match() {
    return this.matches[this.active];
  }
  activate(i) {
    if (this.active === i) return;
    this.active = i;
    this.fillSeats();
    this.changed = true;
  }

  fillSeats() {
    const list = this.match.seatList(),
      select = byId("seat"),
      before = this.chosen;
    this.seatOptions = list;
    select.textContent = "";
    list.forEach((seat, i) => (make("option", select, seat.label).value = i));
    const same = before
      ? list.findIndex((s) => s.role === before.role && s.seat === before.seat)
      : 0;
    this.chooseSeat(Math.max(0, same));
  }
  chooseSeat(i) {
    this.chosen = this.seatOptions[i];
    byId("seat").value = i;
    if (this.playback) this.playback.body = this.chosen.body;
    this.panel.build(this.match, this.chosen);
    this.changed = true;
  }
  chooseBody(body) {
    const i = this.seatOptions.findIndex((s) => s.body === body);
    if (i >= 0) this.chooseSeat(i);
  }

  fillEpisodes() {
    const select = byId("episode");
    select.textContent = "";
    for (let e = 0; e < this.playback.episodes; ++e) {
      const known = this.matches.map((m) => m.episodes[e]).filter((x) => x);
      const ends = known.map((x) => outcomes[x.outcome]).join(" / ");
      make("option", select, `${e}: ${ends}`).value = e;
    }
    byId("episode_choice").hidden = this.playback.episodes < 2;
  }
  async chooseEpisode(episode, time = 0) {
    this.playback.chooseEpisode(episode);
    byId("episode").value = this.playback.episode;
    await Promise.all(
      this.matches
        .filter((m) => m.moments(this.playback.episode))
        .map((m) => m.load(this.playback.episode, 0)),
    );
    this.playback.seek(time);
  }

  // ---- Pictures.
  frameLoop(now) {
    requestAnimationFrame((t) => this.frameLoop(t));
    const seconds = Math.min(0.1, (now - (this.before || now)) / 1000);
    this.before = now;
    if (this.driving) this.driving.pollGamepad();
    if (this.playback && !this.driving) this.playback.advance(seconds);
    if (this.playback && (this.changed || (this.driving && this.driving.preview))) this.draw(now);
    let drawn = false;
    for (const view of this.views) drawn = view.arena.render() || drawn;
    if (drawn && this.driving) this.driving.drawn();
  }

  draw(now) {
    this.changed = false;
    const { playback } = this,
      episode = playback.episode;
    this.views.forEach((view, i) => {
      const match = this.matches[i],
        end = match.moments(episode) - 1;
      view.holder.classList.toggle("active", i === this.active && this.views.length > 1);
      if (end < 0) return;
      const time = Math.min(playback.time, end),
        frame = match.frame(episode, Math.floor(time));
      if (!frame || (time > Math.floor(time) && !match.frame(episode, Math.floor(time) + 1)))
        return (this.changed = true);
      const key = `${match.name}:${episode}:${match.formsKey || 0}`;
      if (view.built !== key || view.builtMatch !== match) {
        if (!match.frame(episode, 0)) {
          if (!match.live) return (this.changed = true);
        }
        view.arena.build(match, episode);
        view.built = key;
        view.builtMatch = match;
      }
      const poses = this.driving
        ? this.driving.poses(view.arena.poses)
        : posesAt(match, episode, time, view.arena.poses);
      if (!poses) return;
      view.arena.showTags(frame);
      view.arena.place(poses, Overlays.tints(frame, this.shown, this.hiddenNames));
      const seat =
        this.chosen && match.scene.roles[this.chosen.role]
          ? match.scene.roles[this.chosen.role].seats[this.chosen.seat]
          : undefined;
      const pose = seat === undefined ? null : view.arena.poseOf(seat);
      if (pose && view.arena.mode === "eyes") view.arena.lookFrom(pose, view.arena.things[seat]);
      else if (pose && this.following) view.arena.follow(pose);
      view.overlays.draw(match, episode, time, this.chosen, this.shown, this.hiddenNames);
      if (seat !== undefined) view.arena.hide(seat, view.arena.mode === "eyes");
      const ended = outcomes[frame.outcome];
      view.caption.textContent =
        (this.matches.length > 1 ? match.name + " · " : "") +
        `step ${Math.floor(time)}` +
        (ended === "running" ? "" : ` · ${ended}`);
    });
    if (now - this.panelAt > 200 || (!playback.playing && !this.driving)) {
      this.panelAt = now;
      const end = this.match.moments(episode) - 1,
        time = Math.max(0, Math.min(playback.time, end));
      // What is decided here; while it is played, what was decided last.
      const at = (d) => this.match.frame(episode, d),
        step = Math.floor(time),
        frame = at(step);
      if (this.match.live) this.panel.update(frame, at(step - 1), frame, time, episode);
      else this.panel.update(frame, frame, at(step + 1), time, episode);
      this.listOwn(frame);
    }
    this.timeLine.update();
    byId("play").textContent = (this.driving ? !this.driving.paused : playback.playing)
      ? "❚❚"
      : "▶";
    byId("speed").value = playback.speed;
    byId("loop").setAttribute("aria-pressed", playback.loop);
    byId("clock").textContent =
      `${playback.time.toFixed(playback.time % 1 ? 2 : 0)} / ${playback.end} · ${(playback.time * playback.secondsPerStep).toFixed(1)} s`;
    if (!playback.playing) this.remember();
  }

  // Overlays of the user's own, each with a button of its own.
  listOwn(frame) {
    for (const o of frame ? frame.overlays : []) {
      const id = "custom_" + o.name;
      if (document.getElementById(id)) continue;
      const button = this.toggleButton(
        byId("overlays"),
        o.name,
        "recorded overlay",
        () => !this.hiddenNames.has(o.name),
        (on) => {
          on ? this.hiddenNames.delete(o.name) : this.hiddenNames.add(o.name);
        },
      );
      button.id = id;
    }
  }

  // ---- A game that is being played.
  drive() {
    const scheme = location.protocol === "https:" ? "wss:" : "ws:";
    this.driving = new Driving(start, withToken(`${scheme}//${location.host}/live`), this);
    for (const id of [
      "previous_event",
      "step_back",
      "step_on",
      "next_event",
      "tick_back",
      "tick_on",
      "loop",
      "link",
    ])
      byId(id).hidden = true;
    byId("line").hidden = true;
    byId("episode_choice").hidden = true;
    return this.open([this.driving.match]).then(() => {
      const { role, seat } = start.seat;
      this.chooseSeat(this.seatOptions.findIndex((s) => s.role === role && s.seat === seat));
    });
  }
  beganLive(episode) {
    this.playback.episode = episode;
    this.playback.time = this.playback.end;
    this.driving.match.formsKey = episode;
    byId("notice").hidden = true;
    this.changed = true;
  }
  momentLive() {
    this.playback.time = this.playback.end;
    const { outcome } = this.driving.match.episodes[this.playback.episode];
    byId("notice").hidden = outcome === 0;
    if (outcome > 0)
      byId("notice").textContent =
        `${outcomes[outcome]} after ${this.playback.end} steps. Enter begins the next episode.`;
    this.changed = true;
  }
  stateLive(about) {
    byId("connection").textContent = about.steering ? "you steer" : "somebody else steers";
    this.playback.speed = Math.max(0, speeds.indexOf(about.speed));
    this.changed = true;
  }

  // ---- A run that is watched.
  watch() {
    const load = async (name) =>
      new Match(
        await askJson(`data/${name}/meta.json`),
        (e, n) => fetchMessage(`data/${name}/${e}/${n}`),
        (r, e) => fetchMessage(`data/${name}/nodes-${r}/${e}`),
      );
    let names = [];
    const compare = this.toggleButton(
      byId("overlays"),
      "earlier checkpoints beside it",
      "The same episodes at earlier checkpoints",
      () => this.comparing,
      (on) => {
        this.comparing = on;
        names = [];
      },
    );
    compare.id = "compare";
    this.watching = new Watching(
      start.terms,
      start.further_roles,
      start.charts,
      askJson,
      async (news) => {
        const all = news.checkpoints;
        if (!all.length || this.opening) return;
        const spread = [0, Math.floor(all.length / 3), Math.floor((2 * all.length) / 3)].filter(
          (i, k, list) => i < all.length - 1 && list.indexOf(i) === k,
        );
        const wanted = this.comparing
          ? [...spread.map((i) => all[i]), all[all.length - 1]]
          : [all[all.length - 1]];
        if (wanted.join() === names.join()) return;
        if (
          names.length === wanted.length &&
          this.playback &&
          this.playback.playing &&
          this.playback.time < this.playback.end
        )
          return; // to its end first
        this.opening = true;
        try {
          const matches = await Promise.all(wanted.map(load));
          names = wanted;
          this.active = 0;
          await this.open(matches);
          this.playback.toggle(true);
        } finally {
          this.opening = false;
        }
      },
    );
  }

  // ---- Buttons, keys, links.
  toggleButton(parent, name, title, get, set) {
    const button = make("button", parent, name);
    button.title = title;
    const show = () => button.setAttribute("aria-pressed", get());
    button.onclick = () => {
      set(!get());
      show();
      this.changed = true;
    };
    show();
    return button;
  }
  setMode(mode) {
    byId("mode").value = mode;
    for (const view of this.views) view.arena.setMode(mode);
    this.changed = true;
  }
  setFollowing(on) {
    this.following = on;
    byId("follow").setAttribute("aria-pressed", on);
    this.changed = true;
  }
  flipOverlay(name) {
    const button = byId("overlay_" + name.replace(" ", "_"));
    if (button) button.click();
  }
  pace(by) {
    if (!this.driving) return this.playback.faster(by);
    this.driving.tell({
      do: "speed",
      speed: speeds[Math.min(Math.max(0, this.playback.speed + by), speeds.length - 1)],
    });
  }
  playOrPause() {
    if (this.driving) this.driving.tell({ do: this.driving.paused ? "go" : "pause" });
    else this.playback.toggle();
  }

  wire() {
    const on = (id, action) => (byId(id).onclick = action);
    on("play", () => this.playOrPause());
    on("previous_event", () => this.playback.toEvent(-1));
    on("next_event", () => this.playback.toEvent(1));
    on("step_back", () => this.playback.stepMoment(-1));
    on("step_on", () => this.playback.stepMoment(1));
    on("tick_back", () => this.playback.stepTick(-1));
    on("tick_on", () => this.playback.stepTick(1));
    on("loop", () => {
      this.playback.loop = !this.playback.loop;
      this.changed = true;
    });
    on("follow", () => this.setFollowing(!this.following));
    on("whole", () => {
      for (const view of this.views) view.arena.frameAll();
      this.changed = true;
    });
    on("link", () => this.copyLink());
    on("look", () => this.flipLook());
    on("help_button", () => byId("help").showModal());
    byId("mode").onchange = (e) => this.setMode(e.target.value);
    byId("seat").onchange = (e) => this.chooseSeat(+e.target.value);
    byId("episode").onchange = (e) => this.chooseEpisode(+e.target.value);
    speeds.forEach(
      (s, i) => (make("option", byId("speed"), s < 1 ? `1/${1 / s} ×` : `${s} ×`).value = i),
    );
    byId("speed").onchange = (e) => this.pace(+e.target.value - this.playback.speed);
    for (const [name, title] of overlayList)
      this.toggleButton(
        byId("overlays"),
        name,
        title,
        () => this.shown[name],
        (on) => (this.shown[name] = on),
      ).id = "overlay_" + name.replace(" ", "_");
    this.keys = [
      ["Space", "play or pause", () => this.playOrPause()],
      [",", "a step back", () => this.playback.stepMoment(-1)],
      [".", "a step on", () => this.playback.stepMoment(1)],
      ["[", "a tick back", () => this.playback.stepTick(-1)],
      ["]", "a tick on", () => this.playback.stepTick(1)],
      ["<", "event before", () => this.playback.toEvent(-1)],
      [">", "next event", () => this.playback.toEvent(1)],
      ["Home", "to the start", () => this.playback.seek(0)],
      ["End", "to the end", () => this.playback.seek(this.playback.end)],
      ["-", "slower", () => this.pace(-1)],
      ["+", "faster", () => this.pace(1)],
      ["l", "loop", () => byId("loop").click()],
      ["n", "next episode", () => this.chooseEpisode(this.playback.episode + 1)],
      ["b", "episode before", () => this.chooseEpisode(this.playback.episode - 1)],
      [
        "s",
        "next seat",
        () => this.chooseSeat((+byId("seat").value + 1) % this.seatOptions.length),
      ],
      ["1", "view from above", () => this.setMode("above")],
      ["2", "view in space", () => this.setMode("space")],
      ["3", "through the seat's eyes", () => this.setMode("eyes")],
      ["0", "whole arena", () => byId("whole").click()],
      ["f", "follow the seat", () => byId("follow").click()],
      ["r", "rays", () => this.flipOverlay("rays")],
      ["a", "rays of all seats", () => this.flipOverlay("all rays")],
      ["t", "whom the seat may choose", () => this.flipOverlay("targets")],
      ["p", "paths", () => this.flipOverlay("paths")],
      ["z", "zones", () => this.flipOverlay("zones")],
      ["e", "events", () => this.flipOverlay("events")],
      ["h", "heatmap of visited places", () => this.flipOverlay("heatmap")],
      ["v", "value over places", () => this.flipOverlay("value")],
      ["x", "cut blocks open", () => this.flipOverlay("cutaway")],
      ["o", "recorded overlays", () => this.flipOverlay("custom")],
      ["c", "copy a link to this moment", () => this.copyLink()],
      ["d", "light or dark", () => this.flipLook()],
      ["?", "this help", () => byId("help").showModal()],
    ];
    const help = byId("help");
    make("h2", help, "Keys");
    const body = make("tbody", make("table", help));
    for (let i = 0; i < this.keys.length; i += 2) {
      const row = make("tr", body);
      for (const [key, what] of this.keys.slice(i, i + 2)) {
        make("kbd", make("td", row), key === " " ? "Space" : key);
        make("td", row, what);
      }
    }
    make(
      "p",
      help,
      "Drag to move the picture, turn the wheel to zoom; in space, drag to turn it and drag with the right button to move it. Click a body to choose its seat.",
      "soft",
    );
    const close = make("button", help, "close");
    close.onclick = () => help.close();
    addEventListener("keydown", (e) => {
      if (
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        (/^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName) && e.key !== "Escape") ||
        help.open
      )
        return;
      const found = this.keys.find(([key]) => key === (e.key === " " ? "Space" : e.key));
      if (!found || !this.playback) return;
      e.preventDefault();
      found[2]();
    });
  }

  flipLook() {
    const dark = document.documentElement.dataset.look === "dark";
    setLook(dark ? "light" : "dark");
    byId("look").textContent = dark ? "dark" : "light";
  }

  // The address names the moment: episode, time, seat, point of view, and overlays that are not as
  // usual.
  remember() {
    if (this.driving || !this.chosen || !this.recalled) return;
    const changed = overlayList
      .filter(([name, , on]) => this.shown[name] !== on)
      .map(([name]) => name);
    const hash = new URLSearchParams({
      episode: this.playback.episode,
      at: +this.playback.time.toFixed(3),
      seat: byId("seat").value,
      view: byId("mode").value,
    });
    if (changed.length) hash.set("flipped", changed.join("."));
    if (this.following) hash.set("follow", 1);
    if ("#" + hash !== location.hash) history.replaceState(null, "", "#" + hash);
  }
  async recall() {
    const hash = new URLSearchParams(location.hash.slice(1));
    this.recalled = true;
    if (!hash.has("episode") || !this.playback) return;
    if (hash.has("view")) this.setMode(hash.get("view"));
    for (const name of (hash.get("flipped") || "").split(".")) this.flipOverlay(name);
    if (hash.has("follow")) this.setFollowing(true);
    if (this.seatOptions[+hash.get("seat")]) this.chooseSeat(+hash.get("seat"));
    await this.chooseEpisode(+hash.get("episode") || 0, +hash.get("at") || 0);
  }
  async copyLink() {
    this.playback.playing = false;
    this.remember();
    try {
      await navigator.clipboard.writeText(location.href);
      this.notify("the link is copied");
    } catch {
      this.notify("the address line holds the link");
    }
  }
  notify(text) {
    const notice = byId("notice");
    notice.textContent = text;
    notice.hidden = false;
    clearTimeout(this.noticeTimer);
    this.noticeTimer = setTimeout(() => (notice.hidden = true), 2500);
  }
}

let viewer = null;
(async () => {
  try {
    viewer = new Viewer();
    requestAnimationFrame((t) => viewer.frameLoop(t));
    if (start.mode === "drive") await viewer.drive();
    else if (start.mode === "watch") viewer.watch();
    else {
      const metas =
        start.matches ||
        (await Promise.all(start.names.map((name) => askJson(`data/${name}/meta.json`))));
      await viewer.open(
        metas.map(
          (meta, i) =>
            new Match(
              meta,
              (e, n) => fetchMessage(`data/${start.names[i]}/${e}/${n}`),
              (r, e) => fetchMessage(`data/${start.names[i]}/nodes-${r}/${e}`),
            ),
        ),
      );
      await viewer.recall();
      addEventListener("hashchange", () => viewer.recall());
    }
    document.body.dataset.ready = "yes";
  } catch (error) {
    byId("notice").textContent = /WebGL/.test(error.message)
      ? "This browser cannot draw: it offers no WebGL. Switch hardware acceleration on, or use another browser."
      : error.message;
    byId("notice").hidden = false;
    document.body.dataset.errors = (document.body.dataset.errors || "") + error.stack + "\n";
  }
})();
