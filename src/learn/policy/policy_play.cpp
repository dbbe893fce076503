#include <algorithm>
#include <cmath>
#include <utility>

#include "learn/policy/policy_learner.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::learn_internal {

// ---- memory

void PolicyLearner::fetch_memory(std::size_t own_row, std::size_t count, std::size_t place,
                                 std::size_t rows, Room& room) const {
  const std::size_t of_policy = nets_.policy_memory(), of_value = nets_.value_memory();
  for (std::size_t i = 0; i < count; ++i) {
    const float* const from = memory_.data() + (own_row + i) * memory_each();
    std::copy_n(from, of_policy, room.memory.begin() + (place + i) * of_policy);
    std::copy_n(from + of_policy, of_value,
                room.memory.begin() + rows * of_policy + (place + i) * of_value);
  }
}

void PolicyLearner::keep_memory(std::size_t own_row, std::size_t count, std::size_t place,
                                std::size_t rows, const Room& room) {
  const std::size_t of_policy = nets_.policy_memory(), of_value = nets_.value_memory();
  for (std::size_t i = 0; i < count; ++i) {
    float* const to = memory_.data() + (own_row + i) * memory_each();
    std::copy_n(room.memory.begin() + (place + i) * of_policy, of_policy, to);
    std::copy_n(room.memory.begin() + rows * of_policy + (place + i) * of_value, of_value,
                to + of_policy);
  }
}

void PolicyLearner::fetch_memory(const GroupSamples& samples, Room& room) const {
  for (const RoleRows& role_rows : samples.by_role)
    fetch_memory(role_rows.own_row, role_rows.rows, role_rows.place, samples.rows, room);
}

// What a past policy remembers in a seat stays as it left it.
void PolicyLearner::keep_memory(const GroupSamples& samples, const Room& room) {
  if (memory_each() == 0) return;
  for (const RoleRows& role_rows : samples.by_role) {
    const std::size_t seats = context_.environment->seats(role_rows.role);
    for (std::size_t i = 0; i < role_rows.lanes; ++i)
      if (context_.learns_in(role_rows.role, role_rows.first_lane + i))
        keep_memory(role_rows.own_row + i * seats, seats, role_rows.place + i * seats, samples.rows,
                    room);
  }
}

std::span<float> PolicyLearner::remembered_before(const GroupSamples& samples, std::size_t span) {
  const std::size_t first_row = span * rollout_.rows + samples.first_sample / rollout_.horizon;
  return rollout_.remembered.span().subspan(first_row * rollout_.memory,
                                            samples.rows * rollout_.memory);
}

void PolicyLearner::forget(std::size_t role, const LaneGroup& group, std::size_t lane) {
  forget(block_of(context_, roles_, role, group), lane);
}

void PolicyLearner::forget(const RoleRows& role_rows, std::size_t lane) {
  const std::size_t seats = context_.environment->seats(role_rows.role),
                    first = role_rows.own_row + (lane * seats - role_rows.first_row);
  std::fill_n(memory_.begin() + first * memory_each(), seats * memory_each(), 0.0f);
}

// ---- deciding

void PolicyLearner::normalise(const GroupSamples& samples, std::span<float> inputs) const {
  const std::size_t stride = nets_.policy.input_stride();
  for (const RoleRows& role_rows : samples.by_role)
    normaliser_.apply(context_.sensed_by(role_rows),
                      inputs.subspan(role_rows.place * stride, role_rows.rows * stride), stride);
}

void PolicyLearner::begin_rollout(std::size_t group) {
  group_moments_[group].clear(role().columns.size());
  team_.begin_rollout(group);
}

void PolicyLearner::decide(std::size_t group, std::size_t time, std::size_t worker) {
  const GroupSamples& samples = groups_[group];
  if (samples.rows == 0) return;
  Rollout& r = rollout_;
  Room& room = rooms_[worker];
  Environment& environment = *context_.environment;
  const std::size_t first = samples.sample(time, 0), width = nets_.heads.outputs(),
                    columns = role().columns.size();
  fetch_memory(samples, room);
  if (remembers() && time % r.span == 0) {
    const auto kept = remembered_before(samples, time / r.span);
    std::copy_n(room.memory.begin(), kept.size(), kept.begin());
  }
  const auto inputs =
      r.inputs.span().subspan(first * r.input_stride, samples.rows * r.input_stride);
  normalise(samples, inputs);
  const Sequences<float> rows{1, samples.rows, inputs, {}, room.memory.span()};
  NetworkOutputs<float> outputs = judge_policy(nets_, numbers(), rows, room.loss.nets);
  if (!nets_.shared && !sees_others()) judge_value(nets_, numbers(), rows, room.loss.nets, outputs);

  const std::uint64_t decide_seed = derived_seed(seed(), "decide");
  const auto stddev = nets_.stddev_part(std::as_const(parameters_).span());
  keep_memory(samples, room);
  for (const RoleRows& role_rows : samples.by_role) {
    const std::size_t seats = environment.seats(role_rows.role);
    const auto sensed = context_.sensed_by(role_rows);
    for (std::size_t i = 0; i < role_rows.rows; ++i) {
      const std::size_t sample = first + role_rows.place + i, lane_row = role_rows.first_row + i;
      const auto allowed = r.allowed.span().subspan(sample * r.masks, r.masks);
      const auto output = outputs.row(role_rows.place + i, width);
      nets_.heads.read_masks(sensed.subspan(i * columns, columns), allowed);
      nets_.heads.forbid<float>(allowed, output);
      // One stream per row and rollout would need its position kept; a stream per step needs
      // nothing.
      RandomStream random(
          decide_seed, static_cast<std::uint32_t>(role_rows.own_row + i),
          static_cast<std::uint32_t>(static_cast<std::size_t>(context_.updates) * r.horizon + time),
          Purpose::decide);
      const auto action = r.actions.span().subspan(sample * r.controls, r.controls);
      r.log_probability[sample] = nets_.heads.sample(output, stddev, random, action);
      if (!sees_others())
        r.value[sample] = value_scale_.to_value(outputs.value(role_rows.place + i));
      if (nets_.credits && nets_.credit.outputs() > 1)
        nets_.heads.combination_probabilities(
            output,
            room.probabilities.span().subspan((role_rows.place + i) * nets_.credit.outputs()));
      r.presence[sample] = environment.idle(lane_row / seats)                      ? idles
                           : !context_.learns_in(role_rows.role, lane_row / seats) ? past_plays
                           : environment.present(role_rows.role, lane_row)         ? acts
                                                                                   : out_of_arena;
      const auto controls = environment.control(role_rows.role, lane_row);
      if (advised())
        nets_.heads.action_of(controls, r.teacher.span().subspan(sample * r.controls, r.controls));
      nets_.heads.controls_of(action, controls);
    }
    group_moments_[group].add(sensed);
  }
}

void PolicyLearner::decide_as(const PastPolicy& past, std::size_t role_number,
                              const LaneGroup& group, std::span<const std::size_t> own_lanes,
                              std::size_t time, std::size_t worker) {
  const RoleRows role_rows = block_of(context_, roles_, role_number, group);
  Room& room = rooms_[worker];
  Environment& environment = *context_.environment;
  const std::size_t seats = environment.seats(role_rows.role), rows = own_lanes.size() * seats,
                    columns = role().columns.size(), stride = nets_.policy.input_stride(),
                    width = nets_.heads.outputs();
  const auto own_row = [&](std::size_t lane) {
    return role_rows.own_row + lane * seats - role_rows.first_row;
  };
  for (std::size_t i = 0; i < own_lanes.size(); ++i) {
    past.normaliser.apply(environment.observations(role_rows.role)
                              .subspan(own_lanes[i] * seats * columns, seats * columns),
                          room.inputs.span().subspan(i * seats * stride, seats * stride), stride);
    fetch_memory(own_row(own_lanes[i]), seats, i * seats, rows, room);
  }
  const Numbers<float> numbers{past.parameters.span(), past.prepared.span()};
  const auto outputs = judge_policy(
      nets_, numbers, {1, rows, room.inputs.span(), {}, room.memory.span()}, room.loss.nets);
  const std::uint64_t decide_seed = derived_seed(seed(), "decide as before");
  const auto stddev = nets_.stddev_part(past.parameters.span());
  for (std::size_t i = 0; i < own_lanes.size(); ++i) {
    keep_memory(own_row(own_lanes[i]), seats, i * seats, rows, room);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t lane_row = own_lanes[i] * seats + seat;
      const auto output = outputs.row(i * seats + seat, width);
      nets_.heads.read_masks(environment.observation(role_rows.role, lane_row),
                             room.allowed.span());
      nets_.heads.forbid<float>(room.allowed.span(), output);
      RandomStream random(decide_seed, static_cast<std::uint32_t>(own_row(own_lanes[i]) + seat),
                          static_cast<std::uint32_t>(
                              static_cast<std::size_t>(context_.updates) * rollout_.horizon + time),
                          Purpose::decide);
      nets_.heads.sample(output, stddev, random, room.action.span());
      nets_.heads.controls_of(room.action.span(), environment.control(role_rows.role, lane_row));
    }
  }
}

}  // namespace zithercraft::learn_internal
