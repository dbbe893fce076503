#include <algorithm>
#include <cmath>
#include <utility>

#include "trainee.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

// ---- memory

void Trainee::fetch_memory(std::size_t own_row, std::size_t count, std::size_t place, std::size_t rows,
                           Room& room) const {
  const std::size_t of_policy = nets_.policy_memory(), of_value = nets_.value_memory();
  for (std::size_t i = 0; i < count; ++i) {
    const float* const from = memory_.data() + (own_row + i) * memory_each();
    std::copy_n(from, of_policy, room.memory.begin() + (place + i) * of_policy);
    std::copy_n(from + of_policy, of_value, room.memory.begin() + rows * of_policy + (place + i) * of_value);
  }
}

void Trainee::keep_memory(std::size_t own_row, std::size_t count, std::size_t place, std::size_t rows,
                          const Room& room) {
  const std::size_t of_policy = nets_.policy_memory(), of_value = nets_.value_memory();
  for (std::size_t i = 0; i < count; ++i) {
    float* const to = memory_.data() + (own_row + i) * memory_each();
    std::copy_n(room.memory.begin() + (place + i) * of_policy, of_policy, to);
    std::copy_n(room.memory.begin() + rows * of_policy + (place + i) * of_value, of_value, to + of_policy);
  }
}

void Trainee::fetch_memory(const Group& group, Room& room) const {
  for (const Block& block : group.blocks) fetch_memory(block.own_row, block.rows, block.place, group.rows, room);
}

std::span<float> Trainee::remembered_before(const Group& group, std::size_t span) {
  const std::size_t first_row = span * rollout_.rows + group.first_sample / rollout_.horizon;
  return rollout_.remembered.span().subspan(first_row * rollout_.memory, group.rows * rollout_.memory);
}

void Trainee::forget(const Block& block, std::size_t lane) {
  const std::size_t seats = ground_.lanes.seats(block.role), first = block.own_row + (lane * seats - block.first_row);
  std::fill_n(memory_.begin() + first * memory_each(), seats * memory_each(), 0.0f);
}

// ---- deciding

void Trainee::normalise(const Group& group, std::span<float> inputs) const {
  const std::size_t stride = nets_.policy.input_stride();
  for (const Block& block : group.blocks)
    normaliser_.apply(ground_.sensed_by(block), inputs.subspan(block.place * stride, block.rows * stride), stride);
}

Judgement<float> Trainee::judge_inputs(std::span<const float> inputs, std::size_t rows, Room& room) const {
  return judge(nets_, numbers(), {1, rows, inputs, {}, room.memory.span()}, room.loss.nets);
}

void Trainee::begin_rollout(std::size_t stretch) { group_moments_[stretch].clear(role().columns.size()); }

void Trainee::decide(std::size_t stretch, std::size_t time, std::size_t worker) {
  const Group& group = groups_[stretch];
  if (group.rows == 0) return;
  Rollout& r = rollout_;
  Room& room = rooms_[worker];
  Lanes& lanes = ground_.lanes;
  const std::size_t first = group.sample(time, 0), width = nets_.heads.outputs(), columns = role().columns.size();
  fetch_memory(group, room);
  if (remembers() && time % r.span == 0) {
    const auto kept = remembered_before(group, time / r.span);
    std::copy_n(room.memory.begin(), kept.size(), kept.begin());
  }
  const auto inputs = r.inputs.span().subspan(first * r.input_stride, group.rows * r.input_stride);
  normalise(group, inputs);
  const auto said = judge_inputs(inputs, group.rows, room);

  const std::uint64_t decide_seed = derived_seed(seed(), "decide");
  const auto spread = nets_.spread_part(std::as_const(parameters_).span());
  for (const Block& block : group.blocks) {
    keep_memory(block.own_row, block.rows, block.place, group.rows, room);
    const auto sensed = ground_.sensed_by(block);
    const auto& seats = ground_.game.roles()[block.role].seats;
    for (std::size_t i = 0; i < block.rows; ++i) {
      const std::size_t sample = first + block.place + i, lane_row = block.first_row + i;
      const auto allowed = r.allowed.span().subspan(sample * r.masks, r.masks);
      const auto output = said.row(block.place + i, width);
      nets_.heads.read_masks(sensed.subspan(i * columns, columns), allowed);
      nets_.heads.forbid<float>(allowed, output);
      // One stream per row and rollout would need its position kept; a stream per decision needs nothing.
      RandomStream random(decide_seed, static_cast<std::uint32_t>(block.own_row + i),
                          static_cast<std::uint32_t>(static_cast<std::size_t>(ground_.updates) * r.horizon + time),
                          Purpose::decide);
      const auto decision = r.decisions.span().subspan(sample * r.controls, r.controls);
      r.log_probability[sample] = nets_.heads.sample(output, spread, random, decision);
      r.value[sample] = value_scale_.to_value(said.value(block.place + i));
      r.absent[sample] =
          ground_.game.arena().present(lanes.arena_state(lane_row / seats.size()), seats[lane_row % seats.size()]) ? 0
                                                                                                                   : 1;
      nets_.heads.controls_of(decision, lanes.control(block.role, lane_row));
    }
    group_moments_[stretch].add(sensed);
  }
}

void Trainee::decide_as(const PastPolicy& past, const Block& block, std::span<const std::size_t> own_lanes,
                        std::size_t time, std::size_t worker) {
  Room& room = rooms_[worker];
  Lanes& lanes = ground_.lanes;
  const std::size_t seats = lanes.seats(block.role), rows = own_lanes.size() * seats, columns = role().columns.size(),
                    stride = nets_.policy.input_stride(), width = nets_.heads.outputs();
  const auto own_row = [&](std::size_t lane) { return block.own_row + lane * seats - block.first_row; };
  for (std::size_t i = 0; i < own_lanes.size(); ++i) {
    past.normaliser.apply(lanes.observations(block.role).subspan(own_lanes[i] * seats * columns, seats * columns),
                          room.inputs.span().subspan(i * seats * stride, seats * stride), stride);
    fetch_memory(own_row(own_lanes[i]), seats, i * seats, rows, room);
  }
  const Numbers<float> numbers{past.parameters.span(), past.prepared.span()};
  const auto said = judge(nets_, numbers, {1, rows, room.inputs.span(), {}, room.memory.span()}, room.loss.nets);
  const std::uint64_t decide_seed = derived_seed(seed(), "decide as before");
  const auto spread = nets_.spread_part(past.parameters.span());
  for (std::size_t i = 0; i < own_lanes.size(); ++i) {
    keep_memory(own_row(own_lanes[i]), seats, i * seats, rows, room);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t lane_row = own_lanes[i] * seats + seat;
      const auto output = said.row(i * seats + seat, width);
      nets_.heads.read_masks(lanes.observation(block.role, lane_row), room.allowed.span());
      nets_.heads.forbid<float>(room.allowed.span(), output);
      RandomStream random(
          decide_seed, static_cast<std::uint32_t>(own_row(own_lanes[i]) + seat),
          static_cast<std::uint32_t>(static_cast<std::size_t>(ground_.updates) * rollout_.horizon + time),
          Purpose::decide);
      nets_.heads.sample(output, spread, random, room.decision.span());
      nets_.heads.controls_of(room.decision.span(), lanes.control(block.role, lane_row));
    }
  }
}

// ---- what came of it

float Trainee::value_of(std::size_t role, std::size_t lane_row, std::size_t own_row, Room& room) const {
  fetch_memory(own_row, 1, 0, 1, room);
  normaliser_.apply(ground_.lanes.observation(role, lane_row), room.inputs.span(), nets_.policy.input_stride());
  return value_scale_.to_value(judge_inputs(room.inputs.span(), 1, room).value(0));
}

void Trainee::note(std::size_t stretch, std::size_t lane, std::size_t time, std::size_t worker) {
  const Group& group = groups_[stretch];
  Rollout& r = rollout_;
  const Lanes& lanes = ground_.lanes;
  const Outcome outcome = lanes.outcome(lane);
  for (const Block& block : group.blocks) {
    const std::size_t seats = lanes.seats(block.role);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t lane_row = lane * seats + seat, i = lane_row - block.first_row;
      const std::size_t sample = group.sample(time, block.place + i);
      r.reward[sample] = lanes.rewards(block.role)[lane_row];
      r.ended[sample] = outcome == Outcome::running ? 0 : 1;
      r.next_value[sample] =
          outcome == Outcome::cutoff ? value_of(block.role, lane_row, block.own_row + i, rooms_[worker]) : 0.0f;
      if (time + 1 < r.horizon) r.begins[group.sample(time + 1, block.place + i)] = r.ended[sample];
    }
    if (outcome != Outcome::running) forget(block, lane);
  }
}

// The value of what follows each decision: that of the next one, or at the rollout's end of what is sensed now.
void Trainee::value_what_follows(const Group& group, Room& room) {
  Rollout& r = rollout_;
  fetch_memory(group, room);
  normalise(group, room.inputs.span());
  const auto said = judge_inputs(room.inputs.span(), group.rows, room);
  for (std::size_t row = 0; row < group.rows; ++row) {
    const std::size_t last = group.sample(r.horizon - 1, row);
    if (r.ended[last] == 0) r.next_value[last] = value_scale_.to_value(said.value(row));
    for (std::size_t t = 0; t + 1 < r.horizon; ++t) {
      const std::size_t s = group.sample(t, row);
      if (r.ended[s] == 0) r.next_value[s] = r.value[group.sample(t + 1, row)];
    }
  }
}

SampleSums Trainee::sums_of(const Group& group) const {
  SampleSums sums;
  const Rollout& r = rollout_;
  for (std::size_t s = group.first_sample; s < group.first_sample + group.rows * r.horizon; ++s) {
    if ((r.counts[s] & learns_policy) == 0) continue;
    const auto a = static_cast<double>(r.advantage[s]), t = static_cast<double>(r.target[s]);
    sums.count += 1.0;
    sums.advantage += a;
    sums.advantage_square += a * a;
    sums.target += t;
    sums.target_square += t * t;
  }
  return sums;
}

void Trainee::end_rollout(std::size_t stretch, std::size_t worker) {
  const Group& group = groups_[stretch];
  if (group.rows > 0) value_what_follows(group, rooms_[worker]);
  estimate_advantages(rollout_, group, settings_.discount, settings_.trace_decay, settings_.baseline);
  group_sums_[stretch] = sums_of(group);
}

}  // namespace zithercraft
