#include <algorithm>
#include <utility>

#include "learn/ppo/ppo_metrics.hpp"
#include "learn/ppo/ppo_state.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace learn_internal;

void Ppo::State::choose_opponent(std::size_t lane, EpisodeKey key) {
  opponents[lane] = roster.draw(
      RandomStream(derived_seed(key.seed, "opponent"), key.lane, key.episode, Purpose::oppose));
}

void Ppo::State::decide(std::size_t s, std::size_t time, std::size_t worker) {
  const LaneGroup& group = context.groups[s];
  for (const auto& policy_learner : policy_learners) policy_learner->decide(s, time, worker);
  if (opposed()) decide_as_before(group, time, worker);
  Scratch& own = scratch[worker];
  for (std::size_t role = 0; role < own.players.size(); ++role)
    if (own.players[role])
      own.players[role]->decide(*context.environment, role, group.first_lane, group.lanes);
  for (const auto& policy_learner : policy_learners)
    policy_learner->judge_together(s, time, worker);
}

// Lanes that meet the same past policy are played together.
void Ppo::State::decide_as_before(const LaneGroup& group, std::size_t time, std::size_t worker) {
  Scratch& own = scratch[worker];
  const std::size_t end = group.first_lane + group.lanes;
  for (std::size_t first = group.first_lane; first < end; ++first) {
    const std::size_t past = opponents[first];
    const auto meets = [&](std::size_t lane) {
      return context.shares.learning_side(lane) >= 0 && opponents[lane] == past;
    };
    if (!meets(first)) continue;
    bool done = false;  // with an earlier lane
    for (std::size_t lane = group.first_lane; lane < first; ++lane) done = done || meets(lane);
    for (std::size_t t = 0; !done && t < policy_learners.size(); ++t)
      for (const std::size_t role : policy_learners[t]->roles()) {
        own.lanes.clear();
        for (std::size_t lane = first; lane < end; ++lane)
          if (meets(lane) && !context.learns_in(role, lane)) own.lanes.push_back(lane);
        if (!own.lanes.empty())
          policy_learners[t]->decide_as(roster[past].policies[t],
                                        policy_learners[t]->block_of(role, group), own.lanes, time,
                                        worker);
      }
  }
}

void Ppo::State::keep_results(std::size_t s, std::size_t lane, std::size_t time) {
  const Environment& environment = *context.environment;
  const int alone = context.shares.learning_side(lane);
  bool first = true;
  for (const auto& policy_learner : policy_learners)
    for (const RoleRows& role_rows : policy_learner->samples(s).by_role) {
      if (!role_rows.holds(lane) || !context.learns_in(role_rows.role, lane)) continue;
      for (std::size_t seat = 0; seat < environment.seats(role_rows.role); ++seat) {
        const std::size_t row = lane * environment.seats(role_rows.role) + seat;
        TimedEpisode& e = ended[s].emplace_back(
            TimedEpisode{time, row, -1, episode_result(environment, role_rows.role, row)});
        if (alone >= 0 && context.side_of(role_rows.role) == alone && std::exchange(first, false))
          e.against = static_cast<int>(opponents[lane]);
      }
    }
}

// Whom a lane meets, who learns there and on which stage, in an episode that is about to begin.
LaneStart Ppo::State::start_of(std::size_t lane, EpisodeKey key) {
  if (opposed()) choose_opponent(lane, key);
  context.shares.begin_episode(lane);
  context.environment->assign_stage(lane, curriculum.stage_of(key));
  return {lane, key};
}

// The next episode of a lane whose episode has ended.
LaneStart Ppo::State::next_start(const LaneGroup& group, std::size_t lane) {
  EpisodeKey next = context.environment->key(lane);
  ++next.episode;
  for (const auto& policy_learner : policy_learners)
    for (const std::size_t role : policy_learner->roles())
      if (!context.learns_in(role, lane))
        policy_learner->forget(policy_learner->block_of(role, group), lane);
  return start_of(lane, next);
}

void Ppo::State::count_shares(std::size_t s) {
  const LaneGroup& group = context.groups[s];
  for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
    context.shares.count_step(lane);
    if (context.shares.learning_side(lane) < 0) continue;
    played[s].lane_steps += 1.0;
    if (!context.shares.takes_turns(lane)) continue;
    for (const auto& policy_learner : policy_learners)
      for (const std::size_t role : policy_learner->roles())
        if (!context.learns_in(role, lane))
          played[s].rows += static_cast<double>(context.environment->seats(role));
  }
}

// Steps in which a lane takes no controls are none.
void Ppo::State::count_idle(std::size_t s) {
  const LaneGroup& group = context.groups[s];
  const Environment& environment = *context.environment;
  for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
    if (!environment.idle(lane)) continue;
    for (const auto& policy_learner : policy_learners)
      for (const std::size_t role : policy_learner->roles())
        played[s].rows += static_cast<double>(environment.seats(role));
  }
}

double Ppo::State::past_share() const {
  double past = 0.0;
  for (const PastShare& group : played) past += group.lane_steps;
  return past / static_cast<double>(context.environment->count() *
                                    static_cast<std::size_t>(*settings.horizon));
}

// Plays one step.
void Ppo::State::step(std::size_t s, std::size_t time, std::size_t worker) {
  const LaneGroup& group = context.groups[s];
  Environment& environment = *context.environment;
  Scratch& own = scratch[worker];
  own.lanes.clear();
  for (std::size_t i = 0; i < group.lanes; ++i) own.lanes.push_back(group.first_lane + i);
  count_idle(s);
  environment.step_lanes(own.lanes, worker);
  if (opposed()) count_shares(s);
  own.starts.clear();
  for (const std::size_t lane : own.lanes) {
    for (const auto& policy_learner : policy_learners) policy_learner->note(s, lane, time, worker);
    if (environment.outcome(lane) == Outcome::running) continue;
    keep_results(s, lane, time);
    own.starts.push_back(next_start(group, lane));
  }
  environment.begin_lanes(own.starts, worker);
}

void Ppo::State::play_group(std::size_t s, std::size_t worker) {
  PhaseTimes& times = scratch[worker].times;
  PhaseClock clock;
  ended[s].clear();
  played[s] = {};
  for (const auto& policy_learner : policy_learners) policy_learner->begin_rollout(s);
  for (std::size_t t = 0; t < static_cast<std::size_t>(*settings.horizon); ++t) {
    decide(s, t, worker);
    clock.add_to(times.decide);
    step(s, t, worker);
    clock.add_to(times.play);
  }
  for (const auto& policy_learner : policy_learners) policy_learner->end_rollout(s, worker);
  clock.add_to(times.learn);
}

CollectReport Ppo::collect() {
  State& s = *state_;
  TrainingContext& context = s.context;
  CollectReport report;
  PhaseClock clock;
  begin();
  context.pool.run(context.own_count, [&](std::size_t i, std::size_t worker) {
    s.play_group(context.first_own + i, worker);
  });
  for (const auto& policy_learner : s.policy_learners) {
    policy_learner->share_rollout();
    report.steps += static_cast<std::int64_t>(policy_learner->samples());
  }
  s.share_episodes();
  for (const PastShare& group : s.played) report.steps -= static_cast<std::int64_t>(group.rows);
  context.rollout_steps = report.steps;
  context.steps += report.steps;
  std::vector<const TimedEpisode*> all;
  for (const auto& list : s.ended)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  report.stage = s.curriculum.stage();
  for (const auto* episode : all) {
    report.episodes.push_back(episode->result);
    if (episode->result.role == context.first_learning_role) s.curriculum.add(episode->result);
    if (episode->against >= 0)
      s.roster.note(static_cast<std::size_t>(episode->against), episode->result.outcome);
  }
  s.curriculum.advance(context.steps);
  s.collected = true;
  s.rollout_times = {};
  for (auto& scratch : s.scratch) s.rollout_times += std::exchange(scratch.times, {});
  clock.add_to(s.rollout_times.wall);
  return report;
}

void Ppo::improve() {
  State& s = *state_;
  if (!std::exchange(s.collected, false)) nothing_collected("Ppo");
  s.improvements.clear();
  for (const auto& policy_learner : s.policy_learners)
    s.improvements.push_back(policy_learner->improve());
  ++s.context.updates;
  if (s.opposed() && s.roster.due(s.context.steps)) s.take_snapshot();
}

LearnerReport Ppo::report() const {
  const State& s = *state_;
  LearnerReport report;
  for (std::size_t t = 0; t < s.improvements.size(); ++t)
    report.policies.push_back(
        {s.policy_learners[t]->roles().front(), metrics_of(s.improvements[t])});
  if (report.policies.empty()) return report;
  std::vector<Metric>& first = report.policies.front().metrics;
  add_times(s.rollout_times, s.improvements, first);
  if (s.opposed()) add_roster(s.roster.report(), s.past_share(), first);
  return report;
}

}  // namespace zithercraft
