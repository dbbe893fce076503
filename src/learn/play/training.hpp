#pragma once

// A training by any method whose policies play in lanes: training.cpp makes it,
// training_collect.cpp plays, training_store.cpp stores and restores it, training_share.cpp sends
// to other processes.

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "learn/play/roster.hpp"
#include "learn/play/trainee.hpp"
#include "learn/play/training_context.hpp"
#include "zithercraft/game/curriculum.hpp"
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

/// How a training plays, whatever its policies learn by.
struct TrainingSettings {
  std::string method{};  // as errors call it
  std::size_t lanes = 1, horizon = 1;
  /// Rows that one thread plays together; those of one lane if they are more.
  std::size_t rows_together = learn_internal::rows_together;
  RosterSettings roster{};
  bool processes = true;  // it can be shared among some
  /// Nothing is played: policies learn from demonstrations alone. An update counts for as many
  /// steps as it would have played.
  bool plays = true;
  bool asks_teachers = false;  // before each step, where roles have some
};

/// Makes the policy that plays `roles`, the first of which has settings of its own if they are not
/// null.
using MakeTrainee = std::function<std::unique_ptr<Trainee>(
    TrainingContext&, std::vector<std::size_t> roles, const LearnerSettings* own)>;

/// Lanes are played together in groups, group by group, for a rollout; then each policy learns.
/// Any roles of a game can learn together; roles that mirror each other share a policy. Where sides
/// that learn are opposed, some lanes are played against past policies.
class Training final : public Learner {
 public:
  Training(const Game& game, const TrainingSettings& settings, std::uint64_t seed,
           const Budget& budget, WorkerPool& pool, ProcessGroup* processes,
           std::vector<RolePlayer> players, const Demonstrations* demonstrations,
           const MakeTrainee& make);
  ~Training() override;

  void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                  double share) override;
  Continuation continue_from(const TensorFile& file) override;
  void begin() override;
  CollectReport collect() override;
  void improve() override;
  LearnerReport report() const override;
  std::int64_t steps() const noexcept override { return context_.steps; }
  std::int64_t updates() const noexcept override { return context_.updates; }
  std::size_t stage() const noexcept override { return curriculum_.stage(); }
  bool ended() const noexcept override;
  std::optional<std::size_t> policy_of(std::size_t role) const noexcept override;
  Policy policy(std::size_t role) const override;
  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;

  /// Of a role that learns. Throws Error (usage) if it does not.
  const Trainee& trainee(std::size_t role) const;
  const std::vector<std::unique_ptr<Trainee>>& trainees() const { return trainees_; }
  RosterReport roster() const { return roster_.report(); }
  const PhaseTimes& rollout_times() const { return rollout_times_; }

 private:
  // What one thread plays with.
  struct Scratch {
    std::vector<std::unique_ptr<Player>> players;   // by role; null for those that learn
    std::vector<std::unique_ptr<Player>> teachers;  // by role; null if nobody is asked
    std::vector<std::size_t> lanes;                 // that are played together
    std::vector<LaneStart> starts;                  // of episodes that follow others
    PhaseTimes times;
  };

  bool opposed() const { return settings_.roster.used && context_.sides.size() > 1; }
  void make_trainees(const MakeTrainee& make);
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
  void note_episodes(CollectReport& report);
  void take_snapshot();
  void store_lanes(TensorFile& file) const;
  void store_roster(TensorFile& file) const;
  void restore_lanes(const TensorFile& file);
  void begin_next_episodes(std::span<const std::int64_t> episodes);
  void restore_roster(const TensorFile& file);
  void restore_shares(const TensorFile& file);

  TrainingSettings settings_;
  std::vector<RolePlayer> players_;
  TrainingContext context_;
  Curriculum curriculum_;
  std::vector<std::unique_ptr<Trainee>> trainees_;
  std::vector<std::optional<std::size_t>> trainee_of_;  // each role
  std::vector<Scratch> scratch_;                        // of each thread
  Roster roster_;
  std::vector<std::size_t> opponents_;  // the past policy that is met in each lane, where one is
  std::vector<std::vector<TimedEpisode>> ended_;  // in each group
  std::vector<PastShare> played_;                 // in each group
  PhaseTimes rollout_times_{};                    // of the last one
  bool begun_ = false;                            // lanes are in their episodes
  bool collected_ = false;                        // there is something to improve by
  bool improved_ = false;                         // there is something to report
};

}  // namespace zithercraft::learn_internal
