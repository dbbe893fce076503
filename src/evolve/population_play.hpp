#pragma once

// A population meets episodes: every individual the same ones.

#include <array>
#include <atomic>
#include <functional>
#include <memory>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/evolve/network_batch.hpp"
#include "zithercraft/game/custom_fitness.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {
class ProcessGroup;
class WorkerPool;
}  // namespace zithercraft

namespace zithercraft::evolve_internal {

// An episode that is to be played.
struct Encounter {
  EpisodeKey key{};
  std::size_t stage = 0;
  std::size_t against = 0;  // which lineup plays the other roles
};

// What came of one individual's playing of one episode: means over the seats it played.
struct EncounterResult {
  double episode_return = 0.0, success = 0.0, length = 0.0, custom_fitness = 0.0;
  std::array<float, 3> place{};  // where its first seat ended
};

/// Dials are decided as they come; where actions are sampled they have a small standard deviation.
constexpr float log_stddev_of_dials = -3.0f;

class PopulationPlay {
 public:
  // `roles`: those that an individual plays, all with the senses and controls of the first.
  // `batch`: where their networks are loaded. If `sampled`, actions are sampled by the episode's
  // key, so that all individuals draw alike.
  PopulationPlay(const Game& game, std::vector<std::size_t> roles, std::size_t workers,
                 bool sampled);

  Environment& environment() noexcept { return *environment_; }
  static constexpr std::size_t lanes_each = 32;  // of each worker
  std::size_t most_rows() const noexcept { return lanes_each * seats_; }
  std::size_t seats() const noexcept { return seats_; }
  std::size_t terms() const noexcept { return terms_; }

  // What is asked of a play beyond its results.
  struct Wishes {
    CustomFitness custom_fitness{};
    // Individuals whose first episode the normaliser learns from: those whose number is a multiple
    // of this; 0 for none.
    std::size_t notes_every = 0;
  };

  // Plays all encounters with `count` individuals, number `first` and following, which the batch
  // has at places 0 and following. Lineups play the roles that are not `roles`. Results are
  // [individual][encounter], sums rewards by each term [individual][encounter][terms]. Throws Error
  // (numbers) naming the individual if something is not finite. Processes share the encounters out;
  // all of them then know all results.
  void play(NetworkBatch& batch, const Normaliser& normaliser, std::size_t first, std::size_t count,
            std::span<const Encounter> encounters,
            const std::vector<std::vector<std::unique_ptr<Player>>>& lineups, const Wishes& wishes,
            std::span<EncounterResult> results, std::span<double> rewards, WorkerPool& pool,
            ProcessGroup* processes);

  // Steps taken in the last play, over all seats and processes, and what was seen of those that
  // were to be noted, in the order of individuals.
  std::int64_t steps() const noexcept { return steps_; }
  const std::vector<Normaliser::Moments>& notes() const noexcept { return notes_; }
  // Seconds of all threads of this process that went into playing and into asking networks.
  double play_seconds() const noexcept { return play_seconds_; }
  double decide_seconds() const noexcept { return decide_seconds_; }

 private:
  struct Scratch;
  struct Call;
  void work(const Call& call, std::size_t worker);
  bool take_next(const Call& call, Scratch& scratch, std::size_t lane);
  void step(const Call& call, const Scratch& scratch, std::size_t worker);
  void decide(const Call& call, Scratch& scratch, std::size_t worker);
  void finish(const Call& call, Scratch& scratch, std::size_t lane);
  void share(const Call& call, ProcessGroup& processes);

  Game game_;
  std::vector<std::size_t> roles_;
  std::size_t columns_, controls_, seats_ = 0, terms_;
  Heads heads_;
  std::vector<float> log_stddev_;
  bool sampled_;
  std::unique_ptr<Environment> environment_;
  std::vector<std::unique_ptr<Scratch>> scratch_;
  // Individual * encounters + encounter, in the order in which they are taken up.
  std::vector<std::uint32_t> jobs_;
  std::atomic<std::size_t> next_job_{0};
  std::size_t last_job_ = 0;  // behind this process's part of them
  std::vector<Normaliser::Moments> notes_;
  std::int64_t steps_ = 0;
  double play_seconds_ = 0.0, decide_seconds_ = 0.0;

 public:
  ~PopulationPlay();
};

}  // namespace zithercraft::evolve_internal
