// The lock flight above Wrackby, as an old console would show it: a picture is all that one gets.
// Two chambers lie between the sea and the canal. Paddles let water through between neighbours; a
// barge passes an open paddle once the water on both sides stands level. Too much water must not
// run out of the canal.
//
//     flight                            a person plays, in the terminal
//     flight ws://127.0.0.1:4600/ [N]   it joins a training, with N copies
//
//     c++ -std=c++17 -O2 flight.cpp -o flight

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <iostream>

#include "zithercraft_client.hpp"

namespace zk = zithercraft_client;

namespace {

constexpr int width = 64, height = 48, pools = 4, paddles = 3;

// How the water stands, and what a step makes of it.
struct Flight {
  float level[pools] = {};  // of the sea, two chambers and the canal, in rows of the picture
  bool open[paddles] = {};  // between a pool and the next
  int barge = 0;            // where it is
  float spilled = 0.0f;     // out of the canal

  // Option 0 waits, the others turn a paddle. Returns the water that the step cost.
  float step(int option) {
    if (option > 0) open[option - 1] = !open[option - 1];
    const float before = spilled;
    for (int p = 0; p < paddles; ++p) {
      if (!open[p]) continue;
      const float flow = 0.25f * (level[p + 1] - level[p]);
      if (p > 0) level[p] += flow;                  // the sea is as it is,
      if (p + 1 < pools - 1) level[p + 1] -= flow;  // and the canal is fed
      if (p + 1 == pools - 1) spilled += std::max(0.0f, flow);
    }
    if (barge < pools - 1 && open[barge] && std::fabs(level[barge + 1] - level[barge]) < 0.6f)
      ++barge;
    return spilled - before;
  }

  // How good it looks: what lies behind the barge, and how near the next passage is.
  float promise() const {
    if (barge == pools - 1) return 10.0f;
    return 3.0f * static_cast<float>(barge) - 0.02f * spilled -
           0.1f * std::fabs(level[barge + 1] - level[barge]);
  }
};

// The best that can be promised within so many steps: a slow way to play, and a good one.
float look_ahead(const Flight& now, int steps, int* best) {
  if (steps == 0 || now.barge == pools - 1) return now.promise() + 0.1f * static_cast<float>(steps);
  float most = -1e9f;
  for (int option = 0; option <= paddles; ++option) {
    Flight next = now;
    next.step(option);
    const float promised = look_ahead(next, steps - 1, nullptr);
    if (promised <= most) continue;
    most = promised;
    if (best != nullptr) *best = option;
  }
  return most;
}

class LockFlight : public zk::Game {
 public:
  void begin(std::uint64_t seed, const std::map<std::string, double>& settings) override {
    state_ = seed;
    flight_ = {};
    flight_.level[0] = 6.0f + 8.0f * chance();
    flight_.level[3] = 34.0f + 6.0f * chance();
    for (int pool = 1; pool < 3; ++pool)
      flight_.level[pool] = flight_.level[0] + chance() * (flight_.level[3] - flight_.level[0]);
    flight_.open[0] = chance() < 0.3f;
    budget_ = static_cast<float>(settings.at("water"));
  }

  void step(zk::Step& step) override {
    const int before = flight_.barge;
    step.pay(1, flight_.step(static_cast<int>(step.control(0))));
    if (flight_.barge > before) step.pay(0, 1.0f), step.happen(0);
    if (flight_.barge == pools - 1) step.succeed();
    if (flight_.spilled > budget_) step.fail();
  }

  void observe(std::size_t, std::size_t, float*) const override {}

  // The sky is dark, water is bright to its level, an open paddle is a gap in its wall.
  void picture(std::size_t, std::size_t, std::uint8_t* pixels) const override {
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        const int pool = x / (width / pools), in = x % (width / pools);
        const bool wet = static_cast<float>(height - y) <= flight_.level[pool];
        std::uint8_t shade = wet ? 120 : 20;
        if (in == 0 && pool > 0) shade = flight_.open[pool - 1] && y > height - 8 ? 180 : 60;
        const float above = static_cast<float>(height - y) - flight_.level[pool];
        if (pool == flight_.barge && in > 3 && in < 13 && above > 0.0f && above <= 4.0f)
          shade = 255;
        *pixels++ = shade;
      }
  }

  void expert(std::size_t, std::size_t, float* controls) const override {
    int best = 0;
    look_ahead(flight_, 7, &best);
    controls[0] = static_cast<float>(best);
  }

  std::vector<zk::Form> draw() const override {
    zk::Form screen{"screen", "picture"};
    screen.numbers = {0.0f, 0.0f, width, height, width, height, 1.0f};
    std::vector<std::uint8_t> pixels(width * height);
    picture(0, 0, pixels.data());
    for (const std::uint8_t pixel : pixels)
      screen.numbers.push_back(static_cast<float>(pixel) / 255.0f);
    return {screen};
  }

  void print() const {
    std::vector<std::uint8_t> pixels(width * height);
    picture(0, 0, pixels.data());
    for (int y = 0; y < height; y += 2) {
      for (int x = 0; x < width; ++x) {
        const int shade = pixels[static_cast<std::size_t>(y * width + x)];
        std::putchar(shade == 255   ? '#'
                     : shade == 180 ? '='
                     : shade == 120 ? '~'
                     : shade == 60  ? '|'
                                    : ' ');
      }
      std::putchar('\n');
    }
  }

 private:
  // Weyl's sequence through the mix of SplitMix64 (Steele, Lea, Flood 2014).
  float chance() {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15u;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
    return static_cast<float>((z ^ (z >> 31)) >> 40) / 16777216.0f;
  }

  std::uint64_t state_ = 0;
  Flight flight_;
  float budget_ = 0.0f;
};

zk::Declaration declaration(std::size_t copies) {
  zk::Declaration d;
  d.name = "flight";
  d.json = R"({"name": "flight", "about": "a barge climbs a flight of locks, seen as a picture",
    "custom": {"settings": {"water": 120.0}, "events": ["climbs"], "step_seconds": 0.2,
               "frame": [0, 0, 64, 48], "expert": true},
    "cutoffs": {"steps": 100},
    "roles": [{"name": "keeper",
      "senses": [{"kind": "picture", "name": "screen", "width": 64, "height": 48, "reduce": 2}],
      "controls": [{"kind": "choice", "name": "paddle", "options": [
        {"name": "wait"}, {"name": "lowest"}, {"name": "middle"}, {"name": "highest"}]}],
      "rewards": [{"name": "climbs", "weight": 0.5}, {"name": "spills", "weight": -0.005}]}]})";
  d.roles = {{1, 0, {4}, 2, width * height}};
  d.copies = copies;
  return d;
}

void play_by_hand() {
  const zk::Declaration d = declaration(1);
  LockFlight game;
  game.begin(std::random_device{}(), {{"water", 120.0}});
  for (std::uint32_t number = 1; number <= 100; ++number) {
    game.print();
    std::cout << "0 waits, 1 to 3 turn a paddle, x asks the expert, q ends: " << std::flush;
    std::string key;
    if (!std::getline(std::cin, key) || key == "q") return;
    float control = static_cast<float>(std::clamp(std::atoi(key.c_str()), 0, 3)), rewards[2] = {};
    if (key == "x") game.expert(0, 0, &control);
    zk::Step step{d.roles, number};
    step.controls = {&control};
    step.rewards = {rewards};
    game.step(step);
    if (step.outcome == 0) continue;
    std::puts(step.outcome == 1 ? "the barge is on the canal" : "the canal runs dry");
    return;
  }
}

}  // namespace

int main(int argc, char** argv) try {
  if (argc < 2) return play_by_hand(), 0;
  const int copies = argc > 2 ? std::atoi(argv[2]) : 8;
  if (copies < 1) throw std::runtime_error("the number of copies must be at least 1");
  zk::play(argv[1], declaration(static_cast<std::size_t>(copies)),
           [] { return std::make_unique<LockFlight>(); });
  return 0;
} catch (const std::exception& error) {
  std::fprintf(stderr, "flight: %s\n", error.what());
  return 1;
}
