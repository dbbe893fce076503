#pragma once

// What a learner holds; ppo.cpp makes, stores and restores it, ppo_collect.cpp plays, ppo_improve.cpp learns.

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "actor_critic.hpp"
#include "rollout.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/adam.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {

// Both sizes are fixed, whatever the number of threads, so that sums are always made in the same order.
constexpr std::size_t lanes_per_group = 16;
constexpr std::size_t samples_per_shard = 128;

struct TimedEpisode {
  std::size_t time, row;
  EpisodeResult result;
};

struct Ppo::State {
  State(const Game& game, const PpoSettings& settings, std::uint64_t seed, std::int64_t total, WorkerPool& pool);

  const Role& role() const { return game.roles()[0]; }

  struct Room {
    Room(const State& s, std::size_t widest);
    LossRoom<float> loss;
    AlignedBuffer<float> inputs, decisions, log_probability, advantage, target;  // one shard, gathered
    AlignedBuffer<float> row;
  };

  float value_of(std::span<const float> raw_row, Room& room) const;
  void play_group(std::size_t g, std::size_t worker);
  void keep_results(std::size_t lane, std::size_t time, std::vector<TimedEpisode>& ended);
  void judge_group(const Group& group, Room& room);
  void add_shard(std::size_t shard, std::size_t first, std::size_t count, std::size_t batch, Room& room);
  void step(double rate, ImproveReport& report);
  [[noreturn]] void report_not_finite() const;

  Game game;
  PpoSettings settings;
  std::uint64_t seed;
  std::int64_t total_decisions;
  WorkerPool& pool;
  Lanes lanes;
  Rollout rollout;
  Normaliser normaliser;
  PolicySignature signature;
  ActorCritic<float> nets;
  AlignedBuffer<float> parameters, gradient;
  Adam adam;
  std::vector<Group> groups;
  std::vector<Room> rooms;
  std::vector<AlignedBuffer<float>> shard_gradients;
  std::vector<LossSums> shard_sums;
  std::vector<std::uint32_t> order;
  std::vector<std::vector<TimedEpisode>> group_episodes;
  std::int64_t decisions = 0, updates = 0;
  LossSettings loss;
};

}  // namespace zithercraft
