"use strict";
// Steering a seat of a game that is being played: keys and gamepad go out, what happens comes in.

class Driving {
  constructor(start, address, viewer) {
    this.start = start;
    this.viewer = viewer;
    this.match = Match.live(start.match);
    this.held = new Set();
    this.axes = [];
    this.buttons = [];
    this.pointing = null; // while a button of the mouse is held on somebody: the choice, and the body
    this.options = {};
    this.serial = 0;
    this.sentAt = new Map(); // serial to the time of the key press
    this.latencies = []; // milliseconds from key to picture
    this.keys = new Set(start.match.scene.roles[start.seat.role].keys.map((b) => b.key));
    this.socket = new WebSocket(address);
    this.socket.binaryType = "arraybuffer";
    this.socket.onmessage = (e) => this.receive(readMessage(e.data));
    this.socket.onopen = () => (byId("connection").textContent = "connected");
    this.socket.onclose = () => {
      byId("connection").textContent = "the game has ended";
      this.closed = true;
    };
    addEventListener("keydown", (e) => this.key(e, true), true);
    addEventListener("keyup", (e) => this.key(e, false), true);
    addEventListener("blur", () => {
      if (this.held.size || this.pointing) {
        this.held.clear();
        this.pointAt(null);
        this.send();
      }
    });
    addEventListener("pointerup", () => {
      if (!this.pointing) return;
      this.pointAt(null);
      this.send();
    });
    this.showBindings();
    const finish = byId("finish");
    finish.hidden = false;
    finish.onclick = () => this.tell({ do: "finish" });
  }

  tell(message) {
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }
  send() {
    this.sentAt.set(++this.serial, performance.now());
    this.tell({
      serial: this.serial,
      keys: [...this.held],
      axes: this.axes,
      buttons: this.buttons,
      options: this.options,
    });
  }

  get targets() {
    return this.match.scene.roles[this.start.seat.role].targets;
  }

  // The mouse goes down on a body: the first choice of one among many is meant, with Shift the second.
  // Returns whether it means something.
  pointerDown(event, body) {
    const target = this.targets[event.shiftKey ? 1 : 0];
    if (!target || body < 0) return false;
    this.pointAt({ target, body });
    this.send();
    return true;
  }
  pointAt(pointing) {
    this.pointing = pointing;
    this.options = {};
    const place = pointing ? this.placeOf(pointing) : 0;
    if (place) this.options[pointing.target.name] = String(place);
  }
  // The number that a body has now among those who can be chosen, 0 if it is not among them.
  placeOf({ target, body }) {
    const { role, seat } = this.start.seat,
      episode = this.match.episodes.length - 1,
      step = this.match.moments(episode) - 1,
      frame = this.match.frame(episode, step);
    if (!frame) return 0;
    const poses = posesAt(this.match, episode, step),
      poseOf = (entity) => poses.subarray(5 * entity, 5 * entity + 5),
      own = poseOf(this.match.scene.roles[role].seats[seat]),
      there = poseOf(body);
    let best = 0,
      least = 0.5; // metres
    for (const { place, at } of othersOf(this.match, frame, role, seat, own, target)) {
      const off = Math.hypot(at[0] - there[0], at[1] - there[1]);
      if (off < least) [best, least] = [place, off];
    }
    return best;
  }

  key(event, down) {
    if (
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName) ||
      byId("help").open
    )
      return;
    if (this.keys.has(event.code)) {
      event.preventDefault();
      event.stopImmediatePropagation();
      if (event.repeat || this.held.has(event.code) === down) return;
      down ? this.held.add(event.code) : this.held.delete(event.code);
      this.send();
    } else if (down && event.key === "Enter") {
      event.preventDefault();
      this.tell({ do: "next" });
    } else if (down && event.key === "Escape") {
      this.tell({ do: this.paused ? "go" : "pause" });
    }
  }

  pollGamepad() {
    const pad = navigator.getGamepads ? [...navigator.getGamepads()].find((p) => p) : null;
    if (!pad) return;
    const axes = pad.axes
        .slice(0, 16)
        .map((a) => (Math.abs(a) < 0.12 ? 0 : Math.round(a * 50) / 50)),
      buttons = pad.buttons.slice(0, 32).map((b) => b.pressed);
    if (JSON.stringify([axes, buttons]) === JSON.stringify([this.axes, this.buttons])) return;
    this.axes = axes;
    this.buttons = buttons;
    this.send();
  }

  receive(message) {
    const { about } = message;
    if (about.kind === "begin") {
      this.match.begin(about.forms);
      this.match.append(message);
      this.viewer.beganLive(this.match.episodes.length - 1);
    } else if (about.kind === "moment") {
      this.match.append(message);
      this.viewer.momentLive();
      if (this.pointing) {
        this.pointAt(this.pointing); // the others may have changed places
        this.send();
      }
    } else if (about.kind === "preview") {
      this.preview = { ...about, poses: message.numbers, at: performance.now() };
      this.paused = about.paused;
      this.viewer.stateLive(about);
    }
  }

  // The picture of now: where things are going with the keys as they are.
  poses(out) {
    const p = this.preview;
    if (!p) return null;
    const { ticks, tick_seconds, ticks_per_step } = this.match.scene,
      each = this.match.layout.perTick;
    const seconds =
      p.paused || p.over ? p.elapsed : p.elapsed + ((performance.now() - p.at) / 1000) * p.speed;
    const at = Math.min(ticks, (seconds / (tick_seconds * ticks_per_step)) * ticks),
      tick = Math.min(Math.floor(at), ticks - 1);
    return blendPoses(
      this.match,
      p.poses.subarray(tick * each, (tick + 1) * each),
      p.poses.subarray((tick + 1) * each, (tick + 2) * each),
      at - tick,
      out,
    );
  }

  // Called when a picture with the newest preview is on the screen.
  drawn() {
    if (!this.preview) return;
    for (const [serial, at] of this.sentAt)
      if (serial <= this.preview.serial) {
        this.latencies.push(performance.now() - at);
        this.sentAt.delete(serial);
      }
  }

  showBindings() {
    const holder = byId("bindings");
    holder.hidden = false;
    const words = { Arrow: "", Key: "", Digit: "" };
    const keyName = (code) => code.replace(/^(Arrow|Key|Digit)/, (w) => words[w]);
    const groups = new Map();
    for (const b of this.start.match.scene.roles[this.start.seat.role].keys) {
      if (!b.key) continue;
      const what = b.option
        ? `${b.control}: ${b.option}`
        : `${b.control} ${b.value > 0 ? "+" : "−"}`;
      groups.set(what, [...(groups.get(what) || []), keyName(b.key)]);
    }
    this.targets.slice(0, 2).forEach((target, i) => {
      const what = `${target.name}: whom you point at`;
      groups.set(what, [i ? "Shift click" : "Click"]);
    });
    for (const [what, keys] of [...groups, ["next episode", ["Enter"]], ["pause", ["Esc"]]]) {
      const item = make("span", holder);
      for (const key of keys) {
        make("kbd", item, key);
        item.append(" ");
      }
      item.append(what);
    }
    make("span", holder, "A gamepad works too.", "soft");
  }
}
