#include "textbook_problems.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft::test {

// A game without things: all that happens is what its rule says.
GameSpec empty_game(const std::string& name, double tick, std::int64_t steps) {
  GameSpec game;
  game.name = name;
  game.ticks_per_step = 1;
  game.arena.tick = tick;
  game.arena.bodies.push_back({.name = "plant", .motion = Motion::fixed});
  game.roles.push_back({.name = "plant"});
  game.cutoffs.steps = steps;
  return game;
}

// By the equations of Barto, Sutton and Anderson: "Neuronlike adaptive elements
// that can solve difficult learning control problems" (1983), without friction. The cart is pushed
// left or right for ten seconds, or until the pole leans by more than 15 degrees or the track of
// six metres ends.
GameSpec pole_on_a_cart() {
  GameSpec game = empty_game("pole on a cart", 0.025, 400);
  game.rules.push_back(
      {.name = "pole",
       .numbers = 4,
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             for (double& n : lane.numbers()) n = random.between(-0.08, 0.08);
           },
       .tick =
           [](const RuleView& lane) {
             constexpr double g = 9.81, cart = 1.2, pole = 0.2, half = 0.6, push = 12.0;
             auto n = lane.numbers();  // place and speed of the cart, angle and rate of the pole
             const double force = lane.control(0) > 0.5 ? push : -push, sine = std::sin(n[2]),
                          cosine = std::cos(n[2]), all = cart + pole;
             const double shared = (force + pole * half * n[3] * n[3] * sine) / all;
             const double turning =
                 (g * sine - cosine * shared) / (half * (4.0 / 3.0 - pole * cosine * cosine / all));
             const double moving = shared - pole * half * turning * cosine / all,
                          dt = lane.tick_seconds();
             n[0] += dt * n[1];
             n[1] += dt * moving;
             n[2] += dt * n[3];
             n[3] += dt * turning;
             if (std::fabs(n[0]) > 3.0 || std::fabs(n[2]) > 15 * std::numbers::pi / 180)
               lane.end(Verdict::failure);
           }});
  game.roles[0].senses.push_back(CustomSense{
      .name = "pole",
      .columns = {{.name = "place"}, {.name = "speed"}, {.name = "angle"}, {.name = "rate"}},
      .code = [](const SeatView& seat, std::span<float> out) {
        for (std::size_t i = 0; i < 4; ++i) out[i] = static_cast<float>(seat.numbers("pole")[i]);
      }});
  game.roles[0].controls.push_back(
      Choice{.name = "push", .options = {{.name = "left"}, {.name = "right"}}});
  game.roles[0].rewards.push_back({.name = "upright", .each_step = Measure::always()});
  return game;
}

// A pendulum too heavy to be lifted at once has to be swung up and held. A rod of length l and mass
// m turns by 3 g / (2 l) sin(angle) + 3 / (m l^2) torque, for twelve and a half seconds. Its end's
// depth below the top costs, and a little its rate and the torque.
constexpr double rod_length = 1.2, rod_mass = 0.8, most_torque = 2.2, fastest_rate = 9.0;

GameSpec swing_up() {
  GameSpec game = empty_game("swing-up", 0.05, 250);
  game.rules.push_back(
      {.name = "rod",
       .numbers = 3,  // angle from upright, rate, torque
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             lane.numbers()[0] = random.between(-std::numbers::pi, std::numbers::pi);
             lane.numbers()[1] = random.between(-0.5, 0.5);
           },
       .tick =
           [](const RuleView& lane) {
             constexpr double g = 9.81, falls = 1.5 * g / rod_length,
                              turns = 3.0 / (rod_mass * rod_length * rod_length);
             auto n = lane.numbers();
             n[2] = most_torque * lane.control(0);
             n[1] += lane.tick_seconds() * (falls * std::sin(n[0]) + turns * n[2]);
             n[1] = std::clamp(n[1], -fastest_rate, fastest_rate);
             n[0] = std::remainder(n[0] + lane.tick_seconds() * n[1], 2 * std::numbers::pi);
           }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "rod",
                  .columns = {{.name = "cosine", .low = -1},
                              {.name = "sine", .low = -1},
                              {.name = "rate", .low = -1}},
                  .code = [](const SeatView& seat, std::span<float> out) {
                    const auto n = seat.numbers("rod");
                    out[0] = static_cast<float>(std::cos(n[0]));
                    out[1] = static_cast<float>(std::sin(n[0]));
                    out[2] = static_cast<float>(n[1] / fastest_rate);
                  }});
  game.roles[0].controls.push_back(Dial{.name = "torque"});
  game.roles[0].rewards.push_back(
      {.name = "cost", .weight = -1, .each_step = [](const SeatView& seat) {
         const auto n = seat.numbers("rod");
         return 1 - std::cos(n[0]) + 0.01 * n[1] * n[1] + 0.002 * n[2] * n[2];
       }});
  return game;
}

// A car too weak for its hill has to swing back and forth to leave the valley. Its push costs, so
// that doing nothing pays best until the way out is found.
GameSpec valley() {
  GameSpec game = empty_game("valley", 0.1, 800);
  game.rules.push_back({.name = "car",
                        .numbers = 3,  // place, speed, push
                        .begin =
                            [](const RuleView& lane) {
                              RandomStream random = lane.random();
                              lane.numbers()[0] = random.between(-0.2, 0.2);
                              lane.numbers()[1] = 0;
                            },
                        .tick =
                            [](const RuleView& lane) {
                              constexpr double steepest = 0.0026, power = 0.0015, fastest = 0.08;
                              auto n = lane.numbers();
                              n[2] = lane.control(0);
                              n[1] += power * n[2] - steepest * std::sin(3 * n[0]);
                              n[1] = std::clamp(n[1], -fastest, fastest);
                              n[0] += n[1];
                              if (n[0] < -0.7) n[0] = -0.7, n[1] = 0;
                              if (n[0] > 1.0) lane.end(Verdict::success);
                            }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "car",
                  .columns = {{.name = "place", .low = -1}, {.name = "speed", .low = -1}},
                  .code = [](const SeatView& seat, std::span<float> out) {
                    for (std::size_t i = 0; i < 2; ++i)
                      out[i] = static_cast<float>(seat.numbers("car")[i]);
                  }});
  game.roles[0].controls.push_back(Dial{.name = "push"});
  game.roles[0].rewards.push_back(
      {.name = "cost", .weight = -0.1, .each_step = [](const SeatView& seat) {
         return std::pow(seat.numbers("car")[2], 2);
       }});
  game.roles[0].rewards.push_back(
      {.name = "out", .weight = 100, .each_step = [](const SeatView& seat) {
         return seat.numbers("car")[0] > 1.0 ? 1.0 : 0.0;
       }});
  return game;
}

// Two rods that hang from each other; only the joint between them is driven. The end has to be
// swung a rod's length above the upper joint, and each step until then costs. Rods of mass m and
// length l turn about their joints by Lagrange's equations.
GameSpec two_rods() {
  GameSpec game = empty_game("two rods", 0.2, 500);
  game.rules.push_back(
      {.name = "rods",
       .numbers = 4,  // angles from hanging, the lower one's from the upper one's; rates
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             for (double& n : lane.numbers()) n = random.between(-0.1, 0.1);
           },
       .tick =
           [](const RuleView& lane) {
             constexpr double g = 9.81, m = 0.9, l = 1.1, inertia = m * l * l / 3;
             constexpr int parts = 20;
             auto n = lane.numbers();
             const double torque = 1.3 * (std::round(static_cast<double>(lane.control(0))) - 1);
             const double dt = lane.tick_seconds() / parts;
             for (int part = 0; part < parts; ++part) {
               const double c = std::cos(n[1]), s = std::sin(n[1]), link = m * l * l * c / 2;
               const double a = inertia + m * l * l + inertia + 2 * link, b = inertia + link;
               const double lower = m * g * l / 2 * std::sin(n[0] + n[1]);
               const double first = m * l * l * s * (n[2] * n[3] + n[3] * n[3] / 2) -
                                    1.5 * m * g * l * std::sin(n[0]) - lower;
               const double second = torque - m * l * l * s * n[2] * n[2] / 2 - lower;
               const double bend = (a * second - b * first) / (a * inertia - b * b);
               n[2] += dt * (first - b * bend) / a;
               n[3] += dt * bend;
               n[0] += dt * n[2];
               n[1] += dt * n[3];
             }
             n[2] = std::clamp(n[2], -12.0, 12.0);
             n[3] = std::clamp(n[3], -25.0, 25.0);
             if (-std::cos(n[0]) - std::cos(n[0] + n[1]) > 1) lane.end(Verdict::success);
           }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "rods",
                  .columns = {{.name = "cosine_1", .low = -1},
                              {.name = "sine_1", .low = -1},
                              {.name = "cosine_2", .low = -1},
                              {.name = "sine_2", .low = -1},
                              {.name = "rate_1", .low = -1},
                              {.name = "rate_2", .low = -1}},
                  .code = [](const SeatView& seat, std::span<float> out) {
                    const auto n = seat.numbers("rods");
                    const double all[] = {std::cos(n[0]), std::sin(n[0]), std::cos(n[1]),
                                          std::sin(n[1]), n[2] / 12,      n[3] / 25};
                    for (std::size_t i = 0; i < 6; ++i) out[i] = static_cast<float>(all[i]);
                  }});
  game.roles[0].controls.push_back(
      Choice{.name = "torque", .options = {{.name = "back"}, {.name = "none"}, {.name = "forth"}}});
  game.roles[0].rewards.push_back({.name = "time", .weight = -1, .each_step = Measure::always()});
  return game;
}

// Cells with a wall across, whose door opens with a key. Only the goal behind it pays.
constexpr int cells = 8, patience = 160;

GameSpec key_and_door() {
  GameSpec game = empty_game("key and door", 0.2, patience);
  // Wall, door, one's own cell, the key's, the goal's, whether one has the key, steps.
  enum { wall, door, x, y, key_x, key_y, goal_x, goal_y, has_key, steps, all };
  game.rules.push_back(
      {.name = "cells",
       .numbers = all,
       .begin =
           [](const RuleView& lane) {
             RandomStream random = lane.random();
             auto n = lane.numbers();
             const auto below = [&](double count) {
               return static_cast<double>(random.below(static_cast<std::uint32_t>(count)));
             };
             n[wall] = 2 + below(cells - 4);
             n[x] = below(n[wall]);
             n[key_x] = below(n[wall]);
             n[goal_x] = n[wall] + 1 + below(cells - n[wall] - 1);
             for (const auto row : {door, y, key_y, goal_y}) n[row] = below(cells);
             n[has_key] = n[steps] = 0;
           },
       .tick =
           [](const RuleView& lane) {
             auto n = lane.numbers();
             const auto way = std::lround(lane.control(0));
             const double to_x = n[x] + (way == 0   ? 1
                                         : way == 1 ? -1
                                                    : 0),
                          to_y = n[y] + (way == 2   ? 1
                                         : way == 3 ? -1
                                                    : 0);
             const bool inside = to_x >= 0 && to_y >= 0 && to_x < cells && to_y < cells,
                        passes = to_x != n[wall] || (to_y == n[door] && n[has_key] == 1);
             if (inside && passes) n[x] = to_x, n[y] = to_y;
             if (n[x] == n[key_x] && n[y] == n[key_y]) n[has_key] = 1;
             n[steps] += 1;
             if (n[x] == n[goal_x] && n[y] == n[goal_y]) lane.end(Verdict::success);
           }});
  CustomSense sense{.name = "cells", .code = [](const SeatView& seat, std::span<float> out) {
                      const auto n = seat.numbers("cells");
                      const double seen[] = {n[x],
                                             n[y],
                                             n[wall] - n[x],
                                             n[door] - n[y],
                                             n[key_x] - n[x],
                                             n[key_y] - n[y],
                                             n[goal_x] - n[x],
                                             n[goal_y] - n[y]};
                      for (std::size_t i = 0; i < 8; ++i)
                        out[i] = static_cast<float>(seen[i] / cells);
                      out[8] = static_cast<float>(n[has_key]);
                    }};
  for (const char* name : {"x", "y", "wall", "door", "key_x", "key_y", "goal_x", "goal_y", "key"})
    sense.columns.push_back({.name = name, .low = -1});
  game.roles[0].senses.push_back(std::move(sense));
  game.roles[0].controls.push_back(Choice{
      .name = "go", .options = {{.name = "e"}, {.name = "w"}, {.name = "n"}, {.name = "s"}}});
  game.roles[0].rewards.push_back({.name = "goal", .each_step = [](const SeatView& seat) {
                                     const auto n = seat.numbers("cells");
                                     return n[x] == n[goal_x] && n[y] == n[goal_y]
                                                ? 1 - 0.9 * n[steps] / patience
                                                : 0.0;
                                   }});
  return game;
}

// One decision an episode: two dials that should be where four numbers say.
GameSpec one_decision() {
  GameSpec game = empty_game("one decision", 0.2, 1);
  game.rules.push_back({.name = "case",
                        .numbers = 5,
                        .begin =
                            [](const RuleView& lane) {
                              RandomStream random = lane.random();
                              for (double& n : lane.numbers()) n = random.between(-1, 1);
                            },
                        .tick =
                            [](const RuleView& lane) {
                              auto n = lane.numbers();
                              const double a = lane.control(0) - (0.6 * n[0] - 0.3 * n[1]),
                                           b = lane.control(1) - 0.7 * n[2] * n[3];
                              n[4] = a * a + b * b;
                            }});
  CustomSense sense{.name = "case", .code = [](const SeatView& seat, std::span<float> out) {
                      for (std::size_t i = 0; i < 4; ++i)
                        out[i] = static_cast<float>(seat.numbers("case")[i]);
                    }};
  for (const char* name : {"a", "b", "c", "d"}) sense.columns.push_back({.name = name, .low = -1});
  game.roles[0].senses.push_back(std::move(sense));
  game.roles[0].controls = {Dial{.name = "first"}, Dial{.name = "second"}};
  game.roles[0].rewards.push_back(
      {.name = "off", .weight = -1, .each_step = [](const SeatView& seat) {
         return seat.numbers("case")[4];
       }});
  return game;
}

// A sign is shown at the first step, and tells what to do so many steps later.
GameSpec sign(int wait) {
  GameSpec game = empty_game("sign", 0.2, wait + 1);
  game.rules.push_back({.name = "sign",
                        .numbers = 3,  // which, step, what the answer is worth
                        .begin =
                            [](const RuleView& lane) {
                              lane.numbers()[0] = lane.random().below(2) == 0 ? -1 : 1;
                              lane.numbers()[1] = lane.numbers()[2] = 0;
                            },
                        .tick =
                            [wait](const RuleView& lane) {
                              auto n = lane.numbers();
                              const double answer = lane.control(0) > 0.5 ? 1 : -1;
                              if (n[1] == wait) n[2] = answer == n[0] ? 1 : -1;
                              n[1] += 1;
                            }});
  game.roles[0].senses.push_back(
      CustomSense{.name = "sign",
                  .columns = {{.name = "shown", .low = -1}, {.name = "now"}},
                  .code = [wait](const SeatView& seat, std::span<float> out) {
                    const auto n = seat.numbers("sign");
                    out[0] = n[1] == 0 ? static_cast<float>(n[0]) : 0.0f;
                    out[1] = n[1] == wait ? 1.0f : 0.0f;
                  }});
  game.roles[0].controls.push_back(
      Choice{.name = "answer", .options = {{.name = "left"}, {.name = "right"}}});
  game.roles[0].rewards.push_back({.name = "answer", .each_step = [](const SeatView& seat) {
                                     return seat.numbers("sign")[2];
                                   }});
  return game;
}

double mean_return(const Game& game, const Player& player, WorkerPool& pool) {
  double sum = 0;
  const auto results = play_episodes(game, {&player}, 200, derived_seed(99, "textbook"), pool);
  for (const EpisodeResult& r : results) sum += r.episode_return;
  return sum / static_cast<double>(results.size());
}

}  // namespace zithercraft::test
