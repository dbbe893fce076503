#include <algorithm>
#include <cmath>
#include <utility>

#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

Judgement<float> Ppo::State::judge_rows(std::span<const float> sensed, std::size_t rows, std::span<float> inputs,
                                        Room& room) const {
  normaliser.apply(sensed, inputs, nets.policy.input_stride());
  return judge(nets, numbers(), {1, rows, inputs, {}, room.memory.span()}, room.loss.nets);
}

void Ppo::State::fetch_memory(std::size_t first_row, std::size_t rows, Room& room) const {
  const std::size_t of_policy = nets.policy_memory(), of_value = nets.value_memory();
  for (std::size_t i = 0; i < rows; ++i) {
    const float* const from = memory.data() + (first_row + i) * memory_each();
    std::copy_n(from, of_policy, room.memory.begin() + i * of_policy);
    std::copy_n(from + of_policy, of_value, room.memory.begin() + rows * of_policy + i * of_value);
  }
}

void Ppo::State::keep_memory(std::size_t first_row, std::size_t rows, const Room& room) {
  const std::size_t of_policy = nets.policy_memory(), of_value = nets.value_memory();
  for (std::size_t i = 0; i < rows; ++i) {
    float* const to = memory.data() + (first_row + i) * memory_each();
    std::copy_n(room.memory.begin() + i * of_policy, of_policy, to);
    std::copy_n(room.memory.begin() + rows * of_policy + i * of_value, of_value, to + of_policy);
  }
}

void Ppo::State::keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended) {
  for (std::size_t seat = 0; seat < lanes.seats(0); ++seat) {
    const std::size_t row = lane * lanes.seats(0) + seat;
    ended.push_back({time, row, episode_result(lanes, 0, row)});
  }
}

// Senses are kept, judged and turned into controls.
void Ppo::State::decide(const Group& group, std::size_t time, Room& room) {
  Rollout& r = rollout;
  const std::size_t first = group.sample(time, 0), width = nets.heads.outputs(), masks = r.masks,
                    columns = role().columns.size();
  const auto sensed = sensed_by(group);
  fetch_memory(group.first_row, group.rows, room);
  if (remembers() && time % r.span == 0) {
    const auto kept = remembered_before(group, time / r.span);
    std::copy_n(room.memory.begin(), kept.size(), kept.begin());
  }
  const auto said =
      judge_rows(sensed, group.rows, r.inputs.span().subspan(first * r.input_stride, group.rows * r.input_stride), room);
  keep_memory(group.first_row, group.rows, room);

  const std::uint64_t decide_seed = derived_seed(seed, "decide");
  const auto spread = nets.spread_part(std::as_const(parameters).span());
  for (std::size_t i = 0; i < group.rows; ++i) {
    const auto allowed = r.allowed.span().subspan((first + i) * masks, masks);
    const auto output = said.row(i, width);
    nets.heads.read_masks(sensed.subspan(i * columns, columns), allowed);
    nets.heads.forbid<float>(allowed, output);
    // One stream per row and rollout would need its position kept; a stream per decision needs nothing.
    RandomStream random(decide_seed, static_cast<std::uint32_t>(group.first_row + i),
                        static_cast<std::uint32_t>(static_cast<std::size_t>(updates) * r.horizon + time),
                        Purpose::decide);
    const auto decision = r.decisions.span().subspan((first + i) * r.controls, r.controls);
    r.log_probability[first + i] = nets.heads.sample(output, spread, random, decision);
    r.value[first + i] = value_scale.to_value(said.value(i));
    nets.heads.controls_of(decision, lanes.control(0, group.first_row + i));
  }
}

// Plays one decision. Where a cutoff strikes, the future is the value of what is sensed then.
void Ppo::State::advance(const Group& group, std::size_t time, std::size_t g, std::size_t worker) {
  Rollout& r = rollout;
  Room& room = rooms[worker];
  const std::size_t seats = lanes.seats(0);
  for (std::size_t i = 0; i < room.others.size(); ++i)
    room.others[i]->decide(lanes, i + 1, group.first_lane, group.lanes);
  for (std::size_t l = 0; l < group.lanes; ++l) {
    const std::size_t lane = group.first_lane + l, first = group.sample(time, l * seats);
    lanes.advance(lane, worker);
    const Outcome outcome = lanes.outcome(lane);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t row = lane * seats + seat;
      r.reward[first + seat] = lanes.rewards(0)[row];
      r.ended[first + seat] = outcome == Outcome::running ? 0 : 1;
      r.next_value[first + seat] = 0.0f;
      if (time + 1 < r.horizon) r.begins[group.sample(time + 1, l * seats + seat)] = r.ended[first + seat];
    }
    if (outcome == Outcome::running) continue;
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const std::size_t row = lane * seats + seat;
      if (outcome == Outcome::cutoff) {
        fetch_memory(row, 1, room);
        r.next_value[first + seat] =
            value_scale.to_value(judge_rows(lanes.observation(0, row), 1, room.inputs.span(), room).value(0));
      }
      std::fill_n(memory.begin() + row * memory_each(), memory_each(), 0.0f);
    }
    keep_results(lane, time, group_episodes[g]);
    EpisodeKey next = lanes.key(lane);
    ++next.episode;
    lanes.assign_stage(lane, curriculum.stage_of(next));
    lanes.begin(lane, next, worker);
  }
}

// The value of what follows each decision: that of the next one, or at the rollout's end of what is sensed now.
void Ppo::State::value_of_what_follows(const Group& group, Room& room) {
  Rollout& r = rollout;
  fetch_memory(group.first_row, group.rows, room);
  const auto said = judge_rows(sensed_by(group), group.rows, room.inputs.span(), room);
  for (std::size_t row = 0; row < group.rows; ++row) {
    const std::size_t last = group.sample(r.horizon - 1, row);
    if (r.ended[last] == 0) r.next_value[last] = value_scale.to_value(said.value(row));
    for (std::size_t t = 0; t + 1 < r.horizon; ++t) {
      const std::size_t s = group.sample(t, row);
      if (r.ended[s] == 0) r.next_value[s] = r.value[group.sample(t + 1, row)];
    }
  }
}

SampleSums Ppo::State::sums_of(const Group& group) const {
  SampleSums sums;
  const Rollout& r = rollout;
  for (std::size_t s = group.first_sample; s < group.first_sample + group.rows * r.horizon; ++s) {
    if (r.counts[s] == 0) continue;
    const auto a = static_cast<double>(r.advantage[s]), t = static_cast<double>(r.target[s]);
    sums.count += 1.0;
    sums.advantage += a;
    sums.advantage_square += a * a;
    sums.target += t;
    sums.target_square += t * t;
  }
  return sums;
}

void Ppo::State::play_group(std::size_t g, std::size_t worker) {
  const Group& group = groups[g];
  Room& room = rooms[worker];
  PhaseClock clock;
  group_episodes[g].clear();
  group_moments[g].clear(role().columns.size());
  for (std::size_t t = 0; t < rollout.horizon; ++t) {
    decide(group, t, room);
    clock.add_to(room.times.decide);
    group_moments[g].add(sensed_by(group));
    advance(group, t, g, worker);
    clock.add_to(room.times.play);
  }
  value_of_what_follows(group, room);
  clock.add_to(room.times.decide);
  estimate_advantages(rollout, group, settings.discount, settings.trace_decay, settings.baseline);
  group_sums[g] = sums_of(group);
  clock.add_to(room.times.learn);
}

CollectReport Ppo::collect() {
  State& s = *state_;
  CollectReport report;
  PhaseClock clock;
  if (!s.begun) s.begin_lanes();
  s.pool.run(s.own_count, [&](std::size_t g, std::size_t worker) { s.play_group(s.first_own + g, worker); });
  if (s.ranks != nullptr) s.share_rollout();
  report.decisions = static_cast<std::int64_t>(s.samples());
  s.decisions += report.decisions;
  std::vector<const TimedEpisode*> all;
  for (const auto& list : s.group_episodes)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  report.stage = s.curriculum.stage();
  for (const auto* episode : all) {
    report.episodes.push_back(episode->result);
    s.curriculum.add(episode->result);
  }
  s.curriculum.advance(s.decisions);
  for (auto& room : s.rooms) report.times += std::exchange(room.times, {});
  clock.add_to(report.times.wall);
  return report;
}

}  // namespace zithercraft
