#pragma once

// What a learner holds; ppo.cpp makes it, ppo_checkpoint.cpp stores and restores it, ppo_collect.cpp plays,
// ppo_improve.cpp learns, ppo_share.cpp tells other processes.

#include <chrono>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "actor_critic.hpp"
#include "rollout.hpp"
#include "value_scale.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/curriculum.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/learn/ranks.hpp"
#include "zithercraft/match/pilot.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {

// These sizes are fixed, whatever the number of threads and processes, so that sums are always made in the same order.
// Rows that are played together, or the seats of one lane if they are more. Their samples go through the networks
// together: they fit the nearest caches.
constexpr std::size_t rows_per_group = 32;
// Samples that one thread learns from at a time, with a gradient of their own: few, so that threads end together; more
// for large networks, whose gradients take long to add up.
constexpr std::size_t samples_per_shard(std::size_t parameters) { return parameters > 65536 ? 1024 : 256; }

struct TimedEpisode {
  std::size_t time, row;
  EpisodeResult result;
};

// Sums over the samples of a group from which something can be learned.
struct SampleSums {
  double count = 0.0, advantage = 0.0, advantage_square = 0.0, target = 0.0, target_square = 0.0;
};

struct Ppo::State {
  State(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total, WorkerPool& pool,
        Ranks* ranks);

  const Role& role() const { return game.roles()[0]; }
  bool remembers() const { return settings.memory > 0; }

  // What one thread works with.
  struct Room {
    explicit Room(const State& s);
    LossRoom<float> loss;
    AlignedBuffer<float> inputs;  // of what is judged outside the rollout
    AlignedBuffer<float> memory;  // all of the policy network's for some rows, then all of the value network's
    std::vector<std::unique_ptr<Pilot>> others;  // who plays the roles that are not trained
    PhaseTimes times;
  };

  Numbers<float> numbers() const { return {parameters.span(), prepared.span()}; }
  void parameters_changed() { nets.prepare(parameters.span(), prepared.span()); }
  /// Both networks on rows as they were sensed, which are normalised into `inputs`. The room's memory goes on.
  Judgement<float> judge_rows(std::span<const float> sensed, std::size_t rows, std::span<float> inputs,
                              Room& room) const;
  std::span<const float> sensed_by(const Group& group) const {
    const std::size_t columns = role().columns.size();
    return lanes.observations(0).subspan(group.first_row * columns, group.rows * columns);
  }
  /// What was remembered before a span of a group's decisions, as in a room.
  std::span<float> remembered_before(const Group& group, std::size_t span) {
    const std::size_t first_row = span * rollout.rows + group.first_sample / rollout.horizon;
    return rollout.remembered.span().subspan(first_row * rollout.memory, group.rows * rollout.memory);
  }
  /// Copies between the memory of rows, which lies row by row, and the room's, which lies network by network.
  void fetch_memory(std::size_t first_row, std::size_t rows, Room& room) const;
  void keep_memory(std::size_t first_row, std::size_t rows, const Room& room);
  std::size_t memory_each() const { return nets.policy_memory() + nets.value_memory(); }

  void freeze();
  void begin_lanes();
  void play_group(std::size_t g, std::size_t worker);
  void decide(const Group& group, std::size_t time, Room& room);
  void advance(const Group& group, std::size_t time, std::size_t g, std::size_t worker);
  void value_of_what_follows(const Group& group, Room& room);
  SampleSums sums_of(const Group& group) const;
  void keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended);

  /// Samples are drawn by spans: one decision of a group, or several in a row where there is a memory. Spans take turns
  /// by group, so that every minibatch has as much of each group, and each group in an order of its own.
  std::size_t span_samples() const { return rollout.span * groups[0].rows; }
  std::size_t spans() const { return rollout.spans() * groups.size(); }
  std::size_t samples() const { return lanes.rows(0) * rollout.horizon; }  // of all processes
  std::size_t spans_per_shard() const {
    return std::max<std::size_t>(1, samples_per_shard(nets.parameters) / span_samples());
  }
  std::size_t spans_per_minibatch() const {
    return std::clamp<std::size_t>(static_cast<std::size_t>(settings.minibatch) / span_samples(), 1, spans());
  }
  /// Some of a group's spans that one thread learns from.
  struct Shard {
    std::size_t group = 0, first = 0, end = 0;  // places in the group's order
  };
  static constexpr std::size_t no_shard = static_cast<std::size_t>(-1);
  /// Fills `shards`; returns how many samples the minibatch has, over all processes.
  std::size_t share_out_minibatch(std::size_t first, std::size_t count);
  void add_shard(std::size_t shard, std::size_t epoch, double scale, Room& room);
  LossSums add_span(const Group& group, std::size_t span, double scale, Room& room,
                    std::span<float> gradient);
  std::size_t add_groups_up(std::size_t first, std::size_t end, std::size_t begin, std::size_t count);
  void add_gradients_up();
  void prepare_samples(ImproveReport& report);
  void schedule(ImproveReport& report);
  void shuffle();
  void learn_minibatch(std::size_t epoch, std::size_t first, std::size_t count, ImproveReport& report);
  void step(double rate, ImproveReport& report);
  [[noreturn]] void report_bad_gradient(double norm) const;

  /// The groups that this process plays.
  std::span<const Group> own_groups() const { return std::span(groups).subspan(first_own, own_count); }
  void share_rollout();
  void share_losses();

  Game game;
  PpoSettings settings;
  std::uint64_t seed;
  std::int64_t total_decisions;
  WorkerPool& pool;
  Ranks* ranks;  // null for a process alone
  Lanes lanes;
  Curriculum curriculum;
  PolicySignature signature;
  ActorCritic<float> nets;
  std::vector<Group> groups;  // of all processes
  std::size_t first_own = 0, own_count = 0;
  Rollout rollout;  // of this process's groups
  Normaliser normaliser;
  ValueScale value_scale;
  AlignedBuffer<float> parameters, prepared, gradient;
  std::vector<std::uint8_t> frozen;  // for each parameter; empty if none is
  Adam adam;
  AlignedBuffer<float> memory;  // [rows][memory_each()]
  std::vector<Room> rooms;
  std::vector<Shard> shards;              // of the present minibatch, by group
  std::vector<std::size_t> first_shards;  // of each own group, and behind the last one
  std::vector<AlignedBuffer<float>> shard_gradients;
  std::vector<LossSums> shard_sums;
  std::vector<LossSums> group_losses;  // in this epoch
  std::vector<std::vector<std::uint32_t>> orders;  // of the spans of each own group in each epoch
  std::vector<Normaliser::Moments> group_moments;  // of what each group sensed
  std::vector<SampleSums> group_sums;
  std::vector<std::vector<TimedEpisode>> group_episodes;
  std::int64_t decisions = 0, updates = 0;
  bool begun = false;  // lanes are in their episodes
  LossSettings loss;
};

/// Adds the time since it was made, or since its last use, to phases.
class PhaseClock {
 public:
  void add_to(double& phase) {
    const auto now = Clock::now();
    phase += std::chrono::duration<double>(now - last_).count();
    last_ = now;
  }

 private:
  using Clock = std::chrono::steady_clock;
  Clock::time_point last_ = Clock::now();
};

}  // namespace zithercraft
