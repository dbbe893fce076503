#pragma once

#include <functional>
#include <limits>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/learn/learner.hpp"

namespace zithercraft {

/// How a metric is drawn in its chart.
enum class Drawn : std::uint8_t {
  line,
  lower,          ///< the lower edge of a band
  upper,          ///< the upper edge of the band whose lower edge is the metric before it
  standard_error  ///< of the metric before it, which gets a 95% interval
};

/// A number that updates bring, as metrics, charts and monitoring programs need to know it.
struct MetricInfo {
  std::string name{};         ///< as a column: small letters, digits and underscores
  std::string unit{};         ///< "nats", "s"; empty for none
  std::string about{};        ///< one line for people
  std::string chart{};        ///< the name of the chart that draws it; empty for none
  Drawn drawn = Drawn::line;  ///< how its chart draws it
  /// of each part of what learns; drawn as one band for each, stacked
  bool of_parts = false;
};

/// A chart of metrics over the steps of a training.
struct ChartInfo {
  std::string name{};                                       ///< unique among charts
  std::string title{};                                      ///< over the chart
  double least = -std::numeric_limits<double>::infinity();  ///< of the axis, if it is given
  /// Its highest value; infinite if it has none.
  double most = std::numeric_limits<double>::infinity();
  bool live = false;  ///< also drawn while the training goes on
};

/// Metrics of this chart are seconds of all threads that went into one phase of an update each.
inline constexpr const char* time_chart = "time";

/// What a training makes of its teachers.
struct TeacherUse {
  bool demonstrations = false;  ///< it learns from episodes that they played before
  bool asked = false;           ///< one of them is asked at every step what it would do
  bool sampled = false;         ///< a trained one that is asked draws its controls
  bool needed = false;          ///< there is nothing to learn without them
  /// share of steps in which what they do in demonstrations is disturbed
  double disturbance = 0.0;
};

/// A method of learning, as everything outside it knows it. What is not said here, nobody asks.
struct LearningMethod {
  std::string name{};      ///< "ppo"
  std::string about{};     ///< one line for people
  std::string controls{};  ///< which controls it takes, in words
  std::string senses{};    ///< which senses it takes, in words
  /// The usual ones; their method is `name`.
  LearnerSettings settings{};
  bool generations = false;     ///< updates are generations, which a training can be counted in
  bool custom_fitness = false;  ///< takes one, see LearnerContext
  bool role_settings = false;   ///< roles may have settings of their own
  std::vector<MetricInfo> metrics{};  ///< of updates, beside those that all methods have
  std::vector<ChartInfo> charts{};    ///< in their order
  /// What to change if what had been learned was lost again, and if learning stands still.
  std::string against_collapse{}, against_plateau{};
  /// What a training by these settings makes of teachers; empty if it never takes any.
  std::function<TeacherUse(const LearnerSettings&)> teachers{};
  /// Settings with a value for each that follows from the game and the length of the training
  /// where it is not set; empty if all have one anyway.
  std::function<LearnerSettings(const LearnerSettings&, const Game&, Budget,
                                std::span<const RolePlayer>)>
      settle{};
  /// What is worth telling before a training begins, line by line: how much memory it takes, or how
  /// large it may become. Empty if there is nothing. Throws as `make` does.
  std::function<std::vector<std::string>(const LearnerContext&)> forecast{};
  /// Makes a learner at its beginning.
  std::function<std::unique_ptr<Learner>(LearnerContext)> make{};
};

/// Proximal policy optimisation; see Ppo.
LearningMethod ppo_method();

}  // namespace zithercraft
