#include <algorithm>
#include <limits>
#include <utility>

#include "match/scripts.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
using namespace match_internal;
namespace {

using ScriptMaker = Script::Function (*)(const Game&, std::size_t role);
constexpr std::pair<const char*, ScriptMaker> known_scripts[] = {
    {"steer_home", steer_home}, {"step_home", step_home},     {"walk_home", walk_home},
    {"run_gates", run_gates},   {"shove_home", shove_home},   {"lead_and_fire", lead_and_fire},
    {"dig_down", dig_down},     {"gather_home", gather_home}, {"follow", follow},
    {"hop_on", hop_on},         {"live_on", live_on}};

class PolicyPlayer : public Player {
 public:
  PolicyPlayer(Policy policy, ActionMode actions, std::uint64_t seed)
      : policy_(std::move(policy)),
        actions_(actions_of(policy_, actions)),
        seed_(derived_seed(seed, "policy player")) {}

  std::string name() const override { return "trained"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<PolicyPlayer>(*this); }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const std::size_t seats = environment.seats(role), in = policy_.columns(),
                      out = policy_.controls();
    const auto senses =
        environment.observations(role).subspan(first * seats * in, count * seats * in);
    const auto controls =
        environment.controls(role).subspan(first * seats * out, count * seats * out);
    const auto memory = remembered(environment, seats, first, count);
    if (actions_ == ActionMode::greedy) return policy_.decide(senses, controls, memory);
    const std::size_t kept = policy_.memory();
    for (std::size_t row = 0; row < count * seats; ++row) {
      const std::size_t lane = first + row / seats;
      RandomStream random(seed_, environment.key(lane).episode,
                          environment.steps(lane) * static_cast<std::uint32_t>(seats) +
                              static_cast<std::uint32_t>(row % seats),
                          Purpose::decide);
      policy_.decide(senses.subspan(row * in, in), controls.subspan(row * out, out), random,
                     memory.subspan(row * kept, kept));
    }
  }

 private:
  // The memory of these lanes' seats, as it was before this step. A step may be asked for twice, by
  // a caller that wants to see where it would lead.
  std::span<float> remembered(const Environment& environment, std::size_t seats, std::size_t first,
                              std::size_t count) {
    const std::size_t kept = policy_.memory() * seats;
    if (kept == 0) return {};
    if (asked_.size() < environment.count()) {
      asked_.resize(environment.count());
      before_.resize(environment.count() * kept);
      after_.resize(environment.count() * kept);
    }
    for (std::size_t lane = first; lane < first + count; ++lane) {
      const auto own = [&](std::vector<float>& memory) {
        return std::span(memory).subspan(lane * kept, kept);
      };
      if (environment.steps(lane) == 0) {
        std::fill(own(before_).begin(), own(before_).end(), 0.0f);
      } else if (asked_[lane] != environment.steps(lane)) {
        std::copy(own(after_).begin(), own(after_).end(), own(before_).begin());
      }
      asked_[lane] = environment.steps(lane);
      std::copy(own(before_).begin(), own(before_).end(), own(after_).begin());
    }
    return std::span(after_).subspan(first * kept, count * kept);
  }

  Policy policy_;
  ActionMode actions_;
  std::uint64_t seed_;
  std::vector<std::uint32_t> asked_;   // the step of each lane that was asked for last
  std::vector<float> before_, after_;  // what was remembered before it, and after it
};

class MixturePlayer : public Player {
 public:
  MixturePlayer(std::vector<std::unique_ptr<Player>> members, std::vector<double> up_to,
                std::uint64_t seed)
      : members_(std::move(members)),
        up_to_(std::move(up_to)),
        seed_(derived_seed(seed, "mixture")) {}

  std::string name() const override { return "trained"; }
  std::unique_ptr<Player> copy() const override {
    std::vector<std::unique_ptr<Player>> members;
    for (const auto& member : members_) members.push_back(member->copy());
    auto other = std::make_unique<MixturePlayer>(std::move(members), up_to_, 0);
    other->seed_ = seed_;
    return other;
  }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    for (std::size_t lane = first; lane < first + count; ++lane)
      drawn(environment.key(lane)).decide(environment, role, lane, 1);
  }

 private:
  Player& drawn(EpisodeKey key) const {
    RandomStream random(seed_, key.lane, key.episode, Purpose::oppose);
    const auto at =
        std::upper_bound(up_to_.begin(), up_to_.end(), random.uniform() * up_to_.back());
    return *members_[std::min(static_cast<std::size_t>(at - up_to_.begin()), members_.size() - 1)];
  }

  std::vector<std::unique_ptr<Player>> members_;
  std::vector<double> up_to_;  // sums of shares
  std::uint64_t seed_;
};

class ExpertPlayer : public Player {
 public:
  std::string name() const override { return "expert"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<ExpertPlayer>(*this); }
  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const std::size_t seats = environment.seats(role);
    for (std::size_t lane = first; lane < first + count; ++lane)
      if (!environment.idle(lane))
        for (std::size_t seat = 0; seat < seats; ++seat)
          environment.let_expert_decide(role, lane * seats + seat);
  }
  void advise(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const std::size_t seats = environment.seats(role);
    for (std::size_t row = first * seats; row < (first + count) * seats; ++row) {
      const auto controls = environment.control(role, row);
      if (!environment.expert(role, row, controls))
        std::fill(controls.begin(), controls.end(), std::numeric_limits<float>::quiet_NaN());
    }
  }
};

class RandomPlayer : public Player {
 public:
  explicit RandomPlayer(std::uint64_t seed) : seed_(derived_seed(seed, "random player")) {}

  std::string name() const override { return "random"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<RandomPlayer>(*this); }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const auto& controls = environment.game().roles()[role].controls;
    const std::size_t seats = environment.seats(role);
    for (std::size_t row = first * seats; row < (first + count) * seats; ++row) {
      const std::size_t lane = row / seats;
      RandomStream random(derived_seed(seed_, "random player"), environment.key(lane).episode,
                          environment.steps(lane) * static_cast<std::uint32_t>(seats) +
                              static_cast<std::uint32_t>(row % seats),
                          Purpose::decide);
      const auto out = environment.control(role, row);
      for (std::size_t c = 0; c < controls.size(); ++c) {
        if (!controls[c].is_choice()) {
          out[c] = static_cast<float>(random.between(controls[c].low, controls[c].high));
          continue;
        }
        const auto options = static_cast<std::uint32_t>(controls[c].options.size());
        do out[c] = static_cast<float>(random.below(options));
        while (!environment.allowed(role, row, c, static_cast<std::size_t>(out[c])));
      }
    }
  }

 private:
  std::uint64_t seed_;
};

class ScriptPlayer : public Player {
 public:
  explicit ScriptPlayer(Script::Function script) : script_(std::move(script)) {}

  std::string name() const override { return "script"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<ScriptPlayer>(*this); }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const Lanes& lanes = lanes_of(environment);
    for (std::size_t lane = first; lane < first + count; ++lane)
      for (std::size_t seat = 0; seat < environment.seats(role); ++seat)
        script_(SeatView(lanes, lane, role, seat),
                environment.control(role, lane * environment.seats(role) + seat));
  }

 private:
  Script::Function script_;
};

[[noreturn]] void unknown_script(const Script& script, const std::string& where) {
  std::vector<std::string> names;
  for (const auto& known : known_scripts) names.emplace_back(known.first);
  throw Error(ErrorKind::spec, "no script is named '" + script.name() + "'", where,
              advice(script.name(), names));
}

Script::Function find_script(const Game& game, std::size_t role) {
  const Script& script = game.spec().roles[role].script;
  const std::string where = "roles[" + std::to_string(role) + "].script";
  if (!script.used())
    throw Error(ErrorKind::spec, "the role '" + game.roles()[role].name + "' has no script", where,
                "name one");
  if (script.function()) return script.function();
  if (!script.playable())
    throw Error(ErrorKind::spec, "the script is custom, which a file cannot hold", where,
                "use the program that defines it");
  if (game.spec().roles[role].script_limits != ScriptLimits{} && script.name() != "follow")
    throw Error(ErrorKind::spec, "the script '" + script.name() + "' keeps to no limits",
                "roles[" + std::to_string(role) + "].script_limits", "leave them out");
  for (const auto& [name, maker] : known_scripts)
    if (script.name() == name) return maker(game, role);
  unknown_script(script, where);
}

}  // namespace

std::size_t match_internal::column_of(const Role& role, const std::string& sense,
                                      std::string_view quantity) {
  const auto at = std::find_if(role.columns.begin(), role.columns.end(), [&](const Column& c) {
    return c.sense == sense && c.quantity == quantity && c.age == 0;
  });
  return static_cast<std::size_t>(at - role.columns.begin());
}

std::size_t match_internal::dial_of(const std::string& script, const Role& role,
                                    const std::string& name) {
  for (std::size_t i = 0; i < role.controls.size(); ++i)
    if (role.controls[i].name == name && !role.controls[i].is_choice()) return i;
  lacks(script, role, "a dial '" + name + "'");
}

void match_internal::lacks(const std::string& script, const Role& role, const std::string& what) {
  throw Error(ErrorKind::spec, "the script '" + script + "' needs " + what,
              "role '" + role.name + "'", "add it, or choose another script");
}

const char* name_of(ActionMode actions) {
  switch (actions) {
    case ActionMode::usual: return "usual";
    case ActionMode::greedy: return "greedy";
    case ActionMode::sampled: return "sampled";
  }
  return "";
}

ActionMode actions_of(const Policy& policy, ActionMode asked) {
  if (asked != ActionMode::usual) return asked;
  return policy.signature().sampled ? ActionMode::sampled : ActionMode::greedy;
}

std::unique_ptr<Player> policy_player(const Game& game, std::size_t role, Policy policy,
                                      ActionMode actions, std::uint64_t seed) {
  const auto& found = policy.signature();
  // What a policy has learned for one role, it can do for those that mirror it.
  const Role& own = game.roles()[role];
  const Role& r = found.role == own.name ? own : game.roles()[own.mirrors];
  PolicySignature wanted = found;  // how it is made inside does not matter
  wanted.role = r.name;
  wanted.columns = r.columns;
  wanted.controls = r.controls;
  if (const auto d = first_difference(wanted, found); !d.empty())
    throw Error(ErrorKind::refused, "the policy does not fit the game: " + d,
                "role '" + r.name + "'", "use a policy trained for this game");
  return std::make_unique<PolicyPlayer>(std::move(policy), actions, seed);
}

std::unique_ptr<Player> mixture_player(const Game& game, std::size_t role,
                                       std::vector<MixtureMember> members, ActionMode actions,
                                       std::uint64_t seed) {
  std::vector<std::unique_ptr<Player>> players;
  std::vector<double> up_to;
  double sum = 0.0;
  for (MixtureMember& member : members) {
    if (!(member.share >= 0.0 && member.share <= 1e300))
      throw Error(ErrorKind::usage, "the share of a policy is no number of at least 0", "mixture",
                  "give how often each is drawn beside the others");
    players.push_back(policy_player(game, role, std::move(member.policy),
                                    actions == ActionMode::usual ? ActionMode::sampled : actions,
                                    seed));
    up_to.push_back(sum += member.share);
  }
  if (!(sum > 0.0))
    throw Error(ErrorKind::usage, "there is no policy to draw", "mixture",
                "give at least one, with a share above 0");
  return std::make_unique<MixturePlayer>(std::move(players), std::move(up_to), seed);
}

std::unique_ptr<Player> expert_player(const Game& game) {
  if (!game.spec().custom || !game.spec().custom->expert)
    throw Error(ErrorKind::spec, "the game has no expert of its own", "custom.expert",
                "choose another player");
  return std::make_unique<ExpertPlayer>();
}

std::unique_ptr<Player> random_player(std::uint64_t seed) {
  return std::make_unique<RandomPlayer>(seed);
}

std::unique_ptr<Player> script_player(const Game& game, std::size_t role) {
  return std::make_unique<ScriptPlayer>(find_script(game, role));
}

std::unique_ptr<Player> usual_player(const Game& game, std::size_t role, std::uint64_t seed) {
  if (game.spec().custom && game.spec().custom->expert) return expert_player(game);
  return has_script(game, role) ? script_player(game, role) : random_player(seed);
}

std::string misfit_of_script(const Game& game, std::size_t role) {
  if (!game.spec().roles[role].script.playable()) return {};
  try {
    find_script(game, role);
    return {};
  } catch (const Error& error) {
    return error.problem();
  }
}

bool has_script(const Game& game, std::size_t role) {
  return game.spec().roles[role].script.playable() && misfit_of_script(game, role).empty();
}

Lineup::Lineup(const Game& game, std::unique_ptr<Player> first, std::uint64_t seed) {
  players_.push_back(std::move(first));
  for (std::size_t role = 1; role < game.roles().size(); ++role)
    players_.push_back(usual_player(game, role, seed));
}
std::vector<Player*> Lineup::players() const {
  std::vector<Player*> list;
  for (const auto& player : players_) list.push_back(player.get());
  return list;
}
std::vector<const Player*> Lineup::const_players() const {
  const auto list = players();
  return {list.begin(), list.end()};
}

void check_scripts(const Game& game) {
  for (std::size_t role = 0; role < game.roles().size(); ++role) {
    const Script& script = game.spec().roles[role].script;
    if (!script.playable() || script.function()) continue;
    if (std::none_of(std::begin(known_scripts), std::end(known_scripts),
                     [&](const auto& known) { return script.name() == known.first; }))
      unknown_script(script, "roles[" + std::to_string(role) + "].script");
  }
}

}  // namespace zithercraft
