#include <algorithm>

#include "learn/policy/policy_learner.hpp"

// What was played is valued: by what is sensed, or where networks see others, once everyone has
// decided.

namespace zithercraft::learn_internal {

std::size_t PolicyLearner::number_of(std::size_t role) const {
  return static_cast<std::size_t>(std::find(roles_.begin(), roles_.end(), role) - roles_.begin());
}

void PolicyLearner::show(std::size_t role, std::size_t lane_row, std::span<float> inputs,
                         Room& room) const {
  if (!sees_others()) {
    normaliser_.apply(context_.environment->observation(role, lane_row), inputs);
    return;
  }
  const std::size_t seats = context_.environment->seats(role);
  team_.show(context_, number_of(role), lane_row / seats, lane_row % seats, normaliser_,
             room.team.span());
  std::copy_n(room.team.begin(), team_.value_columns(), inputs.begin());
}

NetworkOutputs<float> PolicyLearner::judge_values(std::span<const float> inputs, std::size_t rows,
                                                  Room& room) const {
  const Sequences<float> all{1, rows, inputs, {}, room.memory.span()};
  if (nets_.shared) return judge_policy(nets_, numbers(), all, room.loss.nets);
  NetworkOutputs<float> outputs;
  judge_value(nets_, numbers(), all, room.loss.nets, outputs);
  return outputs;
}

void PolicyLearner::judge_together(std::size_t group, std::size_t time, std::size_t worker) {
  const GroupSamples& samples = groups_[group];
  if (!sees_others() || samples.rows == 0) return;
  Rollout& r = rollout_;
  Room& room = rooms_[worker];
  const std::size_t first = samples.sample(time, 0);
  for (const RoleRows& role_rows : samples.by_role) {
    const std::size_t seats = context_.environment->seats(role_rows.role),
                      played = number_of(role_rows.role);
    for (std::size_t i = 0; i < role_rows.rows; ++i) {
      const std::size_t sample = first + role_rows.place + i, lane_row = role_rows.first_row + i;
      show(role_rows.role, lane_row,
           r.value_inputs.span().subspan(sample * r.value_stride, r.value_stride), room);
      if (!nets_.credits) continue;
      team_.show_actions(context_, played, lane_row / seats, lane_row % seats, room.team.span());
      std::copy_n(room.team.begin(), team_.credit_columns(),
                  r.credit_inputs.begin() + sample * r.credit_stride);
    }
  }
  team_.note(context_, group);

  const auto inputs = [&](AlignedBuffer<float>& all, std::size_t stride) {
    return std::span<const float>(all.span().subspan(first * stride, samples.rows * stride));
  };
  fetch_memory(samples, room);
  NetworkOutputs<float> outputs =
      judge_values(inputs(r.value_inputs, r.value_stride), samples.rows, room);
  keep_memory(samples, room);
  for (std::size_t row = 0; row < samples.rows; ++row)
    r.value[first + row] = value_scale_.to_value(outputs.value(row));
  if (!nets_.credits) return;
  Sequences<float> rows{1, samples.rows, {}, {}, room.memory.span()};
  rows.credit_inputs = inputs(r.credit_inputs, r.credit_stride);
  judge_credit(nets_, numbers(), rows, room.loss.nets, outputs);
  const std::size_t credits = nets_.credit.outputs();
  for (std::size_t row = 0; row < samples.rows; ++row) {
    const auto of_row = outputs.credits.subspan(row * outputs.credit_stride, credits);
    float mean = credits > 1 ? 0.0f : of_row[0];
    for (std::size_t c = 0; credits > 1 && c < credits; ++c)
      mean += room.probabilities[row * credits + c] * of_row[c];
    r.expected[first + row] = value_scale_.to_value(mean);
  }
}

float PolicyLearner::value_of(std::size_t role, std::size_t lane_row, std::size_t own_row,
                              Room& room) const {
  fetch_memory(own_row, 1, 0, 1, room);
  show(role, lane_row, room.value_inputs.span(), room);
  return value_scale_.to_value(judge_values(room.value_inputs.span(), 1, room).value(0));
}

void PolicyLearner::note(std::size_t group, std::size_t lane, std::size_t time,
                         std::size_t worker) {
  const GroupSamples& samples = groups_[group];
  Rollout& r = rollout_;
  const Environment& environment = *context_.environment;
  const Outcome outcome = environment.outcome(lane);
  // A lane that waited begins its episode without a step.
  const bool over = outcome != Outcome::running || environment.steps(lane) == 0;
  for (const RoleRows& role_rows : samples.by_role) {
    if (!role_rows.holds(lane)) continue;
    const std::size_t seats = environment.seats(role_rows.role);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t lane_row = lane * seats + seat, i = lane_row - role_rows.first_row;
      const std::size_t sample = samples.sample(time, role_rows.place + i);
      r.reward[sample] = environment.rewards(role_rows.role)[lane_row];
      r.ended[sample] = outcome == Outcome::running ? 0 : 1;
      r.next_value[sample] =
          outcome == Outcome::cutoff
              ? value_of(role_rows.role, lane_row, role_rows.own_row + i, rooms_[worker])
              : 0.0f;
      if (time + 1 < r.horizon)
        r.begins[samples.sample(time + 1, role_rows.place + i)] = over ? 1 : 0;
      if (environment.lost(lane)) lose(samples, role_rows.place + i, time);
    }
    if (over) forget(role_rows, lane);
  }
}

// Nothing is learned from a row's episode that goes on at `time`.
void PolicyLearner::lose(const GroupSamples& samples, std::size_t row, std::size_t time) {
  Rollout& r = rollout_;
  for (std::size_t t = time + 1; t-- > 0;) {
    const std::size_t sample = samples.sample(t, row);
    if (t < time && r.ended[sample] != 0) return;
    if (r.presence[sample] != idles) r.presence[sample] = was_lost;
    if (r.begins[sample] != 0) return;
  }
}

// A step that is not answered by the end of the rollout teaches nothing.
void PolicyLearner::leave_unanswered(const GroupSamples& samples) {
  const Environment& environment = *context_.environment;
  for (const RoleRows& role_rows : samples.by_role)
    for (std::size_t i = 0; i < role_rows.rows; ++i) {
      const std::size_t lane = (role_rows.first_row + i) / environment.seats(role_rows.role);
      if (!environment.idle(lane)) continue;
      for (std::size_t t = rollout_.horizon; t-- > 0;) {
        const std::size_t sample = samples.sample(t, role_rows.place + i);
        if (rollout_.presence[sample] == idles) continue;
        if (rollout_.ended[sample] == 0) rollout_.presence[sample] = was_lost;
        break;
      }
    }
}

// The value of what follows each step: that of the next one, or at the rollout's end of what is
// sensed now.
void PolicyLearner::value_what_follows(const GroupSamples& samples, Room& room) {
  Rollout& r = rollout_;
  fetch_memory(samples, room);
  for (const RoleRows& role_rows : samples.by_role)
    for (std::size_t i = 0; i < role_rows.rows; ++i)
      show(role_rows.role, role_rows.first_row + i,
           room.value_inputs.span().subspan((role_rows.place + i) * value_stride()), room);
  const auto outputs = judge_values(room.value_inputs.span(), samples.rows, room);
  for (std::size_t row = 0; row < samples.rows; ++row) {
    const std::size_t last = samples.sample(r.horizon - 1, row);
    if (r.ended[last] == 0) r.next_value[last] = value_scale_.to_value(outputs.value(row));
    for (std::size_t t = 0; t + 1 < r.horizon; ++t) {
      const std::size_t s = samples.sample(t, row);
      if (r.ended[s] == 0) r.next_value[s] = r.value[samples.sample(t + 1, row)];
    }
  }
}

SampleSums PolicyLearner::sums_of(const GroupSamples& samples) const {
  SampleSums sums;
  const Rollout& r = rollout_;
  for (std::size_t s = samples.first_sample; s < samples.first_sample + samples.rows * r.horizon;
       ++s) {
    if ((r.counts[s] & learns_policy) == 0) continue;
    const auto a = static_cast<double>(r.advantage[s]), t = static_cast<double>(r.target[s]);
    const double off = t - static_cast<double>(r.value[s]);
    sums.count += 1.0;
    sums.advantage += a;
    sums.advantage_square += a * a;
    sums.target += t;
    sums.target_square += t * t;
    sums.off += off;
    sums.off_square += off * off;
  }
  return sums;
}

// Advantages are what a step brought beside what its moment was worth. Here they become what it
// brought beside what the others' actions led to expect.
void PolicyLearner::compare_with_baseline(const GroupSamples& samples) {
  Rollout& r = rollout_;
  for (std::size_t s = samples.first_sample; s < samples.first_sample + samples.rows * r.horizon;
       ++s)
    r.advantage[s] += r.value[s] - r.expected[s];
}

void PolicyLearner::end_rollout(std::size_t group, std::size_t worker) {
  const GroupSamples& samples = groups_[group];
  if (samples.rows > 0) value_what_follows(samples, rooms_[worker]);
  leave_unanswered(samples);
  estimate_advantages(rollout_, samples, *settings_.discount, settings_.trace_decay,
                      settings_.baseline);
  if (nets_.credits) compare_with_baseline(samples);
  group_sums_[group] = sums_of(samples);
}

}  // namespace zithercraft::learn_internal
