#pragma once

// Small games of two opposed sides whose best play is known by calculation.

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::test {

inline BodySpec player_body(const std::string& name) {
  const double x = name == "first" ? -5.0 : 5.0;
  return {.name = name, .side = name, .motion = Motion::fixed, .place = {.region = {x, 0, x, 0}}};
}

// ---- two choose at the same time, once

struct Payoffs {
  std::size_t options = 2;
  std::vector<double> first{};  // [first's option][second's option] the reward of the first; the
                                // second loses as much
};

inline GameSpec one_step(const Payoffs& payoffs) {
  GameSpec game;
  game.name = "one step";
  game.ticks_per_step = 1;
  game.cutoffs.steps = 1;
  Choice choice{.name = "choice", .options = {}};
  for (std::size_t o = 0; o < payoffs.options; ++o)
    choice.options.push_back({.name = "o" + std::to_string(o)});
  game.rules.push_back({.name = "reward", .numbers = 1, .tick = [payoffs](const RuleView& lane) {
                          const auto a = static_cast<std::size_t>(lane.control(0, 0)),
                                     b = static_cast<std::size_t>(lane.control(0, 1));
                          lane.numbers()[0] = payoffs.first[a * payoffs.options + b];
                        }});
  for (const char* name : {"first", "second"}) {
    game.arena.bodies.push_back(player_body(name));
    RoleSpec role{.name = name};
    role.senses.push_back(
        CustomSense{.name = "nothing",
                    .columns = {{.name = "always"}},
                    .code = [](const SeatView&, std::span<float> out) { out[0] = 1.0f; }});
    role.controls.push_back(choice);
    const double sign = name[0] == 'f' ? 1.0 : -1.0;
    role.rewards.push_back({.name = "reward", .each_step = [sign](const SeatView& seat) {
                              return sign * seat.numbers("reward")[0];
                            }});
    game.roles.push_back(std::move(role));
  }
  return game;
}

/// What both sides together would gain by best responses to these probabilities of options.
inline double exploitability(const Payoffs& game, const std::vector<double>& first,
                             const std::vector<double>& second) {
  double most = -1e9, least = 1e9;
  for (std::size_t a = 0; a < game.options; ++a) {
    double as_first = 0.0, as_second = 0.0;
    for (std::size_t b = 0; b < game.options; ++b) {
      as_first += second[b] * game.first[a * game.options + b];
      as_second += first[b] * game.first[b * game.options + a];
    }
    most = std::max(most, as_first);
    least = std::min(least, as_second);
  }
  return most - least;
}

// ---- two hold a card each of three and bet on having the higher one

/// Probabilities of betting: [card][what has happened], see `BettingState`.
using Betting = std::array<std::array<double, 4>, 3>;
enum BettingState : std::uint8_t { begins, after_pass, after_bet, after_pass_and_bet };

// Both put in one. The first passes or bets one more; the second answers; if the second bets upon
// a pass, the first answers again. A bet that is not answered by one wins; else cards decide.
inline GameSpec betting() {
  GameSpec game;
  game.name = "betting";
  game.ticks_per_step = 1;
  game.cutoffs.steps = 4;
  // Both cards, what has happened, and what the first has won in the end.
  game.rules.push_back({.name = "table",
                        .numbers = 4,
                        .begin =
                            [](const RuleView& lane) {
                              RandomStream random = lane.random();
                              const std::uint32_t own = random.below(3), other = random.below(2);
                              const auto numbers = lane.numbers();
                              numbers[0] = own;
                              numbers[1] = other >= own ? other + 1 : other;
                              numbers[2] = numbers[3] = 0.0;
                            },
                        .tick =
                            [](const RuleView& lane) {
                              const auto numbers = lane.numbers();
                              const auto state = static_cast<BettingState>(numbers[2]);
                              const bool second = state == after_pass || state == after_bet;
                              const bool bets = lane.control(0, second ? 1 : 0) > 0.5f;
                              const double higher = numbers[0] > numbers[1] ? 1.0 : -1.0;
                              if (state == begins) {
                                numbers[2] = bets ? after_bet : after_pass;
                              } else if (state == after_pass && bets) {
                                numbers[2] = after_pass_and_bet;
                              } else {
                                numbers[3] = bets                  ? 2.0 * higher
                                             : state == after_pass ? higher
                                             : state == after_bet  ? 1.0
                                                                   : -1.0;
                                lane.end(numbers[3] > 0.0 ? Verdict::success : Verdict::failure);
                              }
                            }});
  for (const std::size_t side : {0u, 1u}) {
    const std::string name = side == 0 ? "first" : "second";
    game.arena.bodies.push_back(player_body(name));
    RoleSpec role{.name = name};
    std::vector<CustomColumn> columns;
    for (const char* column :
         {"low", "middle", "high", "begins", "passed", "bet", "passed and bet"})
      columns.push_back({.name = column});
    role.senses.push_back(
        CustomSense{.name = "table",
                    .columns = columns,
                    .code = [side](const SeatView& seat, std::span<float> out) {
                      std::fill(out.begin(), out.end(), 0.0f);
                      out[static_cast<std::size_t>(seat.numbers("table")[side])] = 1.0f;
                      out[3 + static_cast<std::size_t>(seat.numbers("table")[2])] = 1.0f;
                    }});
    role.controls.push_back(Choice{.name = "do", .options = {{.name = "pass"}, {.name = "bet"}}});
    const double sign = side == 0 ? 1.0 : -1.0;
    role.rewards.push_back({.name = "won", .each_step = [sign](const SeatView& seat) {
                              return sign * seat.numbers("table")[3];
                            }});
    game.roles.push_back(std::move(role));
  }
  return game;
}

/// What the best player of one side wins against that one of the other.
inline double best_against(const Betting& other, bool plays_first) {
  double sum = 0.0;
  for (std::size_t own = 0; own < 3; ++own) {
    double best = -1e9;
    for (const bool once : {false, true})      // as first: bets at once; as second: upon a pass
      for (const bool then : {false, true}) {  // as first: answers a bet; as second: upon a bet
        double wins = 0.0;
        for (std::size_t card = 0; card < 3; ++card) {
          if (card == own) continue;
          const double higher = own > card ? 1.0 : -1.0;
          const auto& o = other[card];
          if (plays_first) {
            wins += once ? o[after_bet] * 2.0 * higher + (1.0 - o[after_bet])
                         : o[after_pass] * (then ? 2.0 * higher : -1.0) +
                               (1.0 - o[after_pass]) * higher;
          } else {
            const double upon_pass =
                once ? o[after_pass_and_bet] * 2.0 * higher + (1.0 - o[after_pass_and_bet])
                     : higher;
            wins += o[begins] * (then ? 2.0 * higher : -1.0) + (1.0 - o[begins]) * upon_pass;
          }
        }
        best = std::max(best, wins / 6.0);
      }
    sum += best;
  }
  return sum;
}

}  // namespace zithercraft::test
