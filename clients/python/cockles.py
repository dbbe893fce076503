#!/usr/bin/env python3
"""Cockles: on the flats off Wrackby a cockler gathers a basketful before the tide is in.

    python3 cockles.py                        a person plays, in the terminal
    python3 cockles.py ws://127.0.0.1:4600/   it joins a training: zithercraft train remote ...

The flats are 9 by 9 squares, the sea wall lies along the bottom row. Water rises from the top, a
row at a time, sooner each day than the last one by chance. One that stands in the water is lost;
one back at the wall with five cockles or more has had a good day.
"""

import random
import sys

SIZE, ENOUGH, MOVES = 9, 5, ["wait", "north", "south", "east", "west"]
STEPS = {"wait": (0, 0), "north": (0, 1), "south": (0, -1), "east": (1, 0), "west": (-1, 0)}

GAME = {
    "name": "cockles",
    "about": "a cockler gathers a basketful before the tide is in",
    "custom": {"settings": {"beds": 14.0, "tide_every": 6.0}, "events": ["gathered"],
               "step_seconds": 0.2, "frame": [-0.8, -0.8, 8.8, 8.8]},
    "cutoffs": {"steps": 80},
    "roles": [{
        "name": "cockler",
        "senses": [{"kind": "custom", "name": "flats", "columns": [
            {"name": "x"}, {"name": "y"}, {"name": "basket"}, {"name": "water"},
            {"name": "nearest.x", "low": -1.0}, {"name": "nearest.y", "low": -1.0},
            {"name": "some_left"}]}],
        "controls": [{"kind": "choice", "name": "move",
                      "options": [{"name": name} for name in MOVES]}],
        "rewards": [{"name": "gathered", "weight": 0.2}, {"name": "home", "weight": 1.0}],
    }],
}


class Cockles:
    def begin(self, seed, settings):
        chance = random.Random(seed)
        self.x, self.y = chance.randrange(SIZE), 0
        self.water = SIZE  # the lowest row that is under water
        self.every = max(2, int(settings["tide_every"]) + chance.randrange(3) - 1)
        squares = [(x, y) for x in range(SIZE) for y in range(1, SIZE)]
        self.beds = set(chance.sample(squares, min(int(settings["beds"]), len(squares))))
        self.basket = 0

    def step(self, step):
        along, up = STEPS[MOVES[step.option(0)]]
        self.x = min(SIZE - 1, max(0, self.x + along))
        self.y = min(SIZE - 1, max(0, self.y + up))
        if step.number % self.every == 0:
            self.water -= 1
        if (self.x, self.y) in self.beds and self.basket < ENOUGH:
            self.beds.remove((self.x, self.y))
            self.basket += 1
            step.pay(0, 1.0)
            step.happen(0, strength=float(self.basket))
        if self.y >= self.water:
            step.end("failure")
        elif self.basket >= ENOUGH and self.y == 0:
            step.pay(1, 1.0)
            step.end("success")

    def observe(self, role, seat):
        dry = [bed for bed in self.beds if bed[1] < self.water]
        near = min(dry, key=lambda bed: (abs(bed[0] - self.x) + abs(bed[1] - self.y), bed),
                   default=(self.x, self.y))
        return [self.x / (SIZE - 1), self.y / (SIZE - 1), self.basket / ENOUGH, self.water / SIZE,
                (near[0] - self.x) / (SIZE - 1), (near[1] - self.y) / (SIZE - 1),
                1.0 if dry else 0.0]

    def place(self, role, seat):
        return (self.x, self.y, 0.0)

    def draw(self):
        wall = {"name": "wall", "form": "boxes", "colour": [120, 110, 100],
                "numbers": [-0.5, -0.7, SIZE - 0.5, -0.5]}
        sand = {"name": "sand", "form": "boxes", "colour": [228, 213, 178],
                "numbers": [-0.5, -0.5, SIZE - 0.5, SIZE - 0.5]}
        sea = {"name": "sea", "form": "boxes", "colour": [90, 140, 170],
               "numbers": [-0.5, self.water - 0.5, SIZE - 0.5, SIZE - 0.5]}
        beds = {"name": "cockles", "form": "points", "colour": [110, 70, 50],
                "numbers": [n for x, y in sorted(self.beds) for n in (x, y, 0)]}
        who = {"name": "cockler", "form": "boxes", "colour": [190, 60, 40],
               "numbers": [self.x - 0.25, self.y - 0.25, self.x + 0.25, self.y + 0.25]}
        count = {"name": "basket", "form": "text", "colour": [40, 40, 40],
                 "label": f"{self.basket} of {ENOUGH}", "numbers": [0.6, 8.3, 0, 0.5]}
        return [sand, sea, wall, beds, who, count]

    def text(self):
        rows = []
        for y in reversed(range(SIZE)):
            rows.append(" ".join("@" if (x, y) == (self.x, self.y) else
                                 "~" if y >= self.water else
                                 "o" if (x, y) in self.beds else "." for x in range(SIZE)))
        return "\n".join(rows) + f"\n{'=' * (2 * SIZE - 1)}\nbasket: {self.basket} of {ENOUGH}"


def play_by_hand():
    from zithercraft_client import Step
    keys = {"": 0, "n": 1, "s": 2, "e": 3, "w": 4}
    game, number = Cockles(), 0
    game.begin(random.randrange(2**53), GAME["custom"]["settings"])
    while True:
        print(game.text())
        key = input("n, s, e, w and Enter: ").strip().lower()
        if key == "q":
            return
        if key not in keys:
            continue
        number += 1
        step = Step(number, [[keys[key]]], [1], [2])
        game.step(step)
        if step.outcome:
            print(game.text())
            print("a good day" if step.outcome == 1 else "the tide was sooner")
            return


if __name__ == "__main__":
    if len(sys.argv) > 1:
        import zithercraft_client
        zithercraft_client.play(sys.argv[1], GAME, Cockles, copies=16)
    else:
        play_by_hand()
