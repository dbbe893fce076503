#include "learn/play/training_metrics.hpp"

namespace zithercraft::learn_internal {

void add_times(const PhaseTimes& times, std::vector<Metric>& metrics) {
  metrics.insert(metrics.end(), {{"play_seconds", times.play},
                                 {"decide_seconds", times.decide},
                                 {"learn_seconds", times.learn},
                                 {"optimise_seconds", times.optimise}});
}

void add_roster(const RosterReport& roster, double past_share, std::vector<Metric>& metrics) {
  metrics.insert(metrics.end(), {{"rating", roster.rating.points},
                                 {"rating_standard_error", roster.rating.standard_error},
                                 {"past_policies", static_cast<double>(roster.past.size())},
                                 {"past_share", past_share},
                                 {"forgotten", static_cast<double>(roster.forgotten.size())},
                                 {"cycles", static_cast<double>(roster.cycles.size())}});
}

std::vector<MetricInfo> training_infos() {
  return {{"play_seconds", "s", "playing (ticks, senses)", time_chart},
          {"decide_seconds", "s", "deciding while playing", time_chart},
          {"learn_seconds", "s", "learning (gradients)", time_chart},
          {"optimise_seconds", "s", "stepping (optimiser)", time_chart},
          {"rating", "points", "of opposed sides against their past policies", "rating"},
          {"rating_standard_error", "points", "standard error of the rating", "rating",
           Drawn::standard_error},
          {"past_policies", "", "in the roster", ""},
          {"past_share", "", "of the lanes' steps in which a past policy played", ""},
          {"forgotten", "", "past policies that beat the present one", "forgotten"},
          {"cycles", "", "of three policies each of which beats the next", "forgotten"}};
}

std::vector<ChartInfo> roster_charts() {
  return {
      {.name = "rating", .title = "Rating against past policies, points, with its 95% interval"},
      {.name = "forgotten",
       .title = "Past policies that beat the present one, and cycles of three",
       .least = 0.0}};
}

}  // namespace zithercraft::learn_internal
