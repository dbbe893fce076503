// Lets a game in JavaScript join a Zithercraft training, from a page or from Node 18 and later.
//
//   class Game {
//     begin(seed, settings) {}   // an episode; the seed is a whole number below 2**53
//     step(step) {}              // one step: reads step.control(0), calls step.pay(0, 1), ...
//     observe(role, seat) {}     // the role's columns, as a list of numbers
//   }
//   zithercraft.play("ws://127.0.0.1:4600/", game, () => new Game(), {copies: 8});
//
// `game` declares roles, columns, controls and terms as a game file does. A game may also have
// these functions: allowed(role, seat, control, option), present(role, seat), place(role, seat),
// picture(role, seat) (a Uint8Array with all of the role's pictures), expert(role, seat) (what its
// own expert would do: a list with a number for each control), draw() (a list of forms).
"use strict";

const zithercraft = (() => {
  const protocol = 1;
  const verdicts = {success: 1, failure: 2};

  // What the seats of a copy decided, and what comes of it. Everything is counted from 0.
  class Step {
    constructor(number, controls, sizes) {
      this.number = number;  // of the step in its episode, from 1
      this.outcome = 0;
      this.events = [];
      this.controls = controls;
      this.sizes = sizes;
      this.rewards = sizes.map((role) => new Array(role.seats * role.terms).fill(0));
    }
    // A dial's value in its range, or the number of a choice's option.
    control(control, role = 0, seat = 0) {
      return this.controls[role][seat * this.sizes[role].controls + control];
    }
    // Adds to what a term pays a seat, before the term's weight.
    pay(term, amount, role = 0, seat = 0) {
      this.rewards[role][seat * this.sizes[role].terms + term] += amount;
    }
    // Ends the episode: "success" or "failure" of the first role's side.
    end(verdict) {
      if (this.outcome !== verdicts.failure) this.outcome = verdicts[verdict];
    }
    // Ends the episode without a verdict, unless there is one.
    cutOff() {
      if (this.outcome === 0) this.outcome = 3;
    }
    // Tells that an event of the game happened; `other` is a role and a seat.
    happen(event, role = 0, seat = 0, strength = 0, other = null) {
      this.events.push({event, role, seat, strength,
                        ...(other ? {other_role: other[0], other_seat: other[1]} : {})});
    }
  }

  // All copies of a game, and what they are asked.
  class Players {
    constructor(game, make, copies) {
      this.games = Array.from({length: copies}, make);
      this.steps = new Array(copies).fill(0);
      this.sizes = game.roles.map((role) => ({
        seats: role.seats ?? 1,
        controls: (role.controls ?? []).length,
        terms: (role.rewards ?? []).length,
        options: (role.controls ?? []).map((control) => (control.options ?? []).length),
      }));
    }

    answer(message) {
      if (message.message === "begin") {
        message.copies.forEach((copy, i) => {
          this.steps[copy] = 0;
          this.games[copy].begin(message.seeds[i], message.settings);
        });
        return this.state(message.copies);
      }
      if (message.message === "step") return this.step(message);
      if (message.message === "draw") {
        const game = this.games[message.copy];
        return {message: "drawing", copy: message.copy, forms: game.draw ? game.draw() : []};
      }
      throw new Error(`the training sent '${message.message}', which this kit does not know`);
    }

    // What each seat of a copy does: where the game's own expert decides, that.
    controlsOf(message, i, copy) {
      return this.sizes.map((size, r) => {
        const each = size.seats * size.controls, told = message.roles[r];
        const controls = told.controls.slice(i * each, (i + 1) * each);
        for (let seat = 0; told.by_expert && seat < size.seats; ++seat)
          if (told.by_expert[i * size.seats + seat])
            controls.splice(seat * size.controls, size.controls,
                            ...this.games[copy].expert(r, seat));
        return controls;
      });
    }

    step(message) {
      const outcomes = [], events = [], rewards = this.sizes.map(() => []),
            decided = this.sizes.map(() => []);
      message.copies.forEach((copy, i) => {
        const step = new Step(++this.steps[copy], this.controlsOf(message, i, copy), this.sizes);
        this.games[copy].step(step);
        outcomes.push(step.outcome);
        step.rewards.forEach((more, r) => rewards[r].push(...more));
        step.controls.forEach((more, r) => decided[r].push(...more));
        step.events.forEach((event) => events.push({copy, ...event}));
      });
      const state = this.state(message.copies);
      state.outcomes = outcomes;
      state.roles.forEach((role, r) => {
        role.rewards = rewards[r];
        role.decided = decided[r];
      });
      if (events.length > 0) state.events = events;
      return state;
    }

    state(copies) {
      const games = copies.map((copy) => this.games[copy]);
      const has = (name) => typeof games[0][name] === "function";
      const roles = this.sizes.map((size, r) => {
        const rows = games.flatMap((game) =>
          Array.from({length: size.seats}, (_, seat) => [game, seat]));
        const role = {observations: rows.flatMap(([game, seat]) => [...game.observe(r, seat)])};
        if (has("allowed"))
          role.allowed = rows.flatMap(([game, seat]) => size.options.flatMap((count, c) =>
            Array.from({length: count}, (_, o) => (game.allowed(r, seat, c, o) ? 1 : 0))));
        if (has("present"))
          role.present = rows.map(([game, seat]) => (game.present(r, seat) ? 1 : 0));
        if (has("place")) role.places = rows.flatMap(([game, seat]) => [...game.place(r, seat)]);
        if (has("picture"))
          role.pictures = base64(rows.map(([game, seat]) => game.picture(r, seat)));
        return role;
      });
      return {message: "state", copies, roles};
    }
  }

  function base64(parts) {
    let text = "";
    for (const bytes of parts)
      for (let at = 0; at < bytes.length; at += 8192)
        text += String.fromCharCode(...bytes.subarray(at, at + 8192));
    return btoa(text);
  }

  // Joins a training and plays until it ends. The promise is rejected if the training does not take
  // the game, or leaves without a word. Works in hidden tabs: nothing waits for a timer or a frame.
  function play(address, game, make, options = {}) {
    const copies = options.copies ?? 1;
    return new Promise((done, failed) => {
      let players = null, over = false;
      const wire = open(address);
      wire.onopen = () => wire.send(JSON.stringify({
        message: "hello", protocol, name: game.name, game, copies,
        program: options.program ?? "a game in JavaScript"}));
      wire.onmessage = (event) => {
        try {
          const message = JSON.parse(event.data);
          if (message.message === "refused") throw new Error(message.why);
          if (message.message === "end") {
            over = true;
            wire.close();
          } else if (message.message === "welcome") {
            players = new Players(game, make, copies);
          } else {
            wire.send(JSON.stringify(players.answer(message)));
            if (options.played) options.played(players.games);
          }
        } catch (error) {
          over = true;
          wire.close();
          failed(error);
        }
      };
      wire.onerror = () => failed(new Error(`the training at ${address} cannot be reached`));
      wire.onclose = () => (over ? done() : failed(new Error("the training has left")));
    });
  }

  // A trained policy that is served (zithercraft serve-policy RUN), for finished games. The promise
  // holds {columns, controls, decide, close}; decide(observations, seats, begins) promises a list
  // of numbers for each seat. Seats are 0, 1, ... unless named.
  function ask(address, role) {
    return new Promise((joined, failed) => {
      const wire = open(address), waiting = [];
      const decide = (observations, seats = observations.map((_, i) => i), begins = undefined) =>
        new Promise((done, refused) => {
          waiting.push({done, refused});
          wire.send(JSON.stringify({message: "decide", seats, begins,
                                    observations: observations.flat()}));
        });
      const fail = (error) => {
        failed(error);
        waiting.splice(0).forEach((asked) => asked.refused(error));
      };
      let each = 0;
      wire.onopen = () => wire.send(JSON.stringify({message: "ask", protocol, role}));
      wire.onmessage = (event) => {
        const message = JSON.parse(event.data);
        if (message.message === "refused") return fail(new Error(message.why));
        if (message.message === "welcome") {
          each = message.controls.length;
          return joined({columns: message.columns, controls: message.controls, decide,
                         close: () => wire.close()});
        }
        waiting.shift().done(message.seats.map((_, i) =>
          message.controls.slice(i * each, (i + 1) * each)));
      };
      wire.onerror = () => fail(new Error(`nobody answers at ${address}`));
      wire.onclose = () => fail(new Error("the server has left"));
    });
  }

  function open(address) {
    return typeof WebSocket === "undefined" ? new NodeSocket(address) : new WebSocket(address);
  }

  // WebSocket (RFC 6455) by what Node brings along; newer ones have their own.
  class NodeSocket {
    constructor(address) {
      const http = require("node:http"), crypto = require("node:crypto"), url = new URL(address);
      this.bytes = Buffer.alloc(0);
      this.parts = [];
      const key = crypto.randomBytes(16).toString("base64");
      const request = http.get({
        host: url.hostname, port: url.port || 80, path: url.pathname + url.search,
        headers: {Connection: "Upgrade", Upgrade: "websocket", "Sec-WebSocket-Key": key,
                  "Sec-WebSocket-Version": "13"}});
      request.on("error", () => this.onerror());
      request.on("response", () => this.onerror());
      request.on("upgrade", (response, socket, head) => {
        const wanted = crypto.createHash("sha1")
          .update(key + "258EAFA5-E914-47DA-95CA-C5AB0DC85B11").digest("base64");
        if (response.headers["sec-websocket-accept"] !== wanted) return this.onerror();
        this.socket = socket;
        socket.setNoDelay(true);
        socket.on("data", (data) => this.read(data));
        socket.on("close", () => this.onclose());
        socket.on("error", () => {});
        this.onopen();
        if (head.length > 0) this.read(head);
      });
    }

    send(text) { this.frame(1, Buffer.from(text)); }
    close() { this.frame(8, Buffer.from([3, 232])), this.socket.end(); }

    frame(opcode, payload) {
      const size = payload.length, long = size > 65535, width = long ? 8 : size > 125 ? 2 : 0;
      const head = Buffer.alloc(2 + width + 4);
      head[0] = 0x80 | opcode;
      head[1] = 0x80 | (long ? 127 : width ? 126 : size);
      if (long) head.writeBigUInt64BE(BigInt(size), 2);
      else if (width) head.writeUInt16BE(size, 2);
      const mask = require("node:crypto").randomBytes(4), masked = Buffer.from(payload);
      mask.copy(head, 2 + width);
      for (let i = 0; i < size; ++i) masked[i] ^= mask[i & 3];
      this.socket.write(Buffer.concat([head, masked]));
    }

    read(data) {
      this.bytes = Buffer.concat([this.bytes, data]);
      for (;;) {
        const bytes = this.bytes;
        if (bytes.length < 2) return;
        const code = bytes[1] & 127, width = code === 127 ? 8 : code === 126 ? 2 : 0;
        if (bytes.length < 2 + width) return;
        const size = width === 8 ? Number(bytes.readBigUInt64BE(2))
          : width === 2 ? bytes.readUInt16BE(2) : code;
        if (bytes.length < 2 + width + size) return;
        const opcode = bytes[0] & 15, part = bytes.subarray(2 + width, 2 + width + size);
        this.bytes = bytes.subarray(2 + width + size);
        if (opcode === 9) this.frame(10, part);
        if (opcode === 8) return this.socket.end();
        if (opcode > 2) continue;
        this.parts.push(part);
        if (bytes[0] & 0x80) this.onmessage({data: Buffer.concat(this.parts.splice(0)).toString()});
      }
    }
  }

  return {play, ask, Step};
})();

if (typeof module !== "undefined") module.exports = zithercraft;
