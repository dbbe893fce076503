#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <limits>
#include <optional>

#include "match/scripts.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"

// Simple scripts for cells: one step towards the target where the window shows a free cell, now and
// then a random one, so that they do not stay at a wall for ever.

namespace zithercraft::match_internal {
namespace {

struct Step {
  int ahead = 0, left = 0;
};

struct Plan {
  std::vector<std::size_t> compasses;  // first columns, in their order
  std::string meter;                   // the first that gauges show
  std::size_t window = 0, tags = 0, wide = 0, far = 0, to_left = 0;
  int high = 0;
  std::vector<std::size_t> blocking;       // tags of the window that nobody walks onto
  std::vector<std::size_t> helping;        // those of cells that fill the first meter
  std::size_t choice = 0;                  // the control that moves it
  std::vector<std::optional<Step>> steps;  // per option
};

class Finder {
 public:
  Finder(std::string script, const Game& game, std::size_t role)
      : script_(std::move(script)),
        game_(game),
        spec_(game.spec().roles[role]),
        role_(game.roles()[role]) {}

  Plan find() const {
    const auto* window = sense_of<Window>(spec_);
    Plan plan;
    for (const Sense& sense : spec_.senses)
      if (const auto* compass = std::get_if<Compass>(&sense))
        plan.compasses.push_back(column_of(role_, compass->name, "ahead"));
    if (plan.compasses.empty() || window == nullptr || window->ahead < 1 || window->behind < 1 ||
        window->left < 1 || window->right < 1)
      lacks("a compass and a window of a cell or more to each side");
    plan.tags = window->sees.size();
    plan.wide = static_cast<std::size_t>(window->left + 1 + window->right);
    plan.far = static_cast<std::size_t>(window->ahead);
    plan.high = static_cast<int>(window->ahead + 1 + window->behind);
    plan.to_left = static_cast<std::size_t>(window->left);
    plan.window = column_of(role_, window->name, seen_quantity);
    for (std::size_t t = 0; t < plan.tags; ++t)
      if (blocks(window->sees[t])) plan.blocking.push_back(t);
    find_moves(plan);
    const auto meters = game_.arena().meters_of(role_.seats.front());
    if (!meters.empty()) plan.meter = meters.front();
    for (std::size_t t = 0; t < plan.tags && !meters.empty(); ++t)
      if (helps(window->sees[t], plan.meter)) plan.helping.push_back(t);
    return plan;
  }

  [[noreturn]] void lacks(const std::string& what) const {
    match_internal::lacks(script_, role_, what);
  }

 private:
  // The first choice with options that step; other controls stay as they rest.
  void find_moves(Plan& plan) const {
    for (std::size_t c = 0; c < spec_.controls.size(); ++c) {
      const auto* choice = std::get_if<Choice>(&spec_.controls[c]);
      if (choice == nullptr) continue;
      plan.choice = c;
      plan.steps.clear();
      for (const Option& option : choice->options) plan.steps.push_back(step_of(option));
      if (std::any_of(plan.steps.begin(), plan.steps.end(),
                      [](const auto& step) { return step.has_value(); }))
        return;
    }
    lacks("a choice of moves whose options set `ahead` or `left`");
  }
  bool blocks(const std::string& tag) const {
    for (const BodySpec& body : game_.spec().arena.bodies)
      if ((body.tag.empty() ? body.name : body.tag) == tag) return true;
    for (const CellKind& kind : game_.spec().arena.cells->kinds)
      if ((kind.tag.empty() ? kind.name : kind.tag) == tag)
        return kind.solid || !kind.kills.empty();
    return false;
  }
  bool helps(const std::string& tag, const std::string& meter) const {
    const auto& kinds = game_.spec().arena.cells->kinds;
    return std::any_of(kinds.begin(), kinds.end(), [&](const CellKind& kind) {
      return (kind.tag.empty() ? kind.name : kind.tag) == tag &&
             std::any_of(kind.effects.begin(), kind.effects.end(), [&](const Effect& effect) {
               return effect.meter == meter && effect.amount + effect.per_second > 0.0;
             });
    });
  }
  static std::optional<Step> step_of(const Option& option) {
    const auto value = [&](const char* input) {
      const auto found = option.sets.find(input);
      return found == option.sets.end() ? 0
             : found->second > 0.5      ? 1
             : found->second < -0.5     ? -1
                                        : 0;
    };
    Step step{value("ahead"), value("left")};
    if (const int turn = value("turn"); turn != 0 && step.ahead == 1) step = {0, turn};
    return std::abs(step.ahead) + std::abs(step.left) == 1 ? std::optional(step) : std::nullopt;
  }

  std::string script_;
  const Game& game_;
  const RoleSpec& spec_;
  const Role& role_;
};

class Stepping {
 public:
  explicit Stepping(Plan plan) : p_(std::move(plan)) {}

  // Steps to what a compass points at.
  void go(std::size_t compass, const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    step_to(see[compass], see[compass + 1], seat, controls);
  }

  // Steps to the nearest cell in the window that fills the first meter, and stays on it; false if
  // none is there.
  bool go_and_fill(const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    const auto far = static_cast<int>(p_.far), to_left = static_cast<int>(p_.to_left);
    int least = std::numeric_limits<int>::max(), ahead = 0, left = 0;
    for (int row = 0; row < p_.high; ++row)
      for (int column = 0; column < static_cast<int>(p_.wide); ++column) {
        const std::size_t first =
            p_.window +
            (static_cast<std::size_t>(row) * p_.wide + static_cast<std::size_t>(column)) * p_.tags;
        const int away = std::abs(far - row) + std::abs(to_left - column);
        if (away >= least || std::none_of(p_.helping.begin(), p_.helping.end(),
                                          [&](std::size_t t) { return see[first + t] > 0.5f; }))
          continue;
        least = away;
        ahead = far - row;
        left = to_left - column;
      }
    if (least == std::numeric_limits<int>::max()) return false;
    std::copy(seat.role().rest.begin(), seat.role().rest.end(), controls.begin());
    if (least > 0)
      step_to(static_cast<float>(ahead) / static_cast<float>(least),
              static_cast<float>(left) / static_cast<float>(least), seat, controls);
    return true;
  }

  const Plan& plan() const { return p_; }

 private:
  void step_to(float ahead, float left, const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    std::copy(seat.role().rest.begin(), seat.role().rest.end(), controls.begin());
    RandomStream random(0, static_cast<std::uint32_t>(seat.body().number()), seat.steps(),
                        Purpose::user);
    std::size_t best = 0;
    float value = -2.0f;
    for (std::size_t i = 0; i < p_.steps.size(); ++i) {
      float worth = 0.3f * random.uniform() - 1.0f;  // staying
      if (p_.steps[i]) {
        const Step step = *p_.steps[i];
        if (blocked(see, step)) continue;
        worth = static_cast<float>(step.ahead) * ahead + static_cast<float>(step.left) * left +
                0.8f * random.uniform();
      }
      if (worth <= value) continue;
      value = worth;
      best = i;
    }
    // Where there is no way to go and nothing to go for, stay.
    controls[p_.choice] = static_cast<float>(best);
  }

  bool blocked(std::span<const float> see, const Step& step) const {
    const auto row = static_cast<std::size_t>(static_cast<int>(p_.far) - step.ahead);
    const auto column = static_cast<std::size_t>(static_cast<int>(p_.to_left) - step.left);
    const std::size_t first = p_.window + (row * p_.wide + column) * p_.tags;
    return std::any_of(p_.blocking.begin(), p_.blocking.end(),
                       [&](std::size_t t) { return see[first + t] > 0.5f; });
  }

  Plan p_;
};

}  // namespace

Script::Function step_home(const Game& game, std::size_t role) {
  return [stepping = Stepping(Finder("step_home", game, role).find())](const SeatView& seat,
                                                                       std::span<float> controls) {
    stepping.go(stepping.plan().compasses.back(), seat, controls);
  };
}

Script::Function gather_home(const Game& game, std::size_t role) {
  constexpr float enough = 3.0f;
  const Finder finder("gather_home", game, role);
  Plan plan = finder.find();
  if (plan.compasses.size() < 2)
    finder.lacks("two compasses: to what it gathers, then to its home");
  if (plan.meter.empty()) finder.lacks("a meter of what it has gathered");
  return [stepping = Stepping(std::move(plan))](const SeatView& seat, std::span<float> controls) {
    const bool full = seat.meter(stepping.plan().meter) >= enough;
    stepping.go(stepping.plan().compasses[full ? 1 : 0], seat, controls);
  };
}

Script::Function live_on(const Game& game, std::size_t role) {
  constexpr float low = 0.4f, high = 0.9f;  // shares of the first meter: it goes, and it stays
  const Finder finder("live_on", game, role);
  Plan plan = finder.find();
  if (plan.meter.empty() || plan.helping.empty())
    finder.lacks("a meter, and a window that sees cells that fill the first one");
  const auto& meters =
      game.spec()
          .arena.bodies[game.arena().entity(game.roles()[role].seats.front()).spec_index]
          .meters;
  const auto least = static_cast<float>(meters.front().low),
             most = static_cast<float>(meters.front().high);
  return [stepping = Stepping(std::move(plan)), least, most](const SeatView& seat,
                                                             std::span<float> controls) {
    const Plan& p = stepping.plan();
    const float share = (seat.meter(p.meter) - least) / (most - least);
    // On such a cell it stays until it is nearly full.
    const std::size_t own = p.window + (p.far * p.wide + p.to_left) * p.tags;
    const auto see = seat.observation();
    const bool fills = std::any_of(p.helping.begin(), p.helping.end(),
                                   [&](std::size_t t) { return see[own + t] > 0.5f; });
    if (share < (fills ? high : low) && stepping.go_and_fill(seat, controls)) return;
    stepping.go(p.compasses.back(), seat, controls);
  };
}

}  // namespace zithercraft::match_internal
