#include <algorithm>
#include <utility>

#include "ppo_state.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

float Ppo::State::value_of(std::span<const float> raw_row, Room& room) const {
  normaliser.apply(raw_row, room.row.span());
  return nets.value.forward(nets.value_part(parameters.span()), room.row.span(), 1, room.loss.value)[0];
}

void Ppo::State::keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended) {
  for (std::size_t seat = 0; seat < lanes.seats(0); ++seat) {
    const std::size_t row = lane * lanes.seats(0) + seat;
    ended.push_back({time, row, episode_result(lanes, 0, row)});
  }
}

void Ppo::State::play_group(std::size_t g, std::size_t worker) {
  const Group& group = groups[g];
  Room& room = rooms[worker];
  Rollout& r = rollout;
  const std::size_t seats = lanes.seats(0), width = nets.heads.outputs();
  group_episodes[g].clear();
  const std::uint64_t decide_seed = derived_seed(seed, "decide");
  for (std::size_t t = 0; t < r.horizon; ++t) {
    const std::size_t first = group.sample(r.horizon, t, 0);
    const auto raw = r.raw.span().subspan(first * r.columns, group.rows * r.columns);
    const auto inputs = r.inputs.span().subspan(first * r.columns, group.rows * r.columns);
    const auto sensed = lanes.observations(0).subspan(group.first_row * r.columns, group.rows * r.columns);
    std::copy(sensed.begin(), sensed.end(), raw.begin());
    normaliser.apply(raw, inputs);
    const auto outputs = nets.policy.forward(nets.policy_part(parameters.span()), inputs, group.rows, room.loss.policy);
    for (std::size_t i = 0; i < group.rows; ++i) {
      // One stream per row and rollout would need its position kept; a stream per decision needs nothing.
      RandomStream random(decide_seed, static_cast<std::uint32_t>(group.first_row + i),
                          static_cast<std::uint32_t>(static_cast<std::size_t>(updates) * r.horizon + t),
                          Purpose::decide);
      const auto decision = r.decisions.span().subspan((first + i) * r.controls, r.controls);
      r.log_probability[first + i] = nets.heads.sample(
          outputs.subspan(i * width, width), nets.spread_part(std::as_const(parameters).span()), random, decision);
      nets.heads.controls_of(decision, lanes.control(0, group.first_row + i));
    }
    for (std::size_t l = 0; l < group.lanes; ++l) {
      const std::size_t lane = group.first_lane + l;
      lanes.advance(lane, worker);
      const Outcome outcome = lanes.outcome(lane);
      for (std::size_t seat = 0; seat < seats; ++seat) {
        const std::size_t s = first + l * seats + seat, row = lane * seats + seat;
        r.reward[s] = lanes.rewards(0)[row];
        r.ended[s] = outcome == Outcome::running ? 0 : 1;
        // Where the rollout stops or a cutoff strikes, the future is the value of what is sensed now.
        const bool stops = t + 1 == r.horizon && outcome == Outcome::running;
        r.next_value[s] = outcome == Outcome::cutoff || stops ? value_of(lanes.observation(0, row), room) : 0.0f;
      }
      if (outcome == Outcome::running) continue;
      keep_results(lane, t, group_episodes[g]);
      EpisodeKey next = lanes.key(lane);
      ++next.episode;
      lanes.begin(lane, next, worker);
    }
  }
  judge_group(group, room);
  estimate_advantages(r, group, settings.discount, settings.trace_decay);
}

// Values of all samples of a group, in larger blocks than one decision has.
void Ppo::State::judge_group(const Group& group, Room& room) {
  Rollout& r = rollout;
  const std::size_t begin = group.sample(r.horizon, 0, 0), end = begin + group.rows * r.horizon;
  for (std::size_t first = begin; first < end; first += samples_per_shard) {
    const std::size_t n = std::min(samples_per_shard, end - first);
    const auto values =
        nets.value.forward(nets.value_part(std::as_const(parameters).span()),
                           r.inputs.span().subspan(first * r.columns, n * r.columns), n, room.loss.value);
    std::copy_n(values.begin(), n, r.value.begin() + first);
  }
  for (std::size_t t = 0; t + 1 < r.horizon; ++t)
    for (std::size_t row = 0; row < group.rows; ++row) {
      const std::size_t s = group.sample(r.horizon, t, row);
      if (r.ended[s] == 0) r.next_value[s] = r.value[group.sample(r.horizon, t + 1, row)];
    }
}

CollectReport Ppo::collect() {
  State& s = *state_;
  s.pool.run(s.groups.size(), [&](std::size_t g, std::size_t worker) { s.play_group(g, worker); });
  s.decisions += static_cast<std::int64_t>(s.rollout.samples());

  CollectReport report;
  report.decisions = static_cast<std::int64_t>(s.rollout.samples());
  std::vector<const TimedEpisode*> all;
  for (const auto& list : s.group_episodes)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  for (const auto* episode : all) report.episodes.push_back(episode->result);
  return report;
}

}  // namespace zithercraft
