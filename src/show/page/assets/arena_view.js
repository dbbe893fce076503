"use strict";
// Draws one arena with three.js: from above, in space, or through a seat's eyes. z points up, as in
// the arena.

const flatTall = 0.6,
  endlessTall = 3; // metres: things of flat arenas, walls and zones without end

// Whether the browser has no graphics hardware to draw with; edges are then left rough, so that
// pictures stay fluent.
function drawnBySoftware() {
  const gl = document.createElement("canvas").getContext("webgl");
  const names = gl && gl.getExtension("WEBGL_debug_renderer_info");
  return (
    !!names && /swiftshader|llvmpipe|software/i.test(gl.getParameter(names.UNMASKED_RENDERER_WEBGL))
  );
}

class ArenaView {
  constructor(holder) {
    this.holder = holder;
    this.slow = drawnBySoftware();
    this.renderer = new THREE.WebGLRenderer({
      antialias: !this.slow,
      powerPreference: "high-performance",
    });
    this.renderer.setPixelRatio(this.slow ? 1 : devicePixelRatio);
    holder.prepend(this.renderer.domElement);
    this.scene = new THREE.Scene();
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0x9aa4ad, 0.75));
    const sun = new THREE.DirectionalLight(0xffffff, 0.45);
    sun.position.set(0.4, -0.7, 1);
    this.scene.add(sun);
    this.above = new THREE.OrthographicCamera(-1, 1, 1, -1, -1000, 2000);
    this.space = new THREE.PerspectiveCamera(50, 1, 0.05, 4000);
    for (const camera of [this.above, this.space]) camera.up.set(0, 0, 1);
    this.mode = "above";
    this.poses = null;
    this.static = new THREE.Group(); // of an episode
    this.overlay = new THREE.Group(); // of a moment
    this.scene.add(this.static, this.overlay);
    this.shown = {};
    addEventListener("look", () => this.paintLook());
    new ResizeObserver(() => this.resize()).observe(holder);
    this.makeControls();
    this.paintLook();
  }

  paintLook() {
    this.scene.background = new THREE.Color(css("--ground"));
    this.dirty = true;
  }

  // ---- What an episode is made of.
  build(match, episode) {
    this.match = match;
    this.high = match.scene.high;
    this.poses = null;
    this.mapVersions = {};
    this.cellMesh = this.blockMesh = null;
    for (const group of [this.static, this.overlay]) this.clear(group);
    const forms = match.formsOf(episode),
      scene = match.scene;
    this.box = new THREE.Box3();
    this.things = scene.entities
      .slice(0, scene.posed)
      .map((entity, e) => this.buildThing(entity, forms, e));
    this.walls = {};
    scene.entities.forEach((entity, e) => {
      if (entity.kind === "wall") this.buildWall(entity, forms, e);
    });
    for (const part of scene.triangles) this.buildTriangles(part);
    if (scene.cells) this.growBox(scene.cells, [scene.cells.columns, scene.cells.rows, 0]);
    if (scene.blocks)
      this.growBox(scene.blocks, [scene.blocks.columns, scene.blocks.rows, scene.blocks.layers]);
    const start = blendPoses(match, this.startPoses(episode), this.startPoses(episode), 0);
    if (scene.frame) {
      this.box.expandByPoint(new THREE.Vector3(scene.frame[0], scene.frame[1], 0));
      this.box.expandByPoint(new THREE.Vector3(scene.frame[2], scene.frame[3], 0));
    }
    const fixed = !this.box.isEmpty();
    scene.entities.slice(0, scene.posed).forEach((entity, e) => {
      const [x, y] = [start[5 * e], start[5 * e + 1]];
      if (!(x === x) || (fixed && entity.kind !== "body")) return;
      const reach = Math.min(20, this.things[e].reach);
      this.box.expandByPoint(new THREE.Vector3(x - reach, y - reach, start[5 * e + 3]));
      this.box.expandByPoint(new THREE.Vector3(x + reach, y + reach, start[5 * e + 3]));
    });
    if (scene.floor !== null) this.buildFloor(scene.floor);
    if (this.builtFor !== match.scene) this.frameAll();
    this.builtFor = match.scene;
    this.dirty = true;
  }
  startPoses(episode) {
    return this.match.frame(episode, 0).poses(this.match.scene.ticks - 1);
  }

  clear(group) {
    while (group.children.length) {
      const child = group.children[0];
      group.remove(child);
      child.traverse((c) => {
        if (c.geometry) c.geometry.dispose();
      });
    }
  }

  growBox({ origin, size }, counts) {
    const [x, y, z = 0] = origin;
    this.box.expandByPoint(new THREE.Vector3(x, y, z));
    this.box.expandByPoint(
      new THREE.Vector3(x + size * counts[0], y + size * counts[1], z + size * counts[2]),
    );
  }

  colour(entity) {
    return new THREE.Color(this.match.colourOf(entity));
  }

  buildThing(entity, forms, e) {
    const outline = forms.outlines[e],
      tall = forms.tall[e] === null ? endlessTall : this.high ? forms.tall[e] : flatTall;
    const group = new THREE.Group();
    const points = [];
    for (let i = 0; i < outline.length; i += 2)
      points.push(new THREE.Vector2(outline[i], outline[i + 1]));
    const reach = Math.max(0.1, ...points.map((p) => p.length()));
    const colour = this.colour(e);
    const zone = entity.kind === "zone";
    let geometry;
    if (entity.ball) {
      geometry = new THREE.SphereBufferGeometry(reach, 20, 14);
      geometry.translate(0, 0, reach);
    } else if (zone && !this.high) {
      geometry = new THREE.ShapeBufferGeometry(new THREE.Shape(points));
      geometry.translate(0, 0, 0.03);
    } else {
      geometry = new THREE.ExtrudeBufferGeometry(new THREE.Shape(points), {
        depth: tall,
        bevelEnabled: false,
      });
    }
    const material = new THREE.MeshLambertMaterial({
      color: colour,
      transparent: zone,
      opacity: zone ? 0.22 : 1,
      depthWrite: !zone,
      side: zone ? THREE.DoubleSide : THREE.FrontSide,
    });
    group.add(new THREE.Mesh(geometry, material));
    if (zone) {
      const rim = points.concat(points[0]).map((p) => new THREE.Vector3(p.x, p.y, 0.05));
      const line = new THREE.Line(
        new THREE.BufferGeometry().setFromPoints(rim),
        new THREE.LineDashedMaterial({
          color: colour,
          dashSize: 0.06 * reach + 0.2,
          gapSize: 0.04 * reach + 0.1,
        }),
      );
      line.computeLineDistances();
      group.add(line);
    } else if (!entity.ball && this.match.scene.posed < 150) {
      const edge = new THREE.LineBasicMaterial({ color: colour.clone().multiplyScalar(0.6) });
      group.add(new THREE.LineSegments(new THREE.EdgesGeometry(geometry, 30), edge));
    }
    if (entity.kind === "body" && entity.moves) {
      // its bow
      const bow = new THREE.Mesh(
        new THREE.ConeBufferGeometry(0.22 * reach, 0.55 * reach, 10),
        new THREE.MeshBasicMaterial({ color: 0x16202a }),
      );
      bow.rotation.z = -Math.PI / 2;
      bow.position.set(0.55 * reach, 0, entity.ball ? 2 * reach : tall + 0.01);
      group.add(bow);
    }
    group.userData = { entity: e };
    this.static.add(group);
    return { group, material, colour, reach, tall: entity.ball ? 2 * reach : tall };
  }

  buildWall(entity, forms, e) {
    const chain = forms.outlines[e],
      low = this.high ? forms.foot[e] : 0;
    const tall = forms.tall[e] === null ? (this.high ? endlessTall : flatTall) : forms.tall[e];
    const material = new THREE.MeshLambertMaterial({ color: this.colour(e) });
    const group = (this.walls[e] = new THREE.Group());
    this.static.add(group);
    for (let i = 0; i + 3 < chain.length; i += 2) {
      const [x0, y0, x1, y1] = chain.slice(i, i + 4);
      const part = new THREE.Mesh(
        new THREE.BoxBufferGeometry(Math.hypot(x1 - x0, y1 - y0) + 0.15, 0.15, tall),
        material,
      );
      part.position.set((x0 + x1) / 2, (y0 + y1) / 2, low + tall / 2);
      part.rotation.z = Math.atan2(y1 - y0, x1 - x0);
      group.add(part);
      this.box.expandByPoint(new THREE.Vector3(x0, y0, low));
      this.box.expandByPoint(new THREE.Vector3(x1, y1, low));
    }
  }

  buildTriangles({ entity, corners }) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(corners, 3));
    geometry.computeVertexNormals();
    this.static.add(
      new THREE.Mesh(
        geometry,
        new THREE.MeshLambertMaterial({ color: this.colour(entity), side: THREE.DoubleSide }),
      ),
    );
    geometry.computeBoundingBox();
    this.box.union(geometry.boundingBox);
  }

  buildFloor(level) {
    const size = this.box.getSize(new THREE.Vector3()),
      middle = this.box.getCenter(new THREE.Vector3());
    const reach = Math.max(size.x, size.y, 10) * 3;
    const floor = this.match.scene.entities.findIndex((e) => e.kind === "floor");
    const plane = new THREE.Mesh(
      new THREE.PlaneBufferGeometry(reach, reach),
      new THREE.MeshLambertMaterial({ color: this.colour(floor) }),
    );
    plane.position.set(middle.x, middle.y, level - 0.01);
    const step = Math.max(1, 5 * Math.round(Math.max(size.x, size.y) / 50));
    const grid = new THREE.GridHelper(
      Math.ceil(reach / step) * step,
      Math.ceil(reach / step),
      0xa9c0d0,
      0xa9c0d0,
    );
    grid.rotation.x = Math.PI / 2;
    grid.position.set(
      Math.round(middle.x / step) * step,
      Math.round(middle.y / step) * step,
      level,
    );
    this.static.add(plane, grid);
  }

  // ---- Maps that can change. Another version may still show the same.
  isNews(which, version, kinds) {
    const before = this.mapVersions[which];
    if (before && before.version === version) return false;
    const same =
      before &&
      before.kinds.length === kinds.length &&
      before.kinds.every((kind, i) => kind === kinds[i]);
    this.mapVersions[which] = { version, kinds: same ? before.kinds : kinds.slice() };
    return !same;
  }
  showTags(frame) {
    const { kinds, version } = frame.tags();
    if (!kinds.length || !this.isNews("tags", version, kinds)) return;
    const { tags, posed } = this.match.scene;
    kinds.forEach((tag, e) => {
      if (e < posed) this.things[e].colour.set(tags[tag].colour);
      else if (this.walls[e]) this.walls[e].visible = tag >= 0;
    });
    this.dirty = true;
  }
  drawCells(frame) {
    const cells = this.match.scene.cells,
      { kinds, version } = frame.cells();
    if (!this.isNews("cells", version, kinds)) return;
    if (this.cellMesh) {
      this.static.remove(this.cellMesh);
      this.cellMesh = null;
    }
    const { columns, rows, size, origin } = cells,
      level = this.match.scene.floor || 0;
    const ground = new Uint8Array(columns * rows * 4),
      raised = new Map();
    const kindOf = new Map(cells.kinds.map((k) => [k.entity, k]));
    kinds.forEach((entity, i) => {
      if (entity < 0) return;
      const c = this.colour(entity),
        kind = kindOf.get(entity);
      ground.set([255 * c.r, 255 * c.g, 255 * c.b, 255], 4 * i);
      const tall = this.high
        ? kind.height === null
          ? kind.solid
            ? endlessTall
            : 0
          : kind.height
        : kind.solid
          ? 0.4
          : 0;
      if (tall > 0) raised.set(entity, [...(raised.get(entity) || []), [i, tall]]);
    });
    this.cellMesh = new THREE.Group();
    const texture = new THREE.DataTexture(ground, columns, rows, THREE.RGBAFormat);
    texture.magFilter = texture.minFilter = THREE.NearestFilter;
    texture.needsUpdate = true;
    const plane = new THREE.Mesh(
      new THREE.PlaneBufferGeometry(columns * size, rows * size),
      new THREE.MeshBasicMaterial({ map: texture, transparent: true }),
    );
    plane.position.set(
      origin[0] + (columns * size) / 2,
      origin[1] + (rows * size) / 2,
      level + 0.005,
    );
    this.cellMesh.add(plane);
    for (const [entity, list] of raised) {
      const boxes = new THREE.InstancedMesh(
        new THREE.BoxBufferGeometry(size, size, 1),
        new THREE.MeshLambertMaterial({ color: this.colour(entity) }),
        list.length,
      );
      const place = new THREE.Matrix4();
      list.forEach(([i, tall], n) => {
        place.makeScale(1, 1, tall);
        place.setPosition(
          origin[0] + ((i % columns) + 0.5) * size,
          origin[1] + (Math.floor(i / columns) + 0.5) * size,
          level + tall / 2,
        );
        boxes.setMatrixAt(n, place);
      });
      boxes.frustumCulled = false;
      this.cellMesh.add(boxes);
    }
    this.static.add(this.cellMesh);
    this.dirty = true;
  }

  // Blocks nearer to the viewer than the seat are left away, so that one sees what it is in.
  cutawayOf(pose) {
    if (!this.shown.cutaway || this.mode === "eyes" || !pose)
      return { key: "whole", keeps: () => true };
    const { origin, size } = this.match.scene.blocks;
    const look = this.camera().getWorldDirection(new THREE.Vector3());
    const along = this.mode === "above" ? 2 : Math.abs(look.x) > Math.abs(look.y) ? 0 : 1;
    const away = along === 2 ? -1 : Math.sign(look.getComponent(along)) || 1;
    const own = along === 2 ? pose[3] + 1 : pose[along];
    const at = Math.floor((own - origin[along]) / size) + (along === 2 ? 1 : 0);
    return {
      key: `${along}:${away}:${at}`,
      keeps: (place) => (away > 0 ? place[along] >= at : place[along] <= at),
    };
  }

  drawBlocks(frame, pose) {
    const { columns, rows, layers, size, origin } = this.match.scene.blocks,
      { kinds, version } = frame.blocks();
    const cutaway = this.cutawayOf(pose),
      cutawayBefore = this.mapVersions.cutaway;
    this.mapVersions.cutaway = cutaway.key;
    if (!this.isNews("blocks", version, kinds) && cutawayBefore === cutaway.key) return;
    const colours = this.match.scene.entities.map((_, e) => this.colour(e));
    const at = (c, r, l) =>
      c < 0 ||
      r < 0 ||
      l < 0 ||
      c >= columns ||
      r >= rows ||
      l >= layers ||
      !cutaway.keeps([c, r, l])
        ? -1
        : kinds[(l * rows + r) * columns + c];
    const position = [],
      colour = [],
      normal = [];
    const sides = [
      [1, 0, 0],
      [-1, 0, 0],
      [0, 1, 0],
      [0, -1, 0],
      [0, 0, 1],
      [0, 0, -1],
    ];
    const faces = sides.map(([x, y, z]) => {
      const u = x ? [0, 1, 0] : [1, 0, 0],
        v = z ? [0, 1, 0] : [0, 0, 1];
      const corner = (a, b) => [0, 1, 2].map((i) => 0.5 + 0.5 * [x, y, z][i] + a * u[i] + b * v[i]);
      const quad = [
        corner(-0.5, -0.5),
        corner(0.5, -0.5),
        corner(0.5, 0.5),
        corner(-0.5, -0.5),
        corner(0.5, 0.5),
        corner(-0.5, 0.5),
      ];
      const outward = [
        u[1] * v[2] - u[2] * v[1],
        u[2] * v[0] - u[0] * v[2],
        u[0] * v[1] - u[1] * v[0],
      ];
      return outward[0] * x + outward[1] * y + outward[2] * z > 0 ? quad : quad.reverse();
    });
    for (let l = 0; l < layers; ++l)
      for (let r = 0; r < rows; ++r)
        for (let c = 0; c < columns; ++c) {
          const kind = at(c, r, l);
          if (kind < 0) continue;
          for (let f = 0; f < 6; ++f) {
            const [x, y, z] = sides[f];
            if (at(c + x, r + y, l + z) >= 0) continue;
            for (const [a, b, d] of faces[f]) {
              position.push(
                origin[0] + size * (c + a),
                origin[1] + size * (r + b),
                origin[2] + size * (l + d),
              );
              colour.push(colours[kind].r, colours[kind].g, colours[kind].b);
              normal.push(x, y, z);
            }
          }
        }
    const geometry = new THREE.BufferGeometry();
    for (const [name, list] of [
      ["position", position],
      ["color", colour],
      ["normal", normal],
    ])
      geometry.setAttribute(name, new THREE.Float32BufferAttribute(list, 3));
    if (!this.blockMesh) {
      this.blockMesh = new THREE.Mesh(
        geometry,
        new THREE.MeshLambertMaterial({ vertexColors: THREE.VertexColors }),
      );
      this.static.add(this.blockMesh);
    } else {
      this.blockMesh.geometry.dispose();
      this.blockMesh.geometry = geometry;
    }
    this.blockMesh.frustumCulled = false;
    this.dirty = true;
  }

  // ---- Cameras.
  makeControls() {
    this.aboveControls = new THREE.OrbitControls(this.above, this.renderer.domElement);
    Object.assign(this.aboveControls, {
      enableRotate: false,
      screenSpacePanning: true,
      enableKeys: false,
      mouseButtons: { LEFT: THREE.MOUSE.PAN, MIDDLE: THREE.MOUSE.DOLLY, RIGHT: THREE.MOUSE.PAN },
    });
    this.spaceControls = new THREE.OrbitControls(this.space, this.renderer.domElement);
    Object.assign(this.spaceControls, {
      enableKeys: false,
      screenSpacePanning: false,
      maxPolarAngle: Math.PI * 0.495,
    });
    for (const controls of [this.aboveControls, this.spaceControls])
      controls.addEventListener("change", () => (this.dirty = true));
    this.setMode("above");
  }
  camera() {
    return this.mode === "above" ? this.above : this.space;
  }
  setMode(mode) {
    if (this.mode === "eyes" && mode === "space" && this.box) this.frameSpace();
    this.mode = mode;
    this.aboveControls.enabled = mode === "above";
    this.spaceControls.enabled = mode === "space";
    this.dirty = true;
  }
  frameAll() {
    const middle = this.box.getCenter(new THREE.Vector3());
    this.above.position.set(middle.x, middle.y, 500);
    this.aboveControls.target.set(middle.x, middle.y, 0);
    this.above.zoom = 1;
    this.frameSpace();
    this.resize();
  }
  frameSpace() {
    const size = this.box.getSize(new THREE.Vector3()),
      middle = this.box.getCenter(new THREE.Vector3());
    const aspect = this.holder.clientWidth / Math.max(1, this.holder.clientHeight);
    const reach =
      Math.min(90, Math.max(size.x, size.y * 1.3, 1.5 * size.z, 6)) * Math.max(1, 1.25 / aspect);
    this.space.position.set(middle.x, middle.y - 0.75 * reach, middle.z + 0.62 * reach);
    this.spaceControls.target.copy(middle);
    this.spaceControls.update();
  }
  resize() {
    const width = this.holder.clientWidth,
      height = this.holder.clientHeight;
    if (!width || !height) return;
    this.renderer.setSize(width, height, false);
    this.space.aspect = width / height;
    this.space.updateProjectionMatrix();
    if (this.box) {
      const size = this.box.getSize(new THREE.Vector3());
      const half = 0.52 * Math.max(size.y, (size.x * height) / width, 4);
      Object.assign(this.above, {
        top: half,
        bottom: -half,
        left: (-half * width) / height,
        right: (half * width) / height,
      });
      this.above.lookAt(this.aboveControls.target);
      this.above.updateProjectionMatrix();
      this.aboveControls.update();
    }
    this.dirty = true;
  }
  follow(pose) {
    const controls = this.mode === "above" ? this.aboveControls : this.spaceControls,
      camera = this.camera();
    const step = new THREE.Vector3(pose[0], pose[1], this.mode === "above" ? 0 : pose[3] + 0.5).sub(
      controls.target,
    );
    camera.position.add(step);
    controls.target.add(step);
    controls.update();
  }
  lookFrom(pose, thing) {
    const [x, y, heading, z, look] = pose,
      eye = z + 0.85 * thing.tall;
    this.space.position.set(x, y, eye);
    this.space.lookAt(
      x + Math.cos(heading) * Math.cos(look),
      y + Math.sin(heading) * Math.cos(look),
      eye + Math.sin(look),
    );
  }

  // ---- A moment. `poses` as from `posesAt`.
  place(poses, tints) {
    for (let e = 0; e < this.things.length; ++e) {
      const { group, material, colour } = this.things[e],
        x = poses[5 * e];
      group.visible = x === x;
      if (!group.visible) continue;
      group.position.set(x, poses[5 * e + 1], this.high ? poses[5 * e + 3] : 0);
      group.rotation.z = poses[5 * e + 2];
      material.color.copy(tints.get(e) || colour);
    }
    this.poses = poses;
    this.dirty = true;
  }
  poseOf(e) {
    return this.poses && this.poses[5 * e] === this.poses[5 * e]
      ? this.poses.subarray(5 * e, 5 * e + 5)
      : null;
  }
  hide(e, hidden) {
    if (hidden) this.things[e].group.visible = false;
  }

  render() {
    if (!this.dirty || !this.poses) return false;
    this.dirty = false;
    if (this.coarser) {
      this.coarser = false;
      this.renderer.setPixelRatio(this.renderer.getPixelRatio() * 0.8);
      this.resize();
    }
    this.renderer.render(this.scene, this.camera());
    if (this.slow) this.keepFluent();
    return true;
  }
  // Fewer points where software draws too few pictures a second.
  keepFluent() {
    const now = performance.now(),
      took = now - (this.renderedAt || 0);
    this.renderedAt = now;
    if (took > 200) return; // it stood still
    this.intervals = [...(this.intervals || []), took];
    if (this.intervals.length < 20) return;
    const mean = this.intervals.reduce((a, b) => a + b, 0) / this.intervals.length;
    this.intervals = [];
    // Done before the next one: it wipes the picture.
    this.coarser = mean > 31 && this.renderer.getPixelRatio() > 0.6;
  }

  // The entity under a point of the canvas, -1 for none.
  pick(event) {
    const box = this.renderer.domElement.getBoundingClientRect();
    const caster = new THREE.Raycaster();
    caster.setFromCamera(
      {
        x: (2 * (event.clientX - box.left)) / box.width - 1,
        y: 1 - (2 * (event.clientY - box.top)) / box.height,
      },
      this.camera(),
    );
    const hits = caster.intersectObjects(
      this.things.map((t) => t.group).filter((g) => g.visible),
      true,
    );
    const hit =
      hits.find(
        (h) => this.match.scene.entities[h.object.parent.userData.entity].kind !== "zone",
      ) || hits[0];
    return hit ? hit.object.parent.userData.entity : -1;
  }
}
