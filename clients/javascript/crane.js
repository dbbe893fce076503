// The crane on Wrackby's quay: its trolley runs along a beam, a crate swings below it, and has to
// hang still over the lorry's bed.
//
//   node crane.js ws://127.0.0.1:4600/      it joins a training; in a page it can be played by hand
"use strict";

const craneGame = {
  name: "crane",
  about: "a crane brings a swinging crate to rest over a lorry",
  custom: {settings: {rope: 3.0, wind: 0.3}, step_seconds: 0.1, frame: [-6.5, -4.5, 6.5, 1.5]},
  cutoffs: {steps: 150},
  roles: [{
    name: "driver",
    senses: [{kind: "custom", name: "crane", columns: [
      {name: "place", low: -1}, {name: "speed", low: -1}, {name: "swing", low: -1},
      {name: "swing_speed", low: -1}, {name: "lorry", low: -1}, {name: "still"}]}],
    controls: [{kind: "dial", name: "drive"}],
    rewards: [{name: "nearer", weight: 0.2}, {name: "set_down", weight: 1}],
  }],
};

// The same seed gives the same numbers: Weyl's sequence through a hash of 32 bits.
class Chance {
  constructor(seed) {
    this.state = (seed ^ Math.floor(seed / 4294967296)) >>> 0;
  }
  uniform() {
    this.state = (this.state + 0x9e3779b9) >>> 0;
    let bits = this.state;
    bits = Math.imul(bits ^ (bits >>> 16), 0x21f0aaad);
    bits = Math.imul(bits ^ (bits >>> 15), 0x735a2d97);
    return ((bits ^ (bits >>> 15)) >>> 0) / 4294967296;
  }
  between(low, high) { return low + (high - low) * this.uniform(); }
}

class Crane {
  begin(seed, settings) {
    this.chance = new Chance(seed);
    this.rope = settings.rope;
    this.wind = settings.wind;
    this.trolley = this.chance.between(-5, 5);
    do this.lorry = this.chance.between(-5, 5);
    while (Math.abs(this.lorry - this.trolley) < 2);
    this.speed = 0;
    this.swing = this.chance.between(-0.2, 0.2);  // radians from the vertical
    this.swingSpeed = 0;
    this.still = 0;  // steps for which the crate has hung still over the bed
  }

  crate() { return this.trolley + this.rope * Math.sin(this.swing); }

  step(step) {
    const before = Math.abs(this.crate() - this.lorry);
    const wanted = 2.5 * step.control(0), dt = 0.025;
    const gust = this.wind * this.chance.between(-1, 1);
    for (let i = 0; i < 4; ++i) {
      let push = Math.max(-3, Math.min(3, 8 * (wanted - this.speed)));
      if ((this.trolley >= 6 && push > 0) || (this.trolley <= -6 && push < 0)) {
        push = -this.speed / dt;
      }
      this.speed += push * dt;
      this.trolley = Math.max(-6, Math.min(6, this.trolley + this.speed * dt));
      this.swingSpeed += dt * ((gust - push * Math.cos(this.swing) -
                                9.81 * Math.sin(this.swing)) / this.rope - 0.1 * this.swingSpeed);
      this.swing += this.swingSpeed * dt;
    }
    const off = Math.abs(this.crate() - this.lorry);
    step.pay(0, before - off);
    const rests = off < 0.3 && Math.abs(this.rope * this.swingSpeed) < 0.5 &&
                  Math.abs(this.speed) < 0.5;
    this.still = rests ? this.still + 1 : 0;
    if (this.still < 5) return;
    step.pay(1, 1);
    step.end("success");
  }

  observe() {
    return [this.trolley / 6, this.speed / 2.5, this.swing, this.swingSpeed / 2,
            (this.lorry - this.trolley) / 12, this.still / 5];
  }

  place() { return [this.trolley, 0, 0]; }

  draw() {
    const x = this.crate(), y = -this.rope * Math.cos(this.swing);
    return [
      {name: "beam", form: "boxes", colour: [90, 95, 100], numbers: [-6.3, 0.2, 6.3, 0.5]},
      {name: "lorry", form: "boxes", colour: [70, 110, 150],
       numbers: [this.lorry - 0.7, -4.2, this.lorry + 0.7, -3.8]},
      {name: "rope", form: "line", colour: [60, 60, 60], numbers: [this.trolley, 0, 0, x, y, 0]},
      {name: "trolley", form: "boxes", colour: [200, 150, 40],
       numbers: [this.trolley - 0.4, 0, this.trolley + 0.4, 0.25]},
      {name: "crate", form: "boxes", colour: [150, 100, 60],
       numbers: [x - 0.35, y - 0.6, x + 0.35, y]},
    ];
  }
}

if (typeof module !== "undefined") {
  module.exports = {craneGame, Crane};
  if (require.main === module) {
    if (process.argv.length !== 3) {
      console.error("give the address of a training, like ws://127.0.0.1:4600/");
      process.exit(2);
    }
    require("./zithercraft_client.js")
      .play(process.argv[2], craneGame, () => new Crane(), {copies: 16, program: "crane.js"})
      .catch((error) => {
        console.error(error.message);
        process.exit(1);
      });
  }
}
