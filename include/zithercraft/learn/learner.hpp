#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/game/custom_fitness.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/learn/learner_settings.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

class Player;
class ProcessGroup;
class TensorFile;
class WorkerPool;
struct Demonstrations;

/// A number that an update brought, by the name under which its method describes it.
struct Metric {
  static constexpr std::int64_t whole = -1;  ///< a metric that is not of a part
  std::string name{};                        ///< as the method describes it
  double value = 0.0;                        ///< what it is now
  /// Of which part of what learns, for instance the number of a species; `whole` for all of it.
  std::int64_t part = whole;
};

/// A whole's number in a list; nothing if it is not there.
std::optional<double> metric_in(const std::vector<Metric>& list, const std::string& name);

/// What an update brought to one policy.
struct PolicyMetrics {
  std::size_t role = 0;           ///< the first of those that the policy plays
  std::vector<Metric> metrics{};  ///< of that policy
};

/// What was played for an update.
struct CollectReport {
  /// taken to learn from, over all seats and processes
  std::int64_t steps = 0;
  /// Episodes that ended, of all roles that learn, in order of time, then lane. Of an evolution
  /// those that the leaders played.
  std::vector<EpisodeResult> episodes{};
  std::size_t stage = 0;  ///< of the curriculum, while it was played
};

/// What an update brought.
struct LearnerReport {
  /// of each policy that learns, in the order of their first roles
  std::vector<PolicyMetrics> policies{};
  /// how it stands, in a few words for a line of progress; empty if the usual numbers say it all
  std::string note{};
  /// What hinders the learning and what to change, "PROBLEM: FIX"; empty if nothing does.
  std::vector<std::string> warnings{};
};

/// How a role is played in a training.
struct RolePlayer {
  std::shared_ptr<const Player> player{};  ///< its player; null: it learns
  /// of its own if it learns, and the method lets roles have their own
  std::optional<LearnerSettings> settings{};
  /// who can be asked at every step what it would do, while the role learns; null: nobody
  std::shared_ptr<const Player> teacher{};
};

/// The first role and those that mirror it learn; others are played by their scripts, or at random.
std::vector<RolePlayer> usual_players(const Game& game, std::uint64_t seed);

/// How long a training lasts: the length of schedules.
struct Budget {
  std::int64_t steps = 0;    ///< over all seats
  std::int64_t updates = 0;  ///< which count in place of steps; 0: steps count
  /// The share that is done, above 1 if there was more.
  double done(std::int64_t steps_taken, std::int64_t updates_made) const noexcept {
    return updates > 0 ? static_cast<double>(updates_made) / static_cast<double>(updates)
                       : static_cast<double>(steps_taken) / static_cast<double>(steps);
  }
};

/// How far a training is, as checkpoints say among their metadata.
struct Counters {
  std::int64_t steps = 0, updates = 0;  ///< of the game; of the learner's own kind
  /// Keeps them in a checkpoint.
  void store(TensorFile& file) const;
  /// Those of a checkpoint's metadata; `source` names it in errors. Throws Error (file) if they are
  /// missing or no whole numbers of at least 0.
  static Counters of(const std::map<std::string, std::string>& metadata, const std::string& source);
};

/// What was taken from a policy that is continued.
struct Continuation {
  /// How much of a part was taken.
  enum class Taken : std::uint8_t { all, part, none };
  /// One array of a network.
  struct Part {
    std::string name{};               ///< "policy.hidden.0.weight"
    Taken taken = Taken::none;        ///< how much was taken
    std::size_t numbers = 0, of = 0;  ///< taken, of how many
  };
  std::vector<Part> parts{};                                 ///< of all networks
  std::vector<std::string> new_columns{}, new_controls{};    ///< that the old policy did not know
  std::vector<std::string> lost_columns{}, lost_controls{};  ///< that the game does not have
};

/// What makes the policies of a game's roles better, by whichever method: it plays, learns from
/// what was played, and can be stored and restored at every update.
///
///     while (budget.done(learner.steps(), learner.updates()) < 1.0) {
///       learner.collect();
///       learner.improve();
///     }
///
/// For a fixed build the results are the same bits on any number of threads.
class Learner {
 public:
  Learner() = default;
  virtual ~Learner() = default;
  Learner(const Learner&) = delete;
  Learner& operator=(const Learner&) = delete;
  Learner(Learner&&) noexcept = default;
  Learner& operator=(Learner&&) noexcept = default;

  /// States of a stage's arena that the given share of its episodes begins from; before the first
  /// `collect` or `restore`. Throws Error (refused) if they are not of that arena.
  virtual void set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                          double share) = 0;
  /// Begins with what fits of policies that were trained before; before the first `collect`. Throws
  /// Error (refused) if nothing fits.
  virtual Continuation continue_from(const TensorFile& checkpoint) = 0;
  /// Begins to play, as the first `collect` does otherwise; what is stored before is the policies
  /// alone, from which play begins afresh.
  virtual void begin() {}

  /// Plays with the present policies. Throws Error (numbers), naming term or column, if a value is
  /// not finite.
  virtual CollectReport collect() = 0;
  /// Learns from what was collected last. Throws Error (numbers) if a result is not finite, (usage)
  /// if nothing was collected since the last improvement.
  virtual void improve() = 0;
  /// What the last improvement brought.
  virtual LearnerReport report() const = 0;

  virtual std::int64_t steps() const noexcept = 0;    ///< taken so far, over all seats
  virtual std::int64_t updates() const noexcept = 0;  ///< improvements so far
  virtual std::size_t stage() const noexcept = 0;     ///< of the curriculum; see Game::stages
  /// Whether a role learns, and the first role of those that its policy plays.
  virtual std::optional<std::size_t> policy_of(std::size_t role) const noexcept = 0;
  /// The present policy of a role, for playing. Throws Error (usage) if it does not learn, or there
  /// is none yet.
  virtual Policy policy(std::size_t role = 0) const = 0;
  /// Whether the checkpoint after the last update is worth keeping beside those that are kept
  /// anyway.
  virtual bool milestone() const noexcept { return false; }
  /// Whether going on would not help any more, however much of the budget is left.
  virtual bool ended() const noexcept { return false; }

  /// Everything needed to continue, and the policies as `Policy::from` reads them. To be called
  /// between `improve` and `collect`, by all processes.
  virtual void store(TensorFile& file) const = 0;
  /// Goes on from a stored state. Throws Error (refused), naming the difference, if it is of
  /// another game or of other settings.
  virtual void restore(const TensorFile& file) = 0;
};

/// For learners: throws the error of an improvement without a collection.
[[noreturn]] void nothing_collected(const std::string& learner);
/// For learners: throws Error (usage) if a training of that length has nothing to do.
void check_length(const Budget& budget, const std::string& learner);

/// What a learner is made of. What it refers to must outlive the learner.
struct LearnerContext {
  const Game& game;                   ///< what is played
  const LearnerSettings& settings;    ///< of its method
  std::uint64_t seed;                 ///< of everything random
  Budget budget;                      ///< how long it will learn
  std::vector<RolePlayer> players;    ///< one for each role
  WorkerPool& pool;                   ///< who works
  ProcessGroup* processes = nullptr;  ///< that train together; null for a process alone
  /// How good an episode was for a seat, asked at its end; empty: as the settings say.
  CustomFitness custom_fitness{};
  /// Episodes of others to learn from; null for none.
  const Demonstrations* demonstrations = nullptr;
};

}  // namespace zithercraft
