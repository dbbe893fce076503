#include "learn/ppo/ppo_metrics.hpp"

namespace zithercraft::learn_internal {

std::vector<Metric> metrics_of(const PolicyGradientReport& r) {
  return {{"policy_loss", r.policy_loss},
          {"value_loss", r.value_loss},
          {"credit_loss", r.credit_loss},
          {"entropy", r.entropy},
          {"kl", r.kl},
          {"clip_share", r.clip_share},
          {"explained_variance", r.explained_variance},
          {"gradient_norm", r.gradient_norm},
          {"value_gradient_norm", r.value_gradient_norm},
          {"learning_rate", r.learning_rate},
          {"dial_stddev", r.stddev}};
}

void add_times(PhaseTimes times, const std::vector<PolicyGradientReport>& improvements,
               std::vector<Metric>& metrics) {
  for (const PolicyGradientReport& improvement : improvements) times += improvement.times;
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

}  // namespace zithercraft::learn_internal
