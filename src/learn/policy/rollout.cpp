#include "learn/policy/rollout.hpp"

namespace zithercraft::learn_internal {

Rollout::Rollout(const RolloutSize& size)
    : rows(size.rows),
      horizon(size.horizon),
      input_stride(size.inputs),
      controls(size.controls),
      masks(size.masks),
      memory(size.memory),
      span(size.memory_span),
      value_stride(size.value_inputs),
      credit_stride(size.credit_inputs),
      inputs(samples() * input_stride),
      value_inputs(samples() * value_stride),
      credit_inputs(samples() * credit_stride),
      actions(samples() * controls),
      allowed(samples() * masks),
      log_probability(samples()),
      reward(samples()),
      value(samples()),
      expected(credit_stride > 0 ? samples() : 0),
      next_value(samples()),
      ended(samples()),
      begins(samples()),
      advantage(samples()),
      target(samples()),
      presence(samples()),
      counts(samples()),
      remembered(spans() * rows * memory) {}

void estimate_advantages(Rollout& r, const GroupSamples& samples, double discount,
                         double trace_decay, bool baseline) {
  const auto gamma = static_cast<float>(discount), lambda = static_cast<float>(trace_decay);
  for (std::size_t row = 0; row < samples.rows; ++row) {
    float later = 0.0f;
    bool absent_then = false;
    bool known = baseline;  // without a baseline nothing stands for what comes behind the rollout
    for (std::size_t t = r.horizon; t-- > 0;) {
      const std::size_t s = samples.sample(t, row);
      const bool ended = r.ended[s] != 0;
      known = known || ended;
      const float value = baseline ? r.value[s] : 0.0f, next = baseline ? r.next_value[s] : 0.0f;
      const float surprise = r.reward[s] + gamma * next - value;
      later = surprise + (ended ? 0.0f : gamma * (absent_then ? 1.0f : lambda) * later);
      r.advantage[s] = later;
      r.target[s] = later + value;
      absent_then = r.presence[s] == out_of_arena;
      r.counts[s] = !known || r.presence[s] == past_plays ? learns_nothing
                    : absent_then                         ? learns_value
                                                          : learns_value | learns_policy;
    }
  }
}

}  // namespace zithercraft::learn_internal
