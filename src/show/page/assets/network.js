"use strict";
// What decides for a seat, at work: of a network what each node is at the moment that is shown.

// Dark teal and pale plum differ in lightness too, so that no colour vision confuses them.
const raising = () => css("--raises"),
  lowering = () => css("--lowers");

// What decides for a seat, with the numbers that it had at each moment of an episode.
class DecidingPanel {
  // `ask`: for the numbers of an episode.
  constructor(seats, seat, ask) {
    this.seats = seats;
    this.seat = seat;
    this.ask = ask;
    this.values = null;
  }

  async show(episode, step, version) {
    const key = `${version}:${episode}`;
    if (key !== this.key) {
      this.key = key;
      this.values = null;
      const buffer = await this.ask(episode);
      if (key !== this.key) return;
      this.values = new Float32Array(buffer);
    }
    if (step === this.step && this.values === this.drawn) return;
    this.step = step;
    this.drawn = this.values;
    this.draw();
  }
}

class NetworkPanel extends DecidingPanel {
  // `network`: of the match's meta data; `nodes`: asks for what its nodes were in an episode.
  constructor(section, network, seats, seat, nodes) {
    super(seats, seat, nodes);
    this.network = network;
    this.chosen = -1;
    this.matrix = false;
    const tools = make("p", section, undefined, "soft");
    this.hint = make("span", tools, "click a node to see its links alone");
    const button = make("button", tools, "weights");
    button.id = "network_weights";
    button.title = "Nodes and links, or the weights as matrices";
    button.onclick = () => {
      this.matrix = !this.matrix;
      button.setAttribute("aria-pressed", this.matrix);
      this.draw();
    };
    this.canvas = make("canvas", section);
    this.canvas.id = "network";
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", "Network of the policy");
    this.listing = make("ul", section, undefined, "links");
    this.listing.id = "network_links";
    this.layers = Array.from({ length: network.layers }, () => []);
    network.nodes.forEach((node, i) => this.layers[node.layer].push(i));
    this.most = Math.max(1e-9, ...network.links.map((l) => Math.abs(l[2])));
    this.canvas.onclick = (event) => this.click(event);
    addEventListener("look", () => this.draw());
    this.place();
    this.draw();
  }

  place() {
    const most = Math.max(...this.layers.map((layer) => layer.length));
    this.width = 430;
    this.height = Math.min(1400, Math.max(260, 11 * most + 20));
    this.canvas.width = 2 * this.width;
    this.canvas.height = 2 * this.height;
    this.canvas.style.width = "100%";
    this.at = [];
    this.layers.forEach((layer, l) => {
      const x = 120 + ((this.width - 215) * l) / Math.max(1, this.layers.length - 1);
      layer.forEach(
        (node, k) => (this.at[node] = [x, 10 + ((this.height - 20) * (k + 0.5)) / layer.length]),
      );
    });
  }

  click(event) {
    const box = this.canvas.getBoundingClientRect(),
      scale = this.width / box.width;
    const x = (event.clientX - box.left) * scale,
      y = (event.clientY - box.top) * scale;
    let best = -1,
      near = 40;
    this.at.forEach(([nx, ny], i) => {
      const inName =
        this.network.nodes[i].layer === 0
          ? x < nx + 8
          : Math.abs(x - nx) < 12 || (this.network.nodes[i].kind === "output" && x > nx);
      if (inName && Math.abs(y - ny) < near) [best, near] = [i, Math.abs(y - ny)];
    });
    this.choose(best === this.chosen ? -1 : best);
  }

  choose(node) {
    this.chosen = node;
    this.listing.textContent = "";
    if (node >= 0) {
      const { nodes, links } = this.network;
      this.hint.textContent = `links of ${nodes[node].name}; click it again to see all`;
      const own = links
        .filter((l) => l[0] === node || l[1] === node)
        .sort((a, b) => Math.abs(b[2]) - Math.abs(a[2]));
      for (const [from, to, weight, back] of own.slice(0, 24))
        make(
          "li",
          this.listing,
          `${nodes[from].name} > ${nodes[to].name}: ${weight >= 0 ? "+" : ""}${short(weight)}${back ? ", from the step before" : ""}`,
        );
      if (!own.length) make("li", this.listing, "none: it is not used");
    } else this.hint.textContent = "click a node to see its links alone";
    this.draw();
  }

  value(node) {
    if (!this.values) return 0;
    return (
      this.values[(this.step * this.seats + this.seat) * this.network.nodes.length + node] || 0
    );
  }

  draw() {
    const pen = this.canvas.getContext("2d");
    pen.setTransform(2, 0, 0, 2, 0, 0);
    pen.clearRect(0, 0, this.width, this.height);
    this.matrix ? this.drawMatrices(pen) : this.drawGraph(pen);
  }

  drawGraph(pen) {
    const { nodes, links } = this.network;
    const sorted = links
      .map((_, i) => i)
      .sort((a, b) => Math.abs(links[a][2]) - Math.abs(links[b][2]))
      .slice(-500);
    const own = links.filter((l) => l[0] === this.chosen || l[1] === this.chosen);
    const most = this.chosen < 0 ? this.most : Math.max(1e-9, ...own.map((l) => Math.abs(l[2])));
    for (const [from, to, weight, back] of this.chosen < 0 ? sorted.map((i) => links[i]) : own) {
      // What flows through it now: a strong link from a node at rest does nothing.
      const strength = Math.abs(weight) / most,
        flow = this.values ? Math.min(1, Math.abs(this.value(from))) : 1;
      const [x, y] = this.at[from],
        [u, v] = this.at[to],
        bend = back ? 30 : 0;
      pen.globalAlpha = 0.12 + 0.88 * strength * flow;
      pen.strokeStyle = weight >= 0 ? raising() : lowering();
      pen.lineWidth = 0.4 + 4 * strength;
      pen.setLineDash(back ? [4, 3] : []);
      pen.beginPath();
      pen.moveTo(x, y);
      pen.bezierCurveTo(x + 0.4 * (u - x), y + bend, x + 0.6 * (u - x), v + bend, u, v);
      pen.stroke();
    }
    pen.globalAlpha = 1;
    pen.setLineDash([]);
    nodes.forEach((node, i) => {
      const [x, y] = this.at[i],
        step = this.height / this.layers[node.layer].length,
        radius = Math.min(7, Math.max(2.5, 0.4 * step));
      const value = Math.max(-1, Math.min(1, this.value(i)));
      pen.beginPath();
      pen.arc(x, y, radius, 0, 2 * Math.PI);
      pen.fillStyle = css("--panel") || "#fff";
      pen.fill();
      pen.globalAlpha = Math.abs(value);
      pen.fillStyle = value >= 0 ? raising() : lowering();
      if (node.used) pen.fill();
      pen.globalAlpha = 1;
      pen.strokeStyle = css(node.used ? "--ink" : "--line");
      pen.lineWidth = i === this.chosen ? 2.5 : 1;
      pen.stroke();
      pen.fillStyle = css(node.used ? "--ink" : "--soft");
      pen.font = `${i === this.chosen ? "bold " : ""}${Math.min(11, Math.max(7, 0.85 * step))}px sans-serif`;
      pen.textBaseline = "middle";
      if (node.kind === "output") {
        pen.textAlign = "left";
        pen.fillText(`${node.name} ${this.values ? short(this.value(i)) : ""}`, x + radius + 4, y);
      } else if (node.layer === 0) {
        pen.textAlign = "right";
        pen.fillText(node.name, x - radius - 4, y);
      }
    });
  }

  // From layer to layer: a row for each node that reads, a column for each that is read.
  drawMatrices(pen) {
    const { nodes, links } = this.network,
      pairs = [];
    for (let to = 1; to < this.layers.length; ++to)
      for (let from = 0; from < to; ++from) {
        const own = links.filter((l) => nodes[l[0]].layer === from && nodes[l[1]].layer === to);
        if (own.length) pairs.push({ from, to, own });
      }
    const place = [];
    this.layers.forEach((layer) => layer.forEach((node, k) => (place[node] = k)));
    const rows = pairs.reduce((sum, p) => sum + Math.max(4, this.layers[p.to].length), 0);
    let top = 16;
    for (const { from, to, own } of pairs) {
      const high =
        ((this.height - 20 * pairs.length - 10) * Math.max(4, this.layers[to].length)) / rows;
      const wide = (this.width - 20) / this.layers[from].length,
        tall = high / this.layers[to].length;
      const most = Math.max(...own.map((l) => Math.abs(l[2])));
      pen.fillStyle = css("--ink");
      pen.font = "11px sans-serif";
      pen.textAlign = "left";
      const name = (l) =>
        l === 0 ? "inputs" : l === this.layers.length - 1 ? "outputs" : `hidden layer ${l}`;
      pen.fillText(`from ${name(from)} to ${name(to)}, strongest ${short(most)}`, 10, top - 6);
      pen.strokeStyle = css("--line");
      pen.strokeRect(10, top, this.width - 20, high);
      for (const [a, b, weight] of own) {
        pen.globalAlpha = Math.pow(Math.abs(weight) / most, 0.6);
        pen.fillStyle = weight >= 0 ? raising() : lowering();
        pen.fillRect(10 + wide * place[a], top + tall * place[b], wide + 0.2, tall + 0.2);
      }
      pen.globalAlpha = 1;
      if (this.chosen >= 0 && nodes[this.chosen].layer === from) {
        pen.strokeStyle = css("--ink");
        pen.strokeRect(10 + wide * place[this.chosen], top, wide, high);
      }
      top += high + 20;
    }
  }
}
