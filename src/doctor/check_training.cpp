#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "doctor/checks.hpp"

namespace zithercraft::doctor_internal {
namespace {

// A training's curve in a few dozen points, each the mean over its share of the updates.
struct CurvePoint {
  std::int64_t steps = 0;
  double success = 0.0, episode_return = 0.0, entropy = 0.0, explained = 0.0;
  std::size_t stage = 0;
  bool episodes = false;
};

std::vector<CurvePoint> thinned(const std::vector<MetricsRow>& rows) {
  constexpr std::size_t points = 40;
  std::vector<CurvePoint> list;
  const std::size_t n = std::min(points, rows.size());
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t first = k * rows.size() / n, stop = (k + 1) * rows.size() / n;
    CurvePoint p;
    double ended = 0.0;
    for (std::size_t i = first; i < stop; ++i) {
      const double weight = static_cast<double>(rows[i].episodes),
                   share = 1.0 / static_cast<double>(stop - first);
      p.success += weight * rows[i].success;
      p.episode_return += weight * rows[i].mean_return;
      ended += weight;
      p.entropy += share * rows[i].of_learner("entropy").value_or(0.0);
      p.explained += share * rows[i].of_learner("explained_variance").value_or(0.0);
    }
    if (ended > 0.0) {
      p.success /= ended;
      p.episode_return /= ended;
      p.episodes = true;
    }
    p.steps = rows[first].steps;
    p.stage = rows[stop - 1].stage;
    list.push_back(p);
  }
  return list;
}

class TrainingChecks {
 public:
  TrainingChecks(const Game& game, const LearningMethod& method,
                 const std::vector<MetricsRow>& rows, Findings& findings)
      : game_(game), method_(method), rows_(rows), points_(thinned(rows)), findings_(findings) {
    for (const CurvePoint& p : points_)
      if (p.episodes && p.stage == points_.back().stage) stage_.push_back(p);
  }

  void check() {
    if (stage_.size() < 10) return;
    // Whose opponents grow with it does not win more and more often.
    if (last("past_policies") > 0.0) {
      check_roster();
    } else {
      check_collapse();
      check_plateau();
      if (knows("entropy")) check_entropy();
    }
    if (knows("species")) check_species();
    if (knows("diversity")) check_diversity();
    if (knows("explained_variance")) check_value();
    if (points_.back().stage + 1 < game_.stages())
      add(Severity::warning, "stage not left",
          fmt::format("stage '{}'", game_.stage_name(points_.back().stage)),
          "the training ended before the game itself was played",
          fmt::format("it ended on stage {} of {}", points_.back().stage + 1, game_.stages()),
          "train longer, or let the stage advance earlier", points_.back().steps);
  }

 private:
  // Of what the method reports, at the end.
  bool knows(const char* metric) const { return rows_.back().of_learner(metric).has_value(); }
  double last(const char* metric) const { return rows_.back().of_learner(metric).value_or(0.0); }

  void add(Severity severity, const char* check, std::string subject, std::string what,
           std::string evidence, std::string fix, std::int64_t began) {
    findings_.push_back({severity, check, std::move(subject), std::move(what), std::move(evidence),
                         std::move(fix), began});
  }

  static std::pair<double, double> range(const std::vector<CurvePoint>& points,
                                         double CurvePoint::*value) {
    double low = points.front().*value, high = low;
    for (const CurvePoint& p : points) {
      low = std::min(low, p.*value);
      high = std::max(high, p.*value);
    }
    return {low, high};
  }

  // Fell by a third of all it had gained, and stayed there.
  void check_collapse() {
    const auto [low, high] = range(stage_, &CurvePoint::episode_return);
    const auto best = std::max_element(stage_.begin(), stage_.end(),
                                       [](const CurvePoint& a, const CurvePoint& b) {
                                         return a.episode_return < b.episode_return;
                                       });
    const double last =
        0.5 * (stage_[stage_.size() - 1].episode_return + stage_[stage_.size() - 2].episode_return);
    collapsed_ = stage_.end() - best > 4 && high - last > (high - low) / 3.0 && high > low + 1e-9;
    if (collapsed_)
      add(Severity::error, "collapse", "training", "what had been learned was lost again",
          fmt::format("the return rose to {:.3g} and ended at {:.3g}", best->episode_return, last),
          method_.against_collapse, best->steps);
  }

  void check_plateau() {
    const auto [low, high] = range(stage_, &CurvePoint::episode_return);
    const double success = stage_.back().success;
    if (collapsed_ || success > 0.9) return;
    // From where on it stayed within a twentieth of its whole gain.
    std::size_t began = stage_.size() - 1;
    double top = stage_.back().episode_return, bottom = top;
    while (began > 0) {
      top = std::max(top, stage_[began - 1].episode_return);
      bottom = std::min(bottom, stage_[began - 1].episode_return);
      if (top - bottom > std::max(0.15 * (high - low), 1e-9)) break;
      --began;
    }
    if (stage_.size() - began < stage_.size() * 2 / 5) return;
    add(Severity::warning, "plateau", "training", "learning reached a plateau before success",
        fmt::format("the return stayed between {:.3g} and {:.3g}, with success in {} of episodes",
                    bottom, top, percent(success)),
        "see the other findings for what it cannot see or reach; then " + method_.against_plateau,
        stage_[began].steps);
  }

  void check_entropy() {
    const auto [low, high] = range(points_, &CurvePoint::entropy);
    std::size_t dials = 0;
    double most = 0.0;  // of choices
    for (const ControlInfo& control : game_.roles()[0].controls) {
      if (control.is_choice()) {
        most += std::log(static_cast<double>(control.options.size()));
      } else {
        ++dials;
      }
    }
    // A dial that is certain to a thousandth of its range has about this entropy.
    const double floor = 0.01 * most - 5.5 * static_cast<double>(dials);
    const auto gone = std::find_if(points_.begin(), points_.end(),
                                   [&](const CurvePoint& p) { return p.entropy < floor; });
    if (gone == points_.end() ||
        gone - points_.begin() > static_cast<std::ptrdiff_t>(points_.size() * 3 / 4) ||
        stage_.back().success > 0.5)
      return;
    add(Severity::warning, "entropy gone", "training",
        "the policy grew certain of itself before it succeeded",
        fmt::format("entropy fell from {:.3g} to {:.3g} nats, with success in {} of episodes", high,
                    low, percent(stage_.back().success)),
        "raise `entropy_weight`, or let it fade later", gone->steps);
  }

  void check_value() {
    const std::vector<CurvePoint> late(
        points_.begin() + static_cast<std::ptrdiff_t>(points_.size() / 2), points_.end());
    const auto [low, high] = range(late, &CurvePoint::explained);
    if (high > 0.1) return;
    add(Severity::warning, "value explains nothing", "training",
        "the value network never came to foresee the returns",
        fmt::format("it explained {} of their variance at best in the second half",
                    percent(std::max(0.0, high))),
        "check that what decides returns is sensed; lower the discount if rewards lie far apart",
        late.front().steps);
  }

  // Whether anything new is spared until it is good.
  void check_species() {
    const std::size_t first = rows_.size() * 4 / 5;
    const auto alone =
        std::count_if(rows_.begin() + static_cast<std::ptrdiff_t>(first), rows_.end(),
                      [](const MetricsRow& row) { return row.of_learner("species") == 1.0; });
    if (2 * static_cast<std::size_t>(alone) > rows_.size() - first)
      add(Severity::warning, "one species", "training",
          "one species is left, so that nothing new is spared until it is good",
          fmt::format("in {} of the last {} generations", alone, rows_.size() - first),
          "lower `species_distance`, or raise `species_wanted` and `young`", rows_[first].steps);
  }

  // Whether there is anything left to select from.
  void check_diversity() {
    const double begun = rows_.front().of_learner("diversity").value_or(0.0),
                 left = last("diversity");
    if (left < 0.02 * begun && stage_.back().success <= 0.9)
      add(Severity::warning, "diversity gone", "training",
          "the individuals have become alike before they succeeded",
          fmt::format(
              "their mean distance fell from {:.3g} to {:.3g}, with success in {} of episodes",
              begun, left, percent(stage_.back().success)),
          "raise `last_mutation_strength` or `parents`, or give `novelty` some weight",
          rows_[rows_.size() * 4 / 5].steps);
  }

  // Where most updates of the last fifth say so, it is no passing thing.
  void check_roster() {
    const std::size_t first = rows_.size() * 4 / 5;
    const auto lately = [&](const char* count) {
      const auto says = std::count_if(
          rows_.begin() + static_cast<std::ptrdiff_t>(first), rows_.end(),
          [&](const MetricsRow& row) { return row.of_learner(count).value_or(0.0) > 0.0; });
      return 2 * static_cast<std::size_t>(says) > rows_.size() - first;
    };
    if (lately("forgotten"))
      add(Severity::warning, "forgetting", "training", "past policies beat the present one",
          fmt::format("{} of {} past policies at the end; the rating is {:.0f} points",
                      last("forgotten"), last("past_policies"), last("rating")),
          "raise `against_hardest` or `against_past`, or lower the learning rate",
          rows_[first].steps);
    if (lately("cycles"))
      add(Severity::warning, "cycles", "training",
          "policies beat each other in turn, so that nobody gets stronger",
          fmt::format("{} cycles of three at the end", last("cycles")),
          "raise `against_past`, keep more past policies by `roster_size`, lower the learning "
          "rate, "
          "or play as the mixture of all (`--as mixture`)",
          rows_[first].steps);
  }

  const Game& game_;
  const LearningMethod& method_;
  const std::vector<MetricsRow>& rows_;
  std::vector<CurvePoint> points_, stage_;  // all; those of the last stage
  Findings& findings_;
  bool collapsed_ = false;
};

}  // namespace

void check_training(const Game& game, const LearningMethod& method,
                    const std::vector<MetricsRow>& rows, Findings& findings) {
  TrainingChecks(game, method, rows, findings).check();
}

}  // namespace zithercraft::doctor_internal
