"use strict";
// What can be drawn over an arena and switched off again.

const overlayList = [
  ["rays", "Rays of the chosen seat, in the colour of what they met", true],
  ["all rays", "Rays of all seats", false],
  ["targets", "Whom the chosen seat may choose, the likelier the stronger", true],
  ["paths", "Ways travelled so far", true],
  ["zones", "Zones", true],
  ["events", "What happened just now", true],
  ["heatmap", "How often places were visited in this episode", false],
  ["value", "Value estimate, averaged over places", false],
  ["cutaway", "Blocks are cut open before the seat", true],
  ["custom", "Recorded overlays", true],
];
const eventSeconds = 1.2,
  gridAcross = 48,
  mostTexts = 200;
const wordHeight = 0.1,
  lineHeight = 0.06,
  lineWidth = 0.15; // of words over the arena, in halves of the view

class Overlays {
  constructor(view) {
    this.view = view;
    this.texts = new Map();
    this.passing = []; // textures that are used for one drawing alone
  }

  draw(match, episode, time, chosen, shown, hiddenNames) {
    const view = this.view,
      group = view.overlay;
    view.clear(group);
    for (const texture of this.passing.splice(0)) texture.dispose();
    view.shown = shown;
    view.things.forEach((_, e) =>
      view.hide(e, match.scene.entities[e].kind === "zone" && !shown.zones),
    );
    const frame = match.frame(episode, Math.floor(time)),
      seat = chosen && match.scene.roles[chosen.role].seats[chosen.seat];
    const pose = seat === undefined ? null : view.poseOf(seat);
    if (match.scene.cells) view.drawCells(frame);
    if (match.scene.blocks) view.drawBlocks(frame, pose);
    if (shown.paths) this.drawPaths(match, episode, time, seat);
    if (shown.rays && pose)
      this.drawRays(match, frame, chosen, this.poseAtStep(match, frame, seat));
    if (shown["all rays"])
      for (const s of match.seatList())
        this.drawRays(match, frame, s, this.poseAtStep(match, frame, s.body));
    if (shown.targets && pose)
      this.drawTargets(
        match,
        frame,
        match.frame(episode, frame.step + 1),
        chosen,
        this.poseAtStep(match, frame, seat),
      );
    if (shown.heatmap || shown.value)
      this.drawPlaces(match, episode, chosen, shown.value ? "value" : "heatmap");
    if (shown.events) this.drawEvents(match, episode, time, seat);
    if (shown.custom)
      frame.overlays.forEach((o, i) => {
        if (!hiddenNames.has(o.name)) this.drawOwn(match, o, i);
      });
    if (pose && view.mode !== "eyes") this.ring(pose, view.things[seat].reach);
  }

  // Rays were cast at the step, not from where the body is between two of them.
  poseAtStep(match, frame, body) {
    const poses = blendPoses(
      match,
      frame.poses(match.scene.ticks - 1),
      frame.poses(match.scene.ticks - 1),
      0,
    );
    return poses.subarray(5 * body, 5 * body + 5);
  }

  // Flat arenas have no level of their own: what is drawn lies on top of things, or at eye level
  // for those among them.
  lift() {
    return this.view.high ? 0 : this.view.mode === "eyes" ? 0.5 * flatTall : flatTall + 0.02;
  }

  drawRays(match, frame, chosen, pose) {
    const points = [],
      colours = [],
      missed = [],
      ends = [],
      endColours = [];
    for (const ray of raysOf(match, frame, chosen.role, chosen.seat, pose)) {
      const tag = match.scene.tags.find((t) => t.name === ray.tag);
      const lift = this.lift();
      (tag ? points : missed).push(
        ray.from[0],
        ray.from[1],
        ray.from[2] + lift,
        ray.to[0],
        ray.to[1],
        ray.to[2] + lift,
      );
      if (tag) {
        const colour = new THREE.Color(tag.colour);
        for (let i = 0; i < 2; ++i) colours.push(colour.r, colour.g, colour.b);
        ends.push(ray.to[0], ray.to[1], ray.to[2] + lift);
        endColours.push(colour.r, colour.g, colour.b);
      }
    }
    const lines = new THREE.BufferGeometry();
    lines.setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
    lines.setAttribute("color", new THREE.Float32BufferAttribute(colours, 3));
    this.add(
      new THREE.LineSegments(
        lines,
        new THREE.LineBasicMaterial({
          vertexColors: THREE.VertexColors,
          transparent: true,
          opacity: 0.75,
        }),
      ),
    );
    // What met nothing is broken and pale, unlike any colour of a thing.
    const broken = new THREE.BufferGeometry();
    broken.setAttribute("position", new THREE.Float32BufferAttribute(missed, 3));
    const pale = new THREE.LineSegments(
      broken,
      new THREE.LineDashedMaterial({
        color: new THREE.Color(css("--soft")),
        transparent: true,
        opacity: 0.35,
        dashSize: 0.25,
        gapSize: 0.35,
      }),
    );
    pale.computeLineDistances();
    this.add(pale);
    const dots = new THREE.BufferGeometry();
    dots.setAttribute("position", new THREE.Float32BufferAttribute(ends, 3));
    dots.setAttribute("color", new THREE.Float32BufferAttribute(endColours, 3));
    this.add(
      new THREE.Points(
        dots,
        new THREE.PointsMaterial({
          vertexColors: THREE.VertexColors,
          size: 7,
          sizeAttenuation: false,
        }),
      ),
    );
  }

  // A line to each one who can be chosen, as strong as the choice is likely; the one that was
  // chosen has the whole strength. Lines of several controls lie side by side. Beyond the other
  // stands the number of its option, as in the panel.
  drawTargets(match, frame, next, chosen, pose) {
    const { role, seat } = chosen,
      probabilities = frame.part(role, "probabilities", seat),
      decided = next ? next.part(role, "controls", seat) : null,
      told = probabilities.some((x) => x !== 0),
      lift = this.lift() + 0.05,
      width = this.heightOnScreen(0.005, 0.1),
      beyond = this.heightOnScreen(0.022, 0.4),
      numbered = new Set();
    match.scene.roles[role].targets.forEach((target, line) => {
      for (const { place, at } of othersOf(match, frame, role, seat, pose, target)) {
        const share = told ? probabilities[target.first + place] : 0,
          taken = decided && decided[target.control] === place;
        if (share < 0.02 && !taken) continue;
        const dx = at[0] - pose[0],
          dy = at[1] - pose[1],
          far = Math.hypot(dx, dy) || 1,
          aside = (line * 1.8 * width) / far;
        const from = new THREE.Vector3(
            pose[0] - aside * dy,
            pose[1] + aside * dx,
            pose[3] + lift,
          ),
          to = new THREE.Vector3(at[0] - aside * dy, at[1] + aside * dx, at[2] + lift),
          thick = taken ? 1.6 * width : width,
          band = this.ribbon([from, to], new THREE.Color(css("--ink")), thick);
        band.material.opacity = taken ? 0.9 : 0.15 + 0.6 * share;
        this.add(band);
        if (numbered.has(place)) continue;
        numbered.add(place);
        const [x, y] = [at[0] + (beyond * dx) / far, at[1] + (beyond * dy) / far];
        this.word(String(place), x, y, at[2] + lift, 1, 0.7);
      }
    });
  }

  drawPaths(match, episode, time, chosen) {
    const seats = match.seatList();
    const bodies =
      seats.length <= 8 ? seats.map((s) => s.body) : chosen === undefined ? [] : [chosen];
    for (const body of bodies) {
      const points = [];
      let last = null;
      for (const frame of match.frames(episode)) {
        if (frame.step > time) break;
        const poses = frame.poses(match.scene.ticks - 1),
          i = body * match.layout.fields;
        if (poses[i] !== poses[i]) {
          last = null;
          continue;
        }
        const next = new THREE.Vector3(
          poses[i],
          poses[i + 1],
          (match.scene.high ? poses[i + 3] : 0) + 0.08,
        );
        if (last && last.distanceTo(next) < 0.02) continue;
        points.push(next);
        last = next;
      }
      const now = this.view.poseOf(body);
      if (now) points.push(new THREE.Vector3(now[0], now[1], now[3] + 0.08));
      if (points.length > 1)
        this.add(this.ribbon(points, match.seatColour(body), 0.1));
    }
  }

  // A band of some width, for lines are one pixel wide.
  ribbon(points, colour, width) {
    const position = [],
      index = [];
    for (let i = 0; i < points.length; ++i) {
      const a = points[Math.max(0, i - 1)],
        b = points[Math.min(points.length - 1, i + 1)];
      const dx = b.x - a.x,
        dy = b.y - a.y,
        length = Math.hypot(dx, dy) || 1;
      const ox = ((-dy / length) * width) / 2,
        oy = ((dx / length) * width) / 2;
      position.push(
        points[i].x + ox,
        points[i].y + oy,
        points[i].z,
        points[i].x - ox,
        points[i].y - oy,
        points[i].z,
      );
      if (i > 0) index.push(2 * i - 2, 2 * i - 1, 2 * i, 2 * i, 2 * i - 1, 2 * i + 1);
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(position, 3));
    geometry.setIndex(index);
    return new THREE.Mesh(
      geometry,
      new THREE.MeshBasicMaterial({
        color: colour,
        side: THREE.DoubleSide,
        transparent: true,
        opacity: 0.8,
      }),
    );
  }

  ring(pose, reach) {
    const points = [];
    for (let i = 0; i <= 40; ++i)
      points.push(
        new THREE.Vector3(
          pose[0] + 1.35 * reach * Math.cos((i * Math.PI) / 20),
          pose[1] + 1.35 * reach * Math.sin((i * Math.PI) / 20),
          pose[3] + 0.06 + this.lift(),
        ),
      );
    this.add(this.ribbon(points, new THREE.Color(css("--ink")), 0.08));
  }

  // ---- Visits and values by place.
  places(match, episode, chosen, what) {
    const box = this.view.box,
      size = Math.max(box.max.x - box.min.x, box.max.y - box.min.y) / gridAcross;
    const columns = Math.max(1, Math.ceil((box.max.x - box.min.x) / size)),
      rows = Math.max(1, Math.ceil((box.max.y - box.min.y) / size));
    const key = [match.version, episode, chosen.role, chosen.seat, what].join();
    if (this.placesKey === key) return this.placesNow;
    const visits = new Float32Array(columns * rows),
      sums = new Float32Array(columns * rows);
    const body = match.scene.roles[chosen.role].seats[chosen.seat];
    for (const frame of match.frames(episode)) {
      const poses = frame.poses(match.scene.ticks - 1),
        i = body * match.layout.fields;
      const c = Math.floor((poses[i] - box.min.x) / size),
        r = Math.floor((poses[i + 1] - box.min.y) / size);
      if (!(c >= 0 && r >= 0 && c < columns && r < rows)) continue;
      ++visits[r * columns + c];
      sums[r * columns + c] += frame.part(chosen.role, "values", chosen.seat)[0];
    }
    const numbers = visits.map((n, i) =>
      n === 0 ? NaN : what === "heatmap" ? Math.log2(1 + n) : sums[i] / n,
    );
    const known = [...numbers].filter((n) => n === n);
    const low = what === "heatmap" ? 0 : Math.min(...known),
      high = Math.max(...known);
    const pixels = new Uint8Array(columns * rows * 4);
    numbers.forEach((n, i) => {
      if (n !== n) return;
      // From pale yellow to dark blue: lightness alone tells.
      const share = high > low ? (n - low) / (high - low) : 1;
      pixels.set([250 - 225 * share, 230 - 170 * share, 140, 150 + 70 * share], 4 * i);
    });
    if (this.placesNow) this.placesNow.texture.dispose();
    const texture = new THREE.DataTexture(pixels, columns, rows, THREE.RGBAFormat);
    texture.magFilter = texture.minFilter = THREE.NearestFilter;
    texture.needsUpdate = true;
    this.placesKey = key;
    return (this.placesNow = { columns, rows, size, low, high, texture });
  }

  drawPlaces(match, episode, chosen, what) {
    const { columns, rows, size, texture } = this.places(match, episode, chosen, what);
    const plane = new THREE.Mesh(
      new THREE.PlaneBufferGeometry(columns * size, rows * size),
      new THREE.MeshBasicMaterial({ map: texture, transparent: true, depthWrite: false }),
    );
    const { min } = this.view.box;
    plane.position.set(
      min.x + (columns * size) / 2,
      min.y + (rows * size) / 2,
      (match.scene.floor || 0) + 0.07,
    );
    this.add(plane);
  }

  // ---- Events: a word where it happened, rising and fading.
  drawEvents(match, episode, time, chosen) {
    const seconds = match.scene.tick_seconds * match.scene.ticks_per_step;
    const first = Math.max(0, Math.ceil(time - eventSeconds / seconds)),
      words = [];
    for (let d = first; d <= Math.ceil(time); ++d) {
      const frame = match.frame(episode, d);
      for (const e of frame ? frame.events : []) {
        const kind = match.wordFor(e[2], e[8]);
        if (quietEvents.has(kind) || !match.concerns([e[3], e[4]], chosen)) continue;
        const at = e[1] / match.scene.ticks_per_step,
          age = (time - at) * seconds;
        if (age < 0 || age > eventSeconds) continue;
        const place = this.placeOf(match, e);
        if (place)
          words.push({
            kind,
            age,
            at: new THREE.Vector3(place[0], place[1], place[2] + 0.8 + age),
          });
      }
    }
    // What happened at one spot is listed, the newest at the bottom.
    const camera = this.view.camera(),
      lines = [];
    for (const { kind, age, at } of words.sort((a, b) => a.age - b.age)) {
      const sprite = this.word(kind, at.x, at.y, at.z, 1 - (0.7 * age) / eventSeconds);
      const seen = at.clone().project(camera),
        low = seen.y;
      let below;
      while (
        (below = lines.find(
          (l) => Math.abs(l.x - seen.x) < lineWidth && Math.abs(l.y - seen.y) < 0.99 * lineHeight,
        ))
      )
        seen.y = below.y + lineHeight;
      lines.push(seen);
      sprite.center.y = 0.5 - (seen.y - low) / wordHeight;
    }
  }
  placeOf(match, [, , kind, who, , x, y, , , z]) {
    const pose = who >= 0 && who < match.scene.posed ? this.view.poseOf(who) : null;
    if (x || y) return [x, y, z];
    if (match.scene.frame) return [this.view.box.getCenter(new THREE.Vector3()).x, match.scene.frame[1], 0];
    if (pose) return [pose[0], pose[1], pose[3]];
    const seat = match.scene.roles[0].seats[0],
      own = this.view.poseOf(seat);
    return kindsOfEvents[kind] && own ? [own[0], own[1], own[3]] : null;
  }
  // Metres that are this share of the picture's height. Where the picture is in perspective, there
  // is no such length, and the other is taken.
  heightOnScreen(share, other) {
    const camera = this.view.camera();
    return camera.isOrthographicCamera
      ? (share * (camera.top - camera.bottom)) / camera.zoom
      : other;
  }

  word(text, x, y, z, opacity, size = 1) {
    if (!this.texts.has(text)) {
      const canvas = document.createElement("canvas");
      canvas.width = 256;
      canvas.height = 64;
      const pen = canvas.getContext("2d");
      pen.font = "bold 34px system-ui, 'DejaVu Sans', sans-serif";
      pen.textAlign = "center";
      pen.lineWidth = 8;
      pen.strokeStyle = "#fffffff0";
      pen.fillStyle = "#1e242c";
      pen.strokeText(text, 128, 44);
      pen.fillText(text, 128, 44);
      this.texts.set(text, new THREE.CanvasTexture(canvas));
    }
    const sprite = new THREE.Sprite(
      new THREE.SpriteMaterial({
        map: this.texts.get(text),
        transparent: true,
        opacity,
        depthTest: false,
        sizeAttenuation: false,
      }),
    );
    const height = size * this.heightOnScreen(0.05, 0.045);
    sprite.scale.set(4 * height, height, 1);
    sprite.position.set(x, y, z);
    this.add(sprite);
    return sprite;
  }

  // ---- What the user's program recorded.
  // What comes later lies above what came before. In a custom game there is nothing else to measure
  // by than its frame.
  drawOwn(match, { form, colour, numbers, label }, place) {
    const paint = new THREE.Color(colour);
    const points = [],
      { frame } = match.scene,
      unit = frame ? Math.max(frame[2] - frame[0], frame[3] - frame[1]) / 100 : 0.3,
      level = 0.1 + 0.001 * place + this.lift();
    if (form < 2)
      for (let i = 0; i + 2 < numbers.length; i += 3)
        points.push(
          new THREE.Vector3(numbers[i], numbers[i + 1], numbers[i + 2] + level),
        );
    if (form === 0)
      for (const p of points) {
        const dot = new THREE.Mesh(
          new THREE.SphereBufferGeometry(unit, 12, 8),
          new THREE.MeshBasicMaterial({ color: paint }),
        );
        dot.position.copy(p);
        this.add(dot);
      }
    if (form === 1) this.add(this.ribbon(points, paint, 0.5 * unit));
    if (form === 2 && match.scene.cells) {
      const { size, origin } = match.scene.cells;
      for (let i = 0; i + 1 < numbers.length; i += 2) {
        const cell = new THREE.Mesh(
          new THREE.PlaneBufferGeometry(size, size),
          new THREE.MeshBasicMaterial({
            color: paint,
            transparent: true,
            opacity: 0.55,
            depthWrite: false,
          }),
        );
        cell.position.set(
          origin[0] + (numbers[i] + 0.5) * size,
          origin[1] + (numbers[i + 1] + 0.5) * size,
          (match.scene.floor || 0) + 0.06,
        );
        points.push(cell.position);
        this.add(cell);
      }
    }
    if (form === 3)
      for (const e of numbers) {
        // tints are put on when things are placed
        const pose = this.view.poseOf(e);
        if (pose) points.push(new THREE.Vector3(pose[0], pose[1], pose[3]));
      }
    if (form === 4)
      for (let i = 0; i + 3 < numbers.length; i += 4) {
        const [left, bottom, right, top] = numbers.slice(i, i + 4);
        points.push(this.sheet(left, bottom, right, top, level, { color: paint }));
      }
    if (form === 5 && numbers.length > 2)
      return this.line(label, paint, numbers, level, numbers[3] || 4 * unit);
    if (form === 6) this.raster(numbers, level);
    if (label && points.length) this.word(label, points[0].x, points[0].y, points[0].z + 0.6, 1);
  }
  // A rectangle that lies flat.
  sheet(left, bottom, right, top, level, look) {
    const sheet = new THREE.Mesh(
      new THREE.PlaneBufferGeometry(right - left, top - bottom),
      new THREE.MeshBasicMaterial({ side: THREE.DoubleSide, ...look }),
    );
    sheet.position.set((left + right) / 2, (bottom + top) / 2, level);
    this.add(sheet);
    return sheet.position;
  }
  // Words on such a rectangle, so that they grow with what is around them.
  line(words, paint, [x, y, z], level, height) {
    const key = `${words} #${paint.getHexString()}`;
    if (!this.texts.has(key)) {
      const canvas = document.createElement("canvas"),
        pen = canvas.getContext("2d"),
        font = "52px system-ui, 'DejaVu Sans', sans-serif";
      pen.font = font;
      canvas.width = Math.ceil(pen.measureText(words).width) + 8;
      canvas.height = 64;
      pen.font = font;
      pen.fillStyle = `#${paint.getHexString()}`;
      pen.fillText(words, 4, 50);
      if (this.texts.size >= mostTexts) this.forgetTexts(); // a clock never says the same twice
      this.texts.set(key, new THREE.CanvasTexture(canvas));
    }
    const map = this.texts.get(key),
      half = (0.5 * height * map.image.width) / map.image.height;
    this.sheet(x - half, y - height / 2, x + half, y + height / 2, z + level, {
      map,
      transparent: true,
    });
  }
  forgetTexts() {
    for (const texture of this.texts.values()) this.passing.push(texture);
    this.texts.clear();
  }
  raster(numbers, level) {
    const [left, bottom, right, top, columns, rows, channels] = numbers;
    if (numbers.length !== 7 + columns * rows * channels) return;
    const pixels = new Uint8Array(columns * rows * 4);
    for (let row = 0; row < rows; ++row)
      for (let column = 0; column < columns; ++column) {
        const from = 7 + (row * columns + column) * channels,
          to = 4 * ((rows - 1 - row) * columns + column); // textures begin at the bottom
        for (let c = 0; c < 3; ++c)
          pixels[to + c] = 255 * Math.min(1, Math.max(0, numbers[from + Math.min(c, channels - 1)]));
        pixels[to + 3] = 255;
      }
    const map = new THREE.DataTexture(pixels, columns, rows, THREE.RGBAFormat);
    map.magFilter = map.minFilter = THREE.NearestFilter;
    map.needsUpdate = true;
    this.passing.push(map);
    this.sheet(left, bottom, right, top, level, { map });
  }
  static tints(frame, shown, hiddenNames) {
    const tints = new Map();
    if (shown.custom && frame)
      for (const o of frame.overlays)
        if (o.form === 3 && !hiddenNames.has(o.name))
          for (const e of o.numbers) tints.set(e, new THREE.Color(o.colour));
    return tints;
  }

  add(object) {
    this.view.overlay.add(object);
  }
}
