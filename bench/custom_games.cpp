// The same game three ways at the same controls: a pole on a cart as a custom game, as rules in an
// arena, and how long its arithmetic takes alone.

#include <benchmark/benchmark.h>

#include <cmath>
#include <numeric>

#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/seat.hpp"

namespace zc = zithercraft;

namespace {

// A pole on a cart: where the cart is and how fast it goes, where the pole leans and how fast.
struct Pole {
  double x = 0.0, speed = 0.0, lean = 0.0, turn = 0.0;

  void begin(zc::RandomStream random) {
    for (double* number : {&x, &speed, &lean, &turn}) *number = random.between(-0.04, 0.04);
  }
  void push(double force) {
    constexpr double seconds = 0.02, mass = 1.2, pole_mass = 0.15, half = 0.45, gravity = 9.81;
    const double sin = std::sin(lean), cos = std::cos(lean),
                 thrust = (force + pole_mass * half * turn * turn * sin) / mass,
                 turning = (gravity * sin - cos * thrust) /
                           (half * (4.0 / 3.0 - pole_mass * cos * cos / mass)),
                 along = thrust - pole_mass * half * turning * cos / mass;
    x += seconds * speed;
    speed += seconds * along;
    lean += seconds * turn;
    turn += seconds * turning;
  }
  bool fallen() const { return std::fabs(x) > 2.2 || std::fabs(lean) > 0.2; }
};

constexpr const char* names[] = {"x", "speed", "lean", "turn"};

zc::RoleSpec cart(zc::SenseCode code) {
  zc::CustomSense sees{.name = "pole", .code = std::move(code)};
  for (const char* name : names) sees.columns.push_back({.name = name, .low = -3, .high = 3});
  return {
      .name = "cart",
      .senses = {sees},
      .controls = {zc::Choice{.name = "push", .options = {{.name = "left"}, {.name = "right"}}}}};
}

class CustomPole : public zc::CustomGame {
 public:
  void begin(const zc::CustomStart& start) override { pole_.begin(start.random()); }
  void step(zc::CustomStep& step) override {
    pole_.push(step.control(0) > 0.5 ? 9.0 : -9.0);
    step.pay(0, 1.0);
    if (pole_.fallen()) step.end(zc::Verdict::failure);
  }
  void observe(std::size_t, std::size_t, std::span<float> columns) const override {
    const double all[] = {pole_.x, pole_.speed, pole_.lean, pole_.turn};
    for (std::size_t i = 0; i < 4; ++i) columns[i] = static_cast<float>(all[i]);
  }

 private:
  Pole pole_;
};

zc::GameSpec custom_pole() {
  zc::GameSpec game{.name = "pole"};
  game.custom = {.step_seconds = 0.02, .code = [] { return std::make_unique<CustomPole>(); }};
  game.roles = {cart({})};
  game.roles[0].rewards = {{.name = "up"}};
  game.cutoffs.steps = 400;
  return game;
}

zc::GameSpec pole_by_rules() {
  zc::GameSpec game{.name = "pole", .ticks_per_step = 1};
  game.arena.tick = 0.02;
  game.arena.bodies = {{.name = "cart"}};
  const auto read = [](std::span<double> numbers) {
    return Pole{numbers[0], numbers[1], numbers[2], numbers[3]};
  };
  const auto keep = [](const Pole& p, std::span<double> numbers) {
    const double all[] = {p.x, p.speed, p.lean, p.turn};
    std::copy(std::begin(all), std::end(all), numbers.begin());
  };
  game.rules = {{.name = "pole",
                 .numbers = 4,
                 .begin =
                     [=](const zc::RuleView& lane) {
                       Pole p;
                       p.begin(lane.random());
                       keep(p, lane.numbers());
                     },
                 .tick =
                     [=](const zc::RuleView& lane) {
                       Pole p = read(lane.numbers());
                       p.push(lane.control(0) > 0.5 ? 9.0 : -9.0);
                       keep(p, lane.numbers());
                       if (p.fallen()) lane.end(zc::Verdict::failure);
                     }}};
  game.roles = {cart([](const zc::SeatView& seat, std::span<float> out) {
    const auto numbers = seat.numbers("pole");
    for (std::size_t i = 0; i < 4; ++i) out[i] = static_cast<float>(numbers[i]);
  })};
  game.roles[0].rewards = {{.name = "up", .each_step = zc::Measure::always()}};
  game.cutoffs.steps = 400;
  return game;
}

void play(benchmark::State& state, const zc::GameSpec& spec) {
  constexpr std::size_t count = 64;
  const auto environment = zc::make_environment(zc::Game(spec), count);
  std::vector<std::size_t> lanes(count);
  std::iota(lanes.begin(), lanes.end(), 0);
  for (const std::size_t lane : lanes)
    environment->begin(lane, {1, static_cast<std::uint32_t>(lane), 0});
  std::uint32_t steps = 0;
  for (auto _ : state) {
    ++steps;
    for (const std::size_t lane : lanes)
      environment->control(0, lane)[0] = static_cast<float>((steps + lane) % 2);
    environment->step_lanes(lanes);
    for (const std::size_t lane : lanes)
      if (environment->outcome(lane) != zc::Outcome::running) {
        zc::EpisodeKey next = environment->key(lane);
        ++next.episode;
        environment->begin(lane, next);
      }
  }
  state.SetItemsProcessed(static_cast<std::int64_t>(count) * state.iterations());
}

void as_custom_game(benchmark::State& state) { play(state, custom_pole()); }
void as_rules(benchmark::State& state) { play(state, pole_by_rules()); }
void arithmetic_alone(benchmark::State& state) {
  std::vector<Pole> poles(64);
  std::uint32_t steps = 0;
  for (auto _ : state) {
    ++steps;
    for (std::size_t i = 0; i < poles.size(); ++i) {
      poles[i].push((steps + i) % 2 == 0 ? 9.0 : -9.0);
      if (poles[i].fallen()) poles[i].begin(zc::RandomStream(1, steps, 0, zc::Purpose::user));
    }
    benchmark::DoNotOptimize(poles.data());
  }
  state.SetItemsProcessed(64 * state.iterations());
}

BENCHMARK(as_custom_game);
BENCHMARK(as_rules);
BENCHMARK(arithmetic_alone);

}  // namespace

BENCHMARK_MAIN();
