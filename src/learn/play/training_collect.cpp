#include <algorithm>
#include <utility>

#include "learn/play/training.hpp"
#include "learn/play/training_metrics.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::learn_internal {

void Training::choose_opponent(std::size_t lane, EpisodeKey key) {
  opponents_[lane] = roster_.draw(
      RandomStream(derived_seed(key.seed, "opponent"), key.lane, key.episode, Purpose::oppose));
}

void Training::decide(std::size_t s, std::size_t time, std::size_t worker) {
  const LaneGroup& group = context_.groups[s];
  Scratch& own = scratch_[worker];
  for (std::size_t role = 0; role < own.teachers.size(); ++role)
    if (own.teachers[role])
      own.teachers[role]->advise(*context_.environment, role, group.first_lane, group.lanes);
  for (const auto& trainee : trainees_) trainee->decide(s, time, worker);
  if (opposed()) decide_as_before(group, time, worker);
  for (std::size_t role = 0; role < own.players.size(); ++role)
    if (own.players[role])
      own.players[role]->decide(*context_.environment, role, group.first_lane, group.lanes);
  for (const auto& trainee : trainees_) trainee->judge_together(s, time, worker);
}

// Lanes that meet the same past policy are played together.
void Training::decide_as_before(const LaneGroup& group, std::size_t time, std::size_t worker) {
  Scratch& own = scratch_[worker];
  const std::size_t end = group.first_lane + group.lanes;
  for (std::size_t first = group.first_lane; first < end; ++first) {
    const std::size_t past = opponents_[first];
    const auto meets = [&](std::size_t lane) {
      return context_.shares.learning_side(lane) >= 0 && opponents_[lane] == past;
    };
    if (!meets(first)) continue;
    bool done = false;  // with an earlier lane
    for (std::size_t lane = group.first_lane; lane < first; ++lane) done = done || meets(lane);
    for (std::size_t t = 0; !done && t < trainees_.size(); ++t)
      for (const std::size_t role : trainees_[t]->roles()) {
        own.lanes.clear();
        for (std::size_t lane = first; lane < end; ++lane)
          if (meets(lane) && !context_.learns_in(role, lane)) own.lanes.push_back(lane);
        if (!own.lanes.empty())
          trainees_[t]->decide_as(roster_[past].policies[t], role, group, own.lanes, time, worker);
      }
  }
}

void Training::keep_results(std::size_t s, std::size_t lane, std::size_t time) {
  const Environment& environment = *context_.environment;
  const int alone = context_.shares.learning_side(lane);
  bool first = true;
  for (const auto& trainee : trainees_)
    for (const RoleRows& role_rows : trainee->samples(s).by_role) {
      if (!role_rows.holds(lane) || !context_.learns_in(role_rows.role, lane)) continue;
      for (std::size_t seat = 0; seat < environment.seats(role_rows.role); ++seat) {
        const std::size_t row = lane * environment.seats(role_rows.role) + seat;
        TimedEpisode& e = ended_[s].emplace_back(
            TimedEpisode{time, row, -1, episode_result(environment, role_rows.role, row)});
        if (alone >= 0 && context_.side_of(role_rows.role) == alone && std::exchange(first, false))
          e.against = static_cast<int>(opponents_[lane]);
      }
    }
}

// Whom a lane meets, who learns there and on which stage, in an episode that is about to begin.
LaneStart Training::start_of(std::size_t lane, EpisodeKey key) {
  if (opposed()) choose_opponent(lane, key);
  context_.shares.begin_episode(lane);
  context_.environment->assign_stage(lane, curriculum_.stage_of(key));
  return {lane, key};
}

// The next episode of a lane whose episode has ended.
LaneStart Training::next_start(const LaneGroup& group, std::size_t lane) {
  EpisodeKey next = context_.environment->key(lane);
  ++next.episode;
  for (const auto& trainee : trainees_)
    for (const std::size_t role : trainee->roles())
      if (!context_.learns_in(role, lane)) trainee->forget(role, group, lane);
  return start_of(lane, next);
}

void Training::count_shares(std::size_t s) {
  const LaneGroup& group = context_.groups[s];
  for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
    context_.shares.count_step(lane);
    if (context_.shares.learning_side(lane) < 0) continue;
    played_[s].lane_steps += 1.0;
    if (!context_.shares.takes_turns(lane)) continue;
    for (const auto& trainee : trainees_)
      for (const std::size_t role : trainee->roles())
        if (!context_.learns_in(role, lane))
          played_[s].rows += static_cast<double>(context_.environment->seats(role));
  }
}

// Steps in which a lane takes no controls are none.
void Training::count_idle(std::size_t s) {
  const LaneGroup& group = context_.groups[s];
  const Environment& environment = *context_.environment;
  for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
    if (!environment.idle(lane)) continue;
    for (const auto& trainee : trainees_)
      for (const std::size_t role : trainee->roles())
        played_[s].rows += static_cast<double>(environment.seats(role));
  }
}

double Training::past_share() const {
  double past = 0.0;
  for (const PastShare& group : played_) past += group.lane_steps;
  return past /
         std::max(1.0, static_cast<double>(context_.environment->count() * settings_.horizon));
}

// Plays one step.
void Training::step(std::size_t s, std::size_t time, std::size_t worker) {
  const LaneGroup& group = context_.groups[s];
  Environment& environment = *context_.environment;
  Scratch& own = scratch_[worker];
  own.lanes.clear();
  for (std::size_t i = 0; i < group.lanes; ++i) own.lanes.push_back(group.first_lane + i);
  count_idle(s);
  environment.step_lanes(own.lanes, worker);
  if (opposed()) count_shares(s);
  own.starts.clear();
  for (const std::size_t lane : own.lanes) {
    for (const auto& trainee : trainees_) trainee->note(s, lane, time, worker);
    if (environment.outcome(lane) == Outcome::running) continue;
    keep_results(s, lane, time);
    own.starts.push_back(next_start(group, lane));
  }
  environment.begin_lanes(own.starts, worker);
}

void Training::play_group(std::size_t s, std::size_t worker) {
  PhaseTimes& times = scratch_[worker].times;
  PhaseClock clock;
  ended_[s].clear();
  played_[s] = {};
  for (const auto& trainee : trainees_) trainee->begin_rollout(s);
  for (std::size_t t = 0; t < settings_.horizon; ++t) {
    decide(s, t, worker);
    clock.add_to(times.decide);
    step(s, t, worker);
    clock.add_to(times.play);
  }
  for (const auto& trainee : trainees_) trainee->end_rollout(s, worker);
  clock.add_to(times.learn);
}

void Training::note_episodes(CollectReport& report) {
  std::vector<const TimedEpisode*> all;
  for (const auto& list : ended_)
    for (const auto& episode : list) all.push_back(&episode);
  std::stable_sort(all.begin(), all.end(), [](const auto* a, const auto* b) {
    return a->time != b->time ? a->time < b->time : a->row < b->row;
  });
  for (const auto* episode : all) {
    report.episodes.push_back(episode->result);
    if (episode->result.role == context_.first_learning_role) curriculum_.add(episode->result);
    if (episode->against >= 0)
      roster_.note(static_cast<std::size_t>(episode->against), episode->result.outcome);
  }
}

CollectReport Training::collect() {
  CollectReport report;
  PhaseClock clock;
  begin();
  context_.pool.run(context_.own_count, [&](std::size_t i, std::size_t worker) {
    play_group(context_.first_own + i, worker);
  });
  for (const auto& trainee : trainees_) {
    trainee->share_rollout();
    report.steps += static_cast<std::int64_t>(trainee->samples_of(settings_.horizon));
  }
  share_episodes();
  for (const PastShare& group : played_) report.steps -= static_cast<std::int64_t>(group.rows);
  if (!settings_.plays)
    report.steps = static_cast<std::int64_t>(settings_.lanes * settings_.horizon);
  context_.rollout_steps = report.steps;
  context_.steps += report.steps;
  report.stage = curriculum_.stage();
  note_episodes(report);
  curriculum_.advance(context_.steps);
  collected_ = true;
  rollout_times_ = {};
  for (auto& scratch : scratch_) rollout_times_ += std::exchange(scratch.times, {});
  clock.add_to(rollout_times_.wall);
  return report;
}

void Training::improve() {
  if (!std::exchange(collected_, false)) nothing_collected(settings_.method);
  for (const auto& trainee : trainees_) trainee->improve();
  ++context_.updates;
  improved_ = true;
  if (opposed() && roster_.due(context_.steps)) take_snapshot();
}

LearnerReport Training::report() const {
  LearnerReport report;
  if (!improved_) return report;
  PhaseTimes times = rollout_times_;
  for (const auto& trainee : trainees_) {
    report.policies.push_back({trainee->roles().front(), trainee->metrics()});
    times += trainee->times();
  }
  report.note = trainees_.front()->standing();
  std::vector<Metric>& first = report.policies.front().metrics;
  add_times(times, first);
  if (opposed()) add_roster(roster_.report(), past_share(), first);
  return report;
}

}  // namespace zithercraft::learn_internal
