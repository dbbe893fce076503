#pragma once

// What a learner holds; ppo.cpp makes it, ppo_checkpoint.cpp stores and restores it, ppo_collect.cpp plays,
// ppo_improve.cpp learns.

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
#include "zithercraft/match/pilot.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {

// These sizes are fixed, whatever the number of threads, so that sums are always made in the same order.
constexpr std::size_t rows_per_group = 32;  // played together, or the seats of one lane if they are more
constexpr std::size_t samples_per_tile = 64;    // carried through the networks together: they fit the nearest caches
// Samples that one thread learns from at a time, with a gradient of their own: few, so that threads end together; more
// for large networks, whose gradients take long to add up.
constexpr std::size_t samples_per_shard(std::size_t parameters) { return parameters > 65536 ? 1024 : 256; }

struct TimedEpisode {
  std::size_t time, row;
  EpisodeResult result;
};

struct Ppo::State {
  State(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total, WorkerPool& pool);

  const Role& role() const { return game.roles()[0]; }
  bool remembers() const { return settings.memory > 0; }

  // What one thread works with.
  struct Room {
    Room(const State& s, std::size_t most_rows);
    LossRoom<float> loss;
    AlignedBuffer<float> inputs;                                                       // normalised
    AlignedBuffer<float> decisions, allowed, log_probability, advantage, target, value;  // of samples gathered
    AlignedBuffer<std::uint8_t> begins, counts;
    AlignedBuffer<float> memory;
    std::vector<std::unique_ptr<Pilot>> others;  // who plays the roles that are not trained
    PhaseTimes times;
  };

  Numbers<float> numbers() const { return {parameters.span(), prepared.span()}; }
  void parameters_changed() { nets.prepare(parameters.span(), prepared.span()); }
  /// Both networks on rows as they were sensed. Memory (all of the policy's, then all of the value's) goes on.
  Judgement<float> judge_rows(std::span<const float> raw, std::size_t rows, std::span<float> memory, Room& room) const;
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
  void keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended);

  /// A unit is what samples are drawn by: one sample, or a span of decisions of one row where there is a memory.
  std::size_t unit_samples() const { return remembers() ? rollout.span : 1; }
  std::size_t units_per_shard() const {
    return std::max<std::size_t>(1, samples_per_shard(nets.parameters) / unit_samples());
  }
  std::size_t units() const { return rollout.samples() / unit_samples(); }
  void fetch_soon(std::size_t sample) const;
  void gather(std::size_t first_unit, std::size_t count, Room& room) const;
  void add_shard(std::size_t shard, std::size_t first_unit, std::size_t count, double scale, Room& room);
  void prepare_samples(ImproveReport& report);
  void schedule(ImproveReport& report);
  void shuffle();
  LossSums learn_minibatch(std::size_t first_unit, std::size_t count, ImproveReport& report);
  void step(double rate, ImproveReport& report);
  [[noreturn]] void report_bad_gradient(double norm) const;

  Game game;
  PpoSettings settings;
  std::uint64_t seed;
  std::int64_t total_decisions;
  WorkerPool& pool;
  Lanes lanes;
  Curriculum curriculum;
  PolicySignature signature;
  ActorCritic<float> nets;
  Rollout rollout;
  Normaliser normaliser;
  ValueScale value_scale;
  AlignedBuffer<float> parameters, prepared, gradient;
  std::vector<std::uint8_t> frozen;  // for each parameter; empty if none is
  Adam adam;
  AlignedBuffer<float> memory;  // [rows][memory_each()]
  std::vector<Group> groups;
  std::vector<Room> rooms;
  std::vector<AlignedBuffer<float>> shard_gradients;
  std::vector<LossSums> shard_sums;
  std::vector<std::vector<std::uint32_t>> orders;  // of the units in each epoch
  std::span<const std::uint32_t> order;           // in this one
  std::vector<Normaliser::Moments> group_moments;  // of what each group sensed
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
