#pragma once

// What a learner holds; ppo.cpp makes it, ppo_collect.cpp plays, ppo_checkpoint.cpp stores and
// restores it, ppo_share.cpp sends to other processes.

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "learn/policy/policy_learner.hpp"
#include "learn/policy/roster.hpp"
#include "learn/training_context.hpp"
#include "zithercraft/game/curriculum.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft::learn_internal {

struct TimedEpisode {
  std::size_t time = 0, row = 0;
  int against = -1;  // for one seat of each match against a past policy: which one
  EpisodeResult result{};
};

// What of a group's last rollout past policies played, or nobody.
struct PastShare {
  double lane_steps = 0.0;  // in which one side alone learned
  double rows = 0.0;        // of those that learn there at other times, or wait
};

}  // namespace zithercraft::learn_internal

namespace zithercraft {
using namespace learn_internal;

struct Ppo::State {
  State(const Game& game, const PolicyGradientSettings& settings, std::uint64_t seed,
        std::int64_t total, WorkerPool& pool, ProcessGroup* processes,
        std::vector<RolePlayer> players);

  // What one thread plays with.
  struct Scratch {
    std::vector<std::unique_ptr<Player>> players;  // by role; null for those that learn
    std::vector<std::size_t> lanes;                // that are played together
    std::vector<LaneStart> starts;                 // of episodes that follow others
    PhaseTimes times;
  };

  bool opposed() const { return context.sides.size() > 1; }
  const PolicyLearner& policy_learner(std::size_t role) const;
  void begin_lanes();
  void choose_opponent(std::size_t lane, EpisodeKey key);
  void play_group(std::size_t group, std::size_t worker);
  void decide(std::size_t group, std::size_t time, std::size_t worker);
  void decide_as_before(const LaneGroup& group, std::size_t time, std::size_t worker);
  LaneStart start_of(std::size_t lane, EpisodeKey key);
  LaneStart next_start(const LaneGroup& group, std::size_t lane);
  void step(std::size_t group, std::size_t time, std::size_t worker);
  void keep_results(std::size_t group, std::size_t lane, std::size_t time);
  void count_shares(std::size_t group);
  void count_idle(std::size_t group);
  double past_share() const;
  void share_episodes();
  void take_snapshot();
  void restore_lanes(const TensorFile& file);
  void begin_next_episodes(std::span<const std::int64_t> episodes);
  void restore_roster(const TensorFile& file);
  void restore_shares(const TensorFile& file);

  PolicyGradientSettings settings;
  TrainingContext context;
  Curriculum curriculum;
  std::vector<RolePlayer> players;
  std::vector<std::unique_ptr<PolicyLearner>> policy_learners;
  std::vector<std::optional<std::size_t>> learner_of;  // each role
  std::vector<Scratch> scratch;                        // of each thread
  Roster roster;
  std::vector<std::size_t> opponents;  // the past policy that is met in each lane, where one is
  std::vector<std::vector<TimedEpisode>> ended;  // in each group
  std::vector<PastShare> played;                 // in each group
  std::vector<PolicyGradientReport> improvements;
  PhaseTimes rollout_times{};  // of the last one
  bool begun = false;          // lanes are in their episodes
  bool collected = false;      // there is something to improve by
};

}  // namespace zithercraft
