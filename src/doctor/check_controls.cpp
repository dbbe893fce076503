#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <cstring>

#include "doctor/checks.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::doctor_internal {
namespace {

constexpr std::size_t moments = 160;  // of random play from which controls are tried
constexpr int steps_tried = 6;        // for an effect to show

// Tries each value of a control from moments of random play, everything else being the same.
class Bench {
 public:
  Bench(const Examined& e, std::size_t role)
      : e_(e), role_(role), lanes_(e.game, 1), attempt_(e.game, 1) {
    for (const StateField& field : e.game.arena().state_fields())
      if (field.name != "inputs" && field.name != "seed" &&
          field.name != "lane_episode_tick_variant")
        compared_.push_back(field);
    collect();
  }

  std::size_t count() const { return snapshots_.size(); }

  struct Outcomes {
    std::size_t differs = 0;  // moments at which it makes a difference to what rest leads to
    std::size_t ends = 0;     // at which it ends the episode within a step, and rest does not
  };
  Outcomes compare(std::size_t control, float value, float rest) {
    Outcomes sums;
    for (std::size_t i = 0; i < snapshots_.size(); ++i) {
      const Result one = play(i, control, value), other = play(i, control, rest);
      sums.differs += one.state != other.state ? 1u : 0u;
      sums.ends += one.ended_badly && !other.ended_badly ? 1u : 0u;
    }
    return sums;
  }

 private:
  struct Result {
    std::vector<std::byte> state;
    bool ended_badly = false;
  };

  void collect() {
    const auto random = random_player(e_.options.seed + 1);
    const std::size_t every = 5;
    for (std::uint32_t episode = 0; snapshots_.size() < moments && episode < moments; ++episode) {
      lanes_.begin(0, {e_.options.seed, 3, episode});
      for (std::size_t d = 0; lanes_.outcome(0) == Outcome::running && d < 12 * every; ++d) {
        if (d % every == 0 && present())
          snapshots_.emplace_back(lanes_.state(0).begin(), lanes_.state(0).end());
        for (std::size_t r = 0; r < e_.game.roles().size(); ++r) random->decide(lanes_, r, 0, 1);
        lanes_.step(0);
      }
    }
    if (snapshots_.size() > moments) snapshots_.resize(moments);
  }
  bool present() const { return SeatView(lanes_, 0, role_, 0).present(); }

  Result play(std::size_t moment, std::size_t control, float value) {
    attempt_.restore(0, snapshots_[moment]);
    Result result;
    for (int d = 0; d < steps_tried && attempt_.outcome(0) == Outcome::running; ++d) {
      for (std::size_t r = 0; r < e_.game.roles().size(); ++r)
        for (std::size_t row = 0; row < attempt_.rows(r); ++row) {
          const auto& rest = e_.game.roles()[r].rest;
          std::copy(rest.begin(), rest.end(), attempt_.control(r, row).begin());
        }
      // Some inputs matter only together with others: a rudder needs way, an aim a shot. So dials
      // are turned up, and at every other moment choices are made.
      const auto own = attempt_.control(role_, 0);
      for (std::size_t c = 0; c < own.size(); ++c) {
        const ControlInfo& info = e_.game.roles()[role_].controls[c];
        if (!info.is_choice()) own[c] = static_cast<float>(info.high);
        if (info.is_choice() && moment % 2 == 1)
          own[c] = static_cast<float>((moment / 2 + c) % info.options.size());
      }
      own[control] = value;
      attempt_.step(0);
      if (d <= 1) {  // some deaths show only a tick later
        const bool left = !SeatView(attempt_, 0, role_, 0).present();
        result.ended_badly = left || attempt_.outcome(0) == Outcome::failure;
      }
    }
    const std::byte* state = attempt_.arena_state(0);
    for (const StateField& field : compared_) {
      const std::size_t size = field.type == "u8" ? 1 : field.type == "u64" ? 8 : 4;
      result.state.insert(result.state.end(), state + field.offset,
                          state + field.offset + field.count * size);
    }
    return result;
  }

  const Examined& e_;
  std::size_t role_;
  Lanes lanes_, attempt_;
  std::vector<StateField> compared_;
  std::vector<std::vector<std::byte>> snapshots_;
};

class ControlChecks {
 public:
  ControlChecks(const Examined& e, std::size_t role, Findings& findings)
      : e_(e), role_(role), spec_(e.game.roles()[role]), bench_(e, role), findings_(findings) {}

  void check() {
    if (bench_.count() == 0) return;
    for (std::size_t c = 0; c < spec_.controls.size(); ++c)
      spec_.controls[c].is_choice() ? check_choice(c) : check_dial(c);
    check_forbidden();
    check_headings();
  }

 private:
  void add(Severity severity, const char* check, const std::string& subject, std::string what,
           std::string evidence, std::string fix) {
    findings_.push_back({severity, check, role_name(e_.game, role_) + ", " + subject,
                         std::move(what), std::move(evidence), std::move(fix)});
  }

  void check_dial(std::size_t c) {
    const ControlInfo& dial = spec_.controls[c];
    const auto low = bench_.compare(c, static_cast<float>(dial.low), spec_.rest[c]);
    const auto high = bench_.compare(c, static_cast<float>(dial.high), spec_.rest[c]);
    const std::string subject = "control '" + dial.name + "'";
    if (low.differs + high.differs == 0) report_dead(subject);
    report_deadly(subject + " at its lowest", low.ends);
    report_deadly(subject + " at its highest", high.ends);
  }

  void check_choice(std::size_t c) {
    const ControlInfo& choice = spec_.controls[c];
    std::size_t effects = 0;
    std::vector<std::string> dead;
    for (std::size_t option = 0; option < choice.options.size(); ++option) {
      const auto value = static_cast<float>(option);
      if (value == spec_.rest[c]) continue;
      const auto found = bench_.compare(c, value, spec_.rest[c]);
      effects += found.differs;
      const std::string subject =
          "control '" + choice.name + "', option '" + choice.options[option] + "'";
      if (found.differs == 0) dead.push_back(subject);
      report_deadly(subject, found.ends);
    }
    if (effects == 0) return report_dead("control '" + choice.name + "'");
    for (const auto& subject : dead) report_dead(subject);
  }

  void report_dead(const std::string& subject) {
    add(Severity::error, "dead control", subject, "has no effect on the arena",
        fmt::format("tried from {} moments of random play for {} steps each, and nothing ever "
                    "differed from leaving "
                    "it at rest",
                    bench_.count(), steps_tried),
        "check which input it drives and what the body's mover does with it");
  }

  void report_deadly(const std::string& subject, std::size_t ends) {
    const double share = static_cast<double>(ends) / static_cast<double>(bench_.count());
    if (share < 0.25) return;
    add(share > 0.75 ? Severity::error : Severity::warning, "deadly control", subject,
        "ends the episode at once",
        fmt::format(
            "at {} of {} moments of random play it failed or killed the agent, and rest did "
            "not",
            percent(share), bench_.count()),
        "prefer moves relative to the heading, forbid the option while it is fatal "
        "(`allowed_when`), or add hazard flags");
  }

  void check_forbidden() {
    std::size_t rows = 0;
    for (const Survey& survey : e_.surveys) rows += survey.roles[role_].rows;
    for (std::size_t c = 0; c < spec_.columns.size(); ++c) {
      if (spec_.columns[c].unit != mask_unit) continue;
      std::size_t forbidden = 0;
      for (const Survey& survey : e_.surveys) forbidden += survey.roles[role_].forbidden[c];
      if (rows > 0 && forbidden == rows)
        add(Severity::warning, "option never allowed", "column '" + spec_.columns[c].name + "'",
            "the option was never allowed", fmt::format("forbidden in all {} steps", rows),
            "check what it needs");
    }
  }

  // How far a control turns and moves the body, in its own frame, must not depend on the heading it
  // has. What rest does at that heading is taken away: a current drifts the body anyway.
  void check_headings() {
    const Arena& arena = e_.game.arena();
    if (arena.has_height() || !e_.game.spec().arena.rivers.empty()) return;
    Lanes lanes(e_.game, 1);
    const EntityId body = spec_.seats.front();
    // On a rail its place decides where it looks, and cannot be tried with another heading.
    const auto& mover = e_.game.spec().arena.bodies[arena.entity(body).spec_index].mover;
    if (mover && std::holds_alternative<Rail>(*mover)) return;
    if (!heading_changes(lanes, body)) return;
    for (std::size_t c = 0; c < spec_.controls.size(); ++c) {
      const ControlInfo& info = spec_.controls[c];
      const std::size_t values = info.is_choice() ? info.options.size() : 2;
      for (std::size_t v = 0; v < values; ++v) {
        const float value = info.is_choice() ? static_cast<float>(v)
                                             : static_cast<float>(v == 0 ? info.low : info.high);
        std::vector<Move> moved;
        for (std::uint32_t start = 0; start < 12; ++start)
          for (int quarter = 0; quarter < 4; ++quarter)
            if (const auto move = try_at(lanes, body, c, value, start, quarter))
              if (const auto rest = try_at(lanes, body, c, spec_.rest[c], start, quarter))
                moved.push_back(
                    {move->ahead - rest->ahead, move->left - rest->left, move->turn - rest->turn});
        judge_moves(info, v, moved);
      }
    }
  }

  // Whether starts or random play ever bring the body to another heading.
  bool heading_changes(Lanes& lanes, EntityId body) {
    constexpr std::uint32_t episodes = 12;
    constexpr int steps = 60;
    constexpr double other = 0.05;  // radians
    const auto random = random_player(e_.options.seed + 2);
    lanes.begin(0, {e_.options.seed, 5, 0});
    const double first = static_cast<double>(lanes.view(0).pose(body).heading);
    for (std::uint32_t start = 0; start < episodes; ++start) {
      lanes.begin(0, {e_.options.seed, 5, start});
      for (int d = 0; d < steps && lanes.outcome(0) == Outcome::running; ++d) {
        const double now = static_cast<double>(lanes.view(0).pose(body).heading);
        if (std::fabs(std::remainder(now - first, 6.283185307179586)) > other) return true;
        for (std::size_t r = 0; r < e_.game.roles().size(); ++r) random->decide(lanes, r, 0, 1);
        lanes.step(0);
      }
    }
    return false;
  }

  struct Move {
    double ahead, left, turn;
  };
  // A move in the own frame, unless something was touched on the way.
  std::optional<Move> try_at(Lanes& lanes, EntityId body, std::size_t control, float value,
                             std::uint32_t start, int quarter) {
    const Arena& arena = e_.game.arena();
    lanes.begin(0, {e_.options.seed, 5, start});
    const Pose before = lanes.view(0).pose(body);
    constexpr double right_angle = 1.5707963267948966;
    // A hair before the end of the range, so that turns cross it.
    const double heading =
        quarter * right_angle - (e_.game.arena().cell_columns() > 0 ? 0.0 : 0.01);
    arena.put(lanes.arena_state(0), body, before.x, before.y, heading, before.z);
    for (std::size_t r = 0; r < e_.game.roles().size(); ++r)
      for (std::size_t row = 0; row < lanes.rows(r); ++row)
        std::copy(e_.game.roles()[r].rest.begin(), e_.game.roles()[r].rest.end(),
                  lanes.control(r, row).begin());
    lanes.control(role_, 0)[control] = value;
    lanes.step(0);
    for (const Event& event : lanes.events(0))
      if (event.kind == EventKind::touch || event.kind == EventKind::die) return std::nullopt;
    if (!lanes.view(0).present(body)) return std::nullopt;
    const Pose after = lanes.view(0).pose(body);
    const double x = after.x - before.x, y = after.y - before.y, cos = std::cos(heading),
                 sin = std::sin(heading);
    return Move{cos * x + sin * y, cos * y - sin * x,
                std::remainder(static_cast<double>(after.heading) - heading, 4.0 * right_angle)};
  }

  void judge_moves(const ControlInfo& info, std::size_t value, const std::vector<Move>& moved) {
    if (moved.size() < 8) return;
    const auto range = [&](auto part) {
      const auto [low, high] =
          std::minmax_element(moved.begin(), moved.end(),
                              [&](const Move& a, const Move& b) { return part(a) < part(b); });
      return std::pair(part(*low), part(*high));
    };
    const auto ahead = range([](const Move&m) { return m.ahead; }),
               left = range([](const Move&m) { return m.left; }),
               turn = range([](const Move&m) { return m.turn; });
    const double moves = std::max(ahead.second - ahead.first, left.second - left.first);
    const double size = std::max({std::fabs(ahead.first), std::fabs(ahead.second),
                                  std::fabs(left.first), std::fabs(left.second), 1e-3});
    const bool turns_differ = turn.second - turn.first > 0.35,
               moves_differ = moves > 0.5 * size && moves > 0.02;
    if (!turns_differ && !moves_differ) return;
    const auto& senses = e_.game.spec().roles[role_].senses;
    const bool knows = std::any_of(senses.begin(), senses.end(), [](const Sense& sense) {
      const auto* own = std::get_if<OwnState>(&sense);
      return std::holds_alternative<CustomSense>(sense) ||
             (own != nullptr && (own->heading || own->quarter));
    });
    const std::string subject = "control '" + info.name + "'" +
                                (info.is_choice() ? ", option '" + info.options[value] + "'" : "");
    constexpr double degrees = 57.29577951308232;
    add(knows ? Severity::note : Severity::error, "control differs by heading", subject,
        knows ? "means another move at another heading, which the role senses"
              : "means another move at another heading, and the role does not sense its heading",
        fmt::format("from equal starts at four headings it moved {:.2f} to {:.2f} m farther ahead "
                    "than rest and {:.2f} to {:.2f} m farther to the left, and turned by {:.0f} to "
                    "{:.0f} degrees",
                    ahead.first, ahead.second, left.first, left.second, degrees * turn.first,
                    degrees * turn.second),
        "drive inputs of the own frame (ahead, left, turn), or sense the heading with `own_state`");
  }

  const Examined& e_;
  std::size_t role_;
  const Role& spec_;
  Bench bench_;
  Findings& findings_;
};

}  // namespace

void check_controls(const Examined& e, Findings& findings) {
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) ControlChecks(e, r, findings).check();
}

}  // namespace zithercraft::doctor_internal
