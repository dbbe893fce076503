#include "rollout.hpp"

namespace zithercraft {

Rollout::Rollout(std::size_t rows_, std::size_t horizon_, std::size_t columns_, std::size_t controls_)
    : rows(rows_),
      horizon(horizon_),
      columns(columns_),
      controls(controls_),
      raw(samples() * columns),
      inputs(samples() * columns),
      decisions(samples() * controls),
      log_probability(samples()),
      reward(samples()),
      value(samples()),
      next_value(samples()),
      ended(samples()),
      advantage(samples()),
      target(samples()) {}

void estimate_advantages(Rollout& r, const Group& group, double discount, double trace_decay) {
  const auto gamma = static_cast<float>(discount), lambda = static_cast<float>(trace_decay);
  for (std::size_t row = 0; row < group.rows; ++row) {
    float later = 0.0f;
    for (std::size_t t = r.horizon; t-- > 0;) {
      const std::size_t s = group.sample(r.horizon, t, row);
      const float surprise = r.reward[s] + gamma * r.next_value[s] - r.value[s];
      later = surprise + (r.ended[s] != 0 ? 0.0f : gamma * lambda * later);
      r.advantage[s] = later;
      r.target[s] = later + r.value[s];
    }
  }
}

}  // namespace zithercraft
