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
      teacher(size.advised ? samples() * controls : 0),
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

namespace {

// What a step of a row came to. The answer to a step may come while its lane idles.
struct Answer {
  float reward = 0.0f, next_value = 0.0f;
  bool ended = false;
};

}  // namespace

void estimate_advantages(Rollout& r, const GroupSamples& samples, double discount,
                         double trace_decay, bool baseline) {
  const auto gamma = static_cast<float>(discount), lambda = static_cast<float>(trace_decay);
  for (std::size_t row = 0; row < samples.rows; ++row) {
    float later = 0.0f;
    bool absent_then = false, idle_then = false;
    bool known = baseline;  // without a baseline nothing stands for what comes behind the rollout
    Answer late;            // of the first of the idle steps that follow
    for (std::size_t t = r.horizon; t-- > 0;) {
      const std::size_t s = samples.sample(t, row);
      Answer answer{r.reward[s], r.next_value[s], r.ended[s] != 0};
      if (idle_then && !answer.ended) answer = late;
      idle_then = r.presence[s] == idles;
      if (idle_then || r.presence[s] == was_lost) {
        late = answer;
        if (r.presence[s] == was_lost) later = 0.0f;
        r.advantage[s] = 0.0f;
        r.target[s] = r.value[s];
        r.counts[s] = learns_nothing;
        continue;
      }
      known = known || answer.ended;
      const float value = baseline ? r.value[s] : 0.0f, next = baseline ? answer.next_value : 0.0f;
      const float surprise = answer.reward + gamma * next - value;
      later = surprise + (answer.ended ? 0.0f : gamma * (absent_then ? 1.0f : lambda) * later);
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
