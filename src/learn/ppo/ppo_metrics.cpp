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
          {"dial_stddev", r.stddev},
          {"teacher_loss", r.teacher_loss}};
}

}  // namespace zithercraft::learn_internal
