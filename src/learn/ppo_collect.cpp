#include <algorithm>
#include <utility>

#include "ppo_state.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

void Ppo::State::choose_opponent(std::size_t lane, EpisodeKey key) {
  opponents[lane] =
      roster.draw(RandomStream(derived_seed(key.seed, "opponent"), key.lane, key.episode, Purpose::oppose));
}

void Ppo::State::decide(std::size_t s, std::size_t time, std::size_t worker) {
  const Stretch& stretch = ground.stretches[s];
  for (const auto& trainee : trainees) trainee->decide(s, time, worker);
  if (stretch.learning_side >= 0) decide_as_before(stretch, time, worker);
  Scratch& own = scratch[worker];
  for (std::size_t role = 0; role < own.players.size(); ++role)
    if (own.players[role]) own.players[role]->decide(ground.lanes, role, stretch.first_lane, stretch.lanes);
  for (const auto& trainee : trainees) trainee->judge_together(s, time, worker);
}

// Lanes that meet the same past policy are played together.
void Ppo::State::decide_as_before(const Stretch& stretch, std::size_t time, std::size_t worker) {
  Scratch& own = scratch[worker];
  const std::size_t end = stretch.first_lane + stretch.lanes;
  for (std::size_t first = stretch.first_lane; first < end; ++first) {
    const std::size_t past = opponents[first];
    const auto before = opponents.begin() + static_cast<std::ptrdiff_t>(stretch.first_lane),
               here = opponents.begin() + static_cast<std::ptrdiff_t>(first);
    if (std::find(before, here, past) != here) continue;  // was played with an earlier lane
    own.lanes.clear();
    for (std::size_t lane = first; lane < end; ++lane)
      if (opponents[lane] == past) own.lanes.push_back(lane);
    for (std::size_t t = 0; t < trainees.size(); ++t)
      for (const std::size_t role : trainees[t]->roles())
        if (!ground.learns_in(role, stretch))
          trainees[t]->decide_as(roster[past].policies[t], trainees[t]->block_of(role, stretch), own.lanes, time,
                                 worker);
  }
}

void Ppo::State::keep_results(std::size_t s, std::size_t lane, std::size_t time) {
  const Stretch& stretch = ground.stretches[s];
  const Lanes& lanes = ground.lanes;
  bool first = true;
  for (const auto& trainee : trainees)
    for (const Block& block : trainee->group(s).blocks)
      for (std::size_t seat = 0; seat < lanes.seats(block.role); ++seat) {
        const std::size_t row = lane * lanes.seats(block.role) + seat;
        TimedEpisode& e = ended[s].emplace_back(TimedEpisode{time, row, -1, episode_result(lanes, block.role, row)});
        if (stretch.learning_side >= 0 && ground.side_of(block.role) == stretch.learning_side &&
            std::exchange(first, false))
          e.against = static_cast<int>(opponents[lane]);
      }
}

// Plays one step.
void Ppo::State::advance(std::size_t s, std::size_t time, std::size_t worker) {
  const Stretch& stretch = ground.stretches[s];
  Lanes& lanes = ground.lanes;
  for (std::size_t lane = stretch.first_lane; lane < stretch.first_lane + stretch.lanes; ++lane) {
    lanes.advance(lane, worker);
    for (const auto& trainee : trainees) trainee->note(s, lane, time, worker);
    if (lanes.outcome(lane) == Outcome::running) continue;
    keep_results(s, lane, time);
    EpisodeKey next = lanes.key(lane);
    ++next.episode;
    if (stretch.learning_side >= 0) {
      for (const auto& trainee : trainees)
        for (const std::size_t role : trainee->roles())
          if (!ground.learns_in(role, stretch)) trainee->forget(trainee->block_of(role, stretch), lane);
      choose_opponent(lane, next);
    }
    lanes.assign_stage(lane, curriculum.stage_of(next));
    lanes.begin(lane, next, worker);
  }
}

void Ppo::State::play_stretch(std::size_t s, std::size_t worker) {
  PhaseTimes& times = scratch[worker].times;
  PhaseClock clock;
  ended[s].clear();
  for (const auto& trainee : trainees) trainee->begin_rollout(s);
  for (std::size_t t = 0; t < static_cast<std::size_t>(settings.horizon); ++t) {
    decide(s, t, worker);
    clock.add_to(times.decide);
    advance(s, t, worker);
    clock.add_to(times.play);
  }
  for (const auto& trainee : trainees) trainee->end_rollout(s, worker);
  clock.add_to(times.learn);
}

CollectReport Ppo::collect() {
  State& s = *state_;
  Ground& ground = s.ground;
  CollectReport report;
  PhaseClock clock;
  if (!s.begun) s.begin_lanes();
  ground.pool.run(ground.own_count,
                  [&](std::size_t i, std::size_t worker) { s.play_stretch(ground.first_own + i, worker); });
  for (const auto& trainee : s.trainees) {
    trainee->share_rollout();
    report.steps += static_cast<std::int64_t>(trainee->samples());
  }
  s.share_episodes();
  ground.rollout_steps = report.steps;
  ground.steps += report.steps;
  std::vector<const TimedEpisode*> all;
  for (const auto& list : s.ended)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  report.stage = s.curriculum.stage();
  for (const auto* episode : all) {
    report.episodes.push_back(episode->result);
    if (episode->result.role == ground.first_learning_role) s.curriculum.add(episode->result);
    if (episode->against >= 0) s.roster.note(static_cast<std::size_t>(episode->against), episode->result.outcome);
  }
  s.curriculum.advance(ground.steps);
  for (auto& scratch : s.scratch) report.times += std::exchange(scratch.times, {});
  clock.add_to(report.times.wall);
  return report;
}

ImproveReport Ppo::improve() {
  State& s = *state_;
  s.improvements.clear();
  for (const auto& trainee : s.trainees) s.improvements.push_back(trainee->improve());
  ++s.ground.updates;
  if (s.opposed() && s.roster.due(s.ground.steps)) s.take_snapshot();
  return s.improvements.front();
}

}  // namespace zithercraft
