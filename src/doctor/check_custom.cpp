#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "doctor/checks.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/environment.hpp"

// A custom game promises to depend on its key and on the controls alone. Here it is taken at its
// word.
namespace zithercraft::doctor_internal {
namespace {

constexpr std::uint32_t episodes_played = 8;
constexpr std::size_t most_steps = 300;

// What is seen and paid at each moment of an episode, in short.
using Trace = std::vector<std::uint64_t>;

// One control that is held while everything else is decided at random.
struct Held {
  std::size_t role = 0, control = 0;
  float value = 0.0f;
};

class EpisodePlayer {
 public:
  EpisodePlayer(const Game& game, std::size_t lanes)
      : game_(game), environment_(make_environment(game, lanes)) {}

  void begin(std::size_t lane, EpisodeKey key) {
    environment_->begin(lane, key);
    while (environment_->idle(lane)) environment_->step(lane);
  }
  bool running(std::size_t lane) const { return environment_->outcome(lane) == Outcome::running; }

  // The controls depend on the episode and the step, wherever it is played.
  void step(std::size_t lane, const std::optional<Held>& held = {}) {
    const EpisodeKey key = environment_->key(lane);
    RandomStream random(derived_seed(key.seed, "doctor's controls"),
                        key.lane * 65536u + key.episode, environment_->steps(lane), Purpose::user);
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      const std::size_t seats = environment_->seats(r);
      for (std::size_t row = lane * seats; row < (lane + 1) * seats; ++row)
        for (std::size_t c = 0; c < game_.roles()[r].controls.size(); ++c) {
          const ControlInfo& control = game_.roles()[r].controls[c];
          float& value = environment_->control(r, row)[c];
          value = control.is_choice()
                      ? static_cast<float>(
                            random.below(static_cast<std::uint32_t>(control.options.size())))
                      : static_cast<float>(random.between(control.low, control.high));
          if (held && held->role == r && held->control == c) value = held->value;
        }
    }
    environment_->step(lane);
  }

  // Of a lane now. What a sense reports of the controls themselves says nothing of the game.
  std::uint64_t look(std::size_t lane) const {
    seen_.clear();
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      const std::size_t seats = environment_->seats(r);
      const auto& columns = game_.roles()[r].columns;
      for (std::size_t row = lane * seats; row < (lane + 1) * seats; ++row) {
        const auto sensed = environment_->observation(r, row);
        for (std::size_t c = 0; c < columns.size(); ++c)
          if (!tells_controls(r, columns[c])) seen_.push_back(sensed[c]);
        const auto paid = environment_->rewards_by_term(r, row);
        if (environment_->steps(lane) > 0) seen_.insert(seen_.end(), paid.begin(), paid.end());
        seen_.push_back(environment_->present(r, row) ? 1.0f : 0.0f);
      }
    }
    seen_.push_back(static_cast<float>(environment_->outcome(lane)));
    return hash_bytes(std::as_bytes(std::span(seen_)));
  }

  Trace play(std::size_t lane, EpisodeKey key, const std::optional<Held>& held = {}) {
    begin(lane, key);
    Trace trace{look(lane)};
    while (running(lane) && trace.size() <= most_steps) {
      step(lane, held);
      trace.push_back(look(lane));
    }
    return trace;
  }

  Environment& environment() { return *environment_; }

 private:
  bool tells_controls(std::size_t role, const Column& column) const {
    const auto& senses = game_.spec().roles[role].senses;
    return std::any_of(senses.begin(), senses.end(), [&](const Sense& sense) {
      const auto* own = std::get_if<OwnState>(&sense);
      return own != nullptr && own->name == column.sense;
    });
  }

  const Game& game_;
  std::unique_ptr<Environment> environment_;
  mutable std::vector<float> seen_;
};

std::string first_step(const Trace& a, const Trace& b) {
  const auto at = std::mismatch(a.begin(), a.end(), b.begin(), b.end()).first - a.begin();
  return fmt::format("from step {} on", at);
}

class CustomCheck {
 public:
  CustomCheck(const Examined& e, Findings& findings)
      : e_(e), findings_(findings), seed_(derived_seed(e.options.seed, "custom game")) {}

  void check() {
    if (!e_.game.spec().custom->deterministic) {
      add(Severity::note, "not deterministic", "it says so itself",
          "a training that is resumed begins new episodes, replays cannot be checked, and studies "
          "compare players in different episodes",
          "let all chance come from CustomStart::random, if that can be had");
      return;
    }
    for (std::uint32_t e = 0; e < episodes_played; ++e)
      if (!check_episode({seed_, e, e})) return;
    check_controls();
  }

 private:
  void add(Severity severity, std::string name, std::string what, std::string evidence,
           std::string fix) {
    findings_.push_back({severity, std::move(name), "the game's own code", std::move(what),
                         std::move(evidence), std::move(fix)});
  }

  // Whether nothing is wrong.
  bool check_episode(EpisodeKey key) {
    EpisodePlayer first(e_.game, 1), second(e_.game, 1);
    const Trace once = first.play(0, key), again = second.play(0, key);
    const auto episode = fmt::format("episode {} of seed {}", key.episode, key.seed);
    if (once != again) {
      add(Severity::error, "not deterministic", "one key gives different episodes",
          fmt::format("{}, played twice by the same controls, differs {}", episode,
                      first_step(once, again)),
          "take chance from CustomStart::random alone, and no clock, no address and no variable "
          "that "
          "copies share; or declare `deterministic = false`");
      return false;
    }
    first.play(0, {key.seed, key.lane + 1, key.episode + 1});
    if (const Trace later = first.play(0, key); later != once) {
      add(Severity::error, "an episode leaks into the next", "something is left in the copy",
          fmt::format("{}, played after another one in the same lane, differs {}", episode,
                      first_step(once, later)),
          "set everything afresh in `begin`");
      return false;
    }
    return check_beside(key, once, episode) && check_saved(key, once, episode);
  }

  bool check_beside(EpisodeKey key, const Trace& once, const std::string& episode) {
    if (lanes_within(e_.game, 2) < 2) return true;
    EpisodePlayer both(e_.game, 2);
    both.begin(0, {key.seed, key.lane + 1, key.episode + 1});
    both.begin(1, key);
    Trace beside{both.look(1)};
    while (both.running(1) && beside.size() <= most_steps) {
      if (both.running(0)) both.step(0);
      both.step(1);
      beside.push_back(both.look(1));
    }
    if (beside == once) return true;
    add(Severity::error, "lanes share something", "one lane's play changes another's",
        fmt::format("{}, played beside another one, differs {}", episode, first_step(once, beside)),
        "let copies share nothing that changes");
    return false;
  }

  // From the middle on, by what brings it back.
  bool check_saved(EpisodeKey key, const Trace& once, const std::string& episode) {
    EpisodePlayer player(e_.game, 1), other(e_.game, 1);
    player.begin(0, key);
    for (std::size_t step = 0; step < once.size() / 2; ++step) player.step(0);
    std::vector<std::byte> saved;
    player.environment().append_snapshot(0, saved);
    Trace rest;
    try {
      other.environment().restore_snapshot(0, e_.game.stages() - 1, saved);
      for (std::size_t step = once.size() / 2 + 1; step < once.size(); ++step) {
        other.step(0);
        rest.push_back(other.look(0));
      }
    } catch (const Error& error) {
      add(Severity::error, "not brought back", "a training could not be resumed",
          fmt::format("{}: {}", episode, error.problem()), error.fix());
      return false;
    }
    if (std::equal(rest.begin(), rest.end(), once.end() - static_cast<std::ptrdiff_t>(rest.size())))
      return true;
    add(Severity::error, "not brought back", "a resumed training would play on differently",
        fmt::format("{}, saved and restored in its middle, goes on differently", episode),
        "save and restore everything that the game knows, its random numbers too");
    return false;
  }

  void check_controls() {
    for (std::size_t r = 0; r < e_.game.roles().size(); ++r)
      for (std::size_t c = 0; c < e_.game.roles()[r].controls.size(); ++c) {
        const ControlInfo& control = e_.game.roles()[r].controls[c];
        if (changes_something(r, c, control)) continue;
        findings_.push_back(
            {Severity::error, "dead control", role_name(e_.game, r),
             "the control '" + control.name + "' changes nothing",
             fmt::format("{} episodes went the same way whatever it was", episodes_played),
             "read it in the game's `step`, or take it out"});
      }
  }

  bool changes_something(std::size_t role, std::size_t control, const ControlInfo& info) {
    EpisodePlayer player(e_.game, 1);
    for (std::uint32_t e = 0; e < episodes_played; ++e) {
      const auto held = [&](double value) {
        return player.play(0, {seed_, e, e}, Held{role, control, static_cast<float>(value)});
      };
      const Trace low = held(info.low);
      if (held(info.high) != low) return true;
      for (std::size_t option = 1; option + 1 < info.options.size(); ++option)
        if (held(static_cast<double>(option)) != low) return true;
    }
    return false;
  }

  const Examined& e_;
  Findings& findings_;
  std::uint64_t seed_;
};

}  // namespace

void check_custom(const Examined& e, Findings& findings) { CustomCheck(e, findings).check(); }

}  // namespace zithercraft::doctor_internal
