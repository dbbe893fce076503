"""Lets a game in Python join a Zithercraft training. Python 3.9 or later; no other packages.

    class Game:
        def begin(self, seed, settings): ...     # an episode; seed is a whole number below 2**53
        def step(self, step): ...                # one step: reads step.control, calls step.pay, ...
        def observe(self, role, seat): ...       # the role's columns, as a list of numbers

    play("ws://127.0.0.1:4600/", game, Game, copies=8)

`game` declares roles, columns, controls and terms as a game file does: a dictionary, or the path of
a TOML file (Python 3.11). A game may also have these functions:

    allowed(role, seat, control, option)  # whether an option is allowed now: True unless told
    present(role, seat)                   # whether a seat takes part now: True unless told
    place(role, seat)                     # (x, y, z) in metres, for comparing where episodes lead
    picture(role, seat)                   # bytes of all pictures of a role, one behind the other
    expert(role, seat)                    # what the game's own expert would do: a list of numbers
    draw()                                # a list of dictionaries: name, form, colour, numbers
"""

import array
import base64
import hashlib
import os
import socket
import struct
import sys
import urllib.parse

PROTOCOL = 1
OUTCOMES = {"success": 1, "failure": 2, "cutoff": 3}


class Refused(Exception):
    """The training does not take the game; the text says why."""


class Step:
    """What the seats of a copy decided, and what comes of it. Everything is counted from 0."""

    def __init__(self, number, controls, controls_each, terms_each):
        self.number = number  # of the step in its episode, from 1
        self.outcome = 0
        self.events = []
        self._controls = controls
        self._controls_each = controls_each
        self._terms_each = terms_each
        self.rewards = [[0.0] * (terms * (len(row) // each if each else 0))
                        for row, each, terms in zip(controls, controls_each, terms_each)]

    def control(self, control, role=0, seat=0):
        """A dial's value in its range, or the number of a choice's option."""
        return self._controls[role][seat * self._controls_each[role] + control]

    def option(self, control, role=0, seat=0):
        """The same of a choice, as a whole number."""
        return int(self.control(control, role, seat))

    def pay(self, term, amount, role=0, seat=0):
        """Adds to what a term pays a seat, before the term's weight."""
        self.rewards[role][seat * self._terms_each[role] + term] += amount

    def end(self, verdict):
        """Ends the episode: "success" or "failure" of the first role's side."""
        if self.outcome != OUTCOMES["failure"]:
            self.outcome = OUTCOMES[verdict]

    def cut_off(self):
        """Ends the episode without a verdict, unless there is one."""
        if self.outcome == 0:
            self.outcome = OUTCOMES["cutoff"]

    def happen(self, event, role=0, seat=0, other=None, strength=0.0):
        """Tells that an event of the game happened; `other` is a pair of role and seat."""
        self.events.append((event, role, seat, other, strength))


def play(address, game, make, copies=1, program=None):
    """Joins a training and plays until it ends. Raises Refused if the training does not take it."""
    if not isinstance(game, dict):
        import tomllib
        with open(game, "rb") as file:
            game = tomllib.load(file)
    if isinstance(game["roles"], dict):  # a file may name parts of a list by keys
        raise Refused("declare roles as a list")
    wire = _Wire(address)
    wire.send({"message": "hello", "protocol": PROTOCOL, "name": game["name"], "game": game,
               "program": program or os.path.basename(sys.argv[0] or "python"), "copies": copies})
    answer = wire.receive()
    if answer is None or answer["message"] != "welcome":
        raise Refused(answer["why"] if answer else "the training closed the connection")
    players = _Players(game, make, copies)
    while (message := wire.receive()) is not None:
        if message["message"] == "end":
            return
        wire.send(players.answer(message))


class Policy:
    """A trained policy that is served: `zithercraft serve-policy RUN`. For finished games."""

    def __init__(self, address, role=None):
        self._wire = _Wire(address)
        message = {"message": "ask", "protocol": PROTOCOL}
        if role is not None:
            message["role"] = role
        self._wire.send(message)
        answer = self._wire.receive()
        if answer is None or answer["message"] != "welcome":
            raise Refused(answer["why"] if answer else "the server closed the connection")
        self.columns = answer["columns"]    # names of what it reads, in their order
        self.controls = answer["controls"]  # dictionaries: name, and options, or low and high

    def decide(self, observations, seats=None, begins=None):
        """Controls for each seat, as a list of numbers each; `observations` has a list of columns
        for each seat. Seats are 0, 1, ... unless named; `begins` says which begin an episode."""
        seats = list(range(len(observations))) if seats is None else list(seats)
        message = {"message": "decide", "seats": seats,
                   "observations": array.array("f", [n for row in observations for n in row])}
        if begins is not None:
            message["begins"] = bytearray(1 if b else 0 for b in begins)
        self._wire.send(message)
        answer = self._wire.receive()
        if answer is None or answer["message"] != "decided":
            raise Refused(answer["why"] if answer else "the server closed the connection")
        each = len(self.controls)
        return [list(answer["controls"][i * each:(i + 1) * each]) for i in range(len(seats))]


class _Players:
    """All copies of a game, and what they are asked."""

    def __init__(self, game, make, copies):
        self.roles = game["roles"]
        self.games = [make() for _ in range(copies)]
        self.steps = [0] * copies
        self.seats = [role.get("seats", 1) for role in self.roles]
        self.controls = [len(role.get("controls", [])) for role in self.roles]
        self.terms = [len(role.get("rewards", [])) for role in self.roles]
        # Of each role: control and option of all options of all choices.
        self.options = [[(c, o) for c, control in enumerate(role.get("controls", []))
                         for o in range(len(control.get("options", [])))] for role in self.roles]
        first = self.games[0]
        self.allows = hasattr(first, "allowed")
        self.leaves = hasattr(first, "present")
        self.moves = hasattr(first, "place")
        self.shows = hasattr(first, "picture")

    def answer(self, message):
        kind = message["message"]
        if kind == "begin":
            for copy, seed in zip(message["copies"], message["seeds"]):
                self.steps[copy] = 0
                self.games[copy].begin(seed, message["settings"])
            return self.state(message["copies"])
        if kind == "step":
            return self.step(message["copies"], message["roles"])
        if kind == "draw":
            game = self.games[message["copy"]]
            forms = game.draw() if hasattr(game, "draw") else []
            return {"message": "drawing", "copy": message["copy"], "forms": forms}
        raise ConnectionError(f"the training sent '{kind}', which this kit does not know")

    def ask_experts(self, copies, roles):
        """Where the game's own expert decides, its controls take the place of those given."""
        for r, role in enumerate(roles):
            seats, each = self.seats[r], self.controls[r]
            for row, asked in enumerate(role.get("by_expert", ())):
                if asked:
                    decided = self.games[copies[row // seats]].expert(r, row % seats)
                    role["controls"][row * each:(row + 1) * each] = array.array("f", decided)

    def step(self, copies, roles):
        outcomes, events = [], []
        rewards = [array.array("f") for _ in self.roles]
        each = [seats * controls for seats, controls in zip(self.seats, self.controls)]
        self.ask_experts(copies, roles)
        for i, copy in enumerate(copies):
            self.steps[copy] += 1
            step = Step(self.steps[copy],
                        [role["controls"][i * n:(i + 1) * n] for role, n in zip(roles, each)],
                        self.controls, self.terms)
            self.games[copy].step(step)
            outcomes.append(step.outcome)
            for of_role, more in zip(rewards, step.rewards):
                of_role.extend(more)
            for event, role, seat, other, strength in step.events:
                told = {"copy": copy, "event": event, "role": role, "seat": seat,
                        "strength": float(strength)}
                if other is not None:
                    told["other_role"], told["other_seat"] = other
                events.append(told)
        state = self.state(copies)
        state["outcomes"] = bytearray(outcomes)
        for role, of_role, given in zip(state["roles"], rewards, roles):
            role["rewards"] = of_role
            role["decided"] = given["controls"]
        if events:
            state["events"] = events
        return state

    def state(self, copies):
        roles = []
        for r, seats in enumerate(self.seats):
            role = {"observations": array.array("f")}
            if self.allows and self.options[r]:
                role["allowed"] = bytearray()
            if self.leaves:
                role["present"] = bytearray()
            if self.moves:
                role["places"] = array.array("f")
            if self.shows:
                role["pictures"] = bytearray()
            for copy in copies:
                game = self.games[copy]
                for seat in range(seats):
                    role["observations"].extend(game.observe(r, seat))
                    if "allowed" in role:
                        role["allowed"].extend(1 if game.allowed(r, seat, c, o) else 0
                                               for c, o in self.options[r])
                    if self.leaves:
                        role["present"].append(1 if game.present(r, seat) else 0)
                    if self.moves:
                        role["places"].extend(game.place(r, seat))
                    if self.shows:
                        role["pictures"] += game.picture(r, seat)
            roles.append(role)
        return {"message": "state", "copies": list(copies), "roles": roles}


# ---- The connection: WebSocket (RFC 6455) with CBOR (RFC 8949, typed arrays of RFC 8746)

class _Wire:
    def __init__(self, address):
        url = urllib.parse.urlsplit(address)
        if url.scheme != "ws" or url.hostname is None:
            raise ValueError(f"'{address}' is no address like ws://127.0.0.1:4600/")
        self.socket = socket.create_connection((url.hostname, url.port or 80))
        self.socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.bytes = self.socket.makefile("rb")
        key = base64.b64encode(os.urandom(16)).decode()
        path = (url.path or "/") + ("?" + url.query if url.query else "")
        self.socket.sendall((f"GET {path} HTTP/1.1\r\nHost: {url.netloc}\r\nUpgrade: websocket\r\n"
                             f"Connection: Upgrade\r\nSec-WebSocket-Key: {key}\r\n"
                             "Sec-WebSocket-Version: 13\r\n\r\n").encode())
        status = self.bytes.readline().decode("latin-1")
        headers = {}
        while (line := self.bytes.readline().decode("latin-1").strip()):
            name, _, value = line.partition(":")
            headers[name.strip().lower()] = value.strip()
        if " 101 " not in status:
            why = self.bytes.read(int(headers.get("content-length", 0))).decode(errors="replace")
            raise Refused(why.strip() or status.strip())
        wanted = hashlib.sha1((key + "258EAFA5-E914-47DA-95CA-C5AB0DC85B11").encode()).digest()
        if headers.get("sec-websocket-accept") != base64.b64encode(wanted).decode():
            raise ConnectionError("whoever answers there speaks no WebSocket")

    def send(self, message):
        payload = bytearray()
        _encode(message, payload)
        self._frame(2, payload)

    def _frame(self, opcode, payload):
        size = len(payload)
        if size < 126:
            head = struct.pack("!BB", 0x80 | opcode, 0x80 | size)
        elif size < 65536:
            head = struct.pack("!BBH", 0x80 | opcode, 0x80 | 126, size)
        else:
            head = struct.pack("!BBQ", 0x80 | opcode, 0x80 | 127, size)
        mask = os.urandom(4)
        # The whole payload as one number is masked at once.
        masks = int.from_bytes((mask * (size // 4 + 1))[:size], "big")
        masked = (int.from_bytes(payload, "big") ^ masks).to_bytes(size, "big")
        self.socket.sendall(head + mask + masked)

    def receive(self):
        """The next message, or None once the connection is closed."""
        payload = b""
        while True:
            head = self.bytes.read(2)
            if len(head) < 2:
                return None
            opcode, size = head[0] & 15, head[1] & 127
            if size > 125:
                width = 2 if size == 126 else 8
                size = int.from_bytes(self.bytes.read(width), "big")
            part = self.bytes.read(size)
            if opcode == 8:
                self._frame(8, part[:2])
                return None
            if opcode == 9:
                self._frame(10, part)
            elif opcode in (0, 1, 2):
                payload += part
                if head[0] & 0x80:
                    return _Decoder(payload).value()


def _head(major, number, out):
    if number < 24:
        out.append(major << 5 | number)
    elif number < 256:
        out += struct.pack("!BB", major << 5 | 24, number)
    elif number < 65536:
        out += struct.pack("!BH", major << 5 | 25, number)
    elif number < 1 << 32:
        out += struct.pack("!BI", major << 5 | 26, number)
    else:
        out += struct.pack("!BQ", major << 5 | 27, number)


def _encode(value, out):
    if value is True or value is False:
        out.append(0xF5 if value else 0xF4)
    elif isinstance(value, int):
        _head(0 if value >= 0 else 1, value if value >= 0 else -1 - value, out)
    elif isinstance(value, float):
        out += struct.pack("!Bd", 0xFB, value)
    elif isinstance(value, str):
        text = value.encode()
        _head(3, len(text), out)
        out += text
    elif isinstance(value, (bytes, bytearray)):
        out += b"\xd8\x40"  # tag 64: whole numbers from 0 to 255
        _head(2, len(value), out)
        out += value
    elif isinstance(value, array.array):
        if sys.byteorder == "big":
            value = array.array(value.typecode, value)
            value.byteswap()
        out += b"\xd8\x55" if value.typecode == "f" else b"\xd8\x56"  # tags 85 and 86: floats
        _head(2, len(value) * value.itemsize, out)
        out += value.tobytes()
    elif isinstance(value, (list, tuple)):
        _head(4, len(value), out)
        for item in value:
            _encode(item, out)
    elif isinstance(value, dict):
        _head(5, len(value), out)
        for key, item in value.items():
            _encode(str(key), out)
            _encode(item, out)
    else:
        raise TypeError(f"a message cannot hold {value!r}")


class _Decoder:
    def __init__(self, data):
        self.data = data
        self.at = 0

    def value(self):
        head = self.data[self.at]
        self.at += 1
        major, number = head >> 5, head & 31
        if major == 7:
            return self.simple(number)
        if number > 23:
            width = 1 << (number - 24)
            number = int.from_bytes(self.take(width), "big")
        if major == 0:
            return number
        if major == 1:
            return -1 - number
        if major == 2:
            return self.take(number)
        if major == 3:
            return self.take(number).decode()
        if major == 4:
            return [self.value() for _ in range(number)]
        if major == 5:
            return {self.value(): self.value() for _ in range(number)}
        data = self.value()
        code = {70: "I", 85: "f", 86: "d"}.get(number)
        if code is None:
            return data
        numbers = array.array(code, data)
        if sys.byteorder == "big":
            numbers.byteswap()
        return numbers

    def take(self, count):
        taken = self.data[self.at:self.at + count]
        self.at += count
        return taken

    def simple(self, number):
        if number in (20, 21):
            return number == 21
        if number == 22:
            return None
        code, width = {25: ("!e", 2), 26: ("!f", 4), 27: ("!d", 8)}[number]
        return struct.unpack(code, self.take(width))[0]
