#pragma once

// A policy that learns in a table: table_trainee.cpp makes it and plays, table_learn.cpp learns.

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "learn/play/played_rows.hpp"
#include "learn/play/trainee.hpp"
#include "learn/play/training_context.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/q_table.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/state_table.hpp"

namespace zithercraft::learn_internal {

/// Bins by the settings; those of quantiles are not known before something was sensed. Throws Error
/// (spec, refused) if no column is meant, or there would be too many states.
StateBins bins_for(const Role& role, const QTableSettings& settings);
/// How many bins each column shall have.
std::vector<std::size_t> bin_counts(const Role& role, const QTableSettings& settings);

/// Throws Error (refused) if there can be more states than the settings allow, and says how many.
void check_states(const Role& role, const QTableSettings& settings);
/// How large the table of a role may become, in words.
std::string size_text(const Role& role, const QTableSettings& settings);

/// What is played is learned from in the order in which it was played, by one thread: threads play.
class TableTrainee final : public Trainee {
 public:
  TableTrainee(TrainingContext& context, std::vector<std::size_t> roles,
               const QTableSettings& settings);

  const std::vector<std::size_t>& roles() const override { return roles_; }
  const PolicySignature& signature() const override { return signature_; }
  const GroupSamples& samples(std::size_t group) const override { return groups_[group]; }
  std::size_t samples_of(std::size_t horizon) const override { return rows_of(groups_) * horizon; }

  void begin_rollout(std::size_t) override {}
  void decide(std::size_t group, std::size_t time, std::size_t worker) override;
  void note(std::size_t group, std::size_t lane, std::size_t time, std::size_t worker) override;
  void end_rollout(std::size_t, std::size_t) override {}
  void forget(std::size_t role, const LaneGroup& group, std::size_t lane) override;
  void improve() override;
  std::vector<Metric> metrics() const override;
  const PhaseTimes& times() const override { return times_; }

  void store(TensorFile& file) const override;
  void restore(const TensorFile& file) override;
  Continuation continue_from(const TensorFile& file) override;
  // Tables are not played against as they were.
  PastPolicy snapshot() const override { return {}; }
  void store(TensorFile&, const PastPolicy&) const override {}
  PastPolicy fetch(const TensorFile&) const override { return {}; }
  void decide_as(const PastPolicy&, std::size_t, const LaneGroup&, std::span<const std::size_t>,
                 std::size_t, std::size_t) override {}

 private:
  // What a row did and met in a step of the rollout.
  struct Step {
    float reward = 0.0f;
    std::uint32_t combination = 0;
    bool acted = false, best = false;  // it did something; what seemed best
    bool ended = false, cut_off = false, lost = false;
  };
  struct Trace {
    std::size_t row = 0, combination = 0;
    float strength = 0.0f;
  };
  // A step that waits for what follows it.
  struct Pending {
    bool there = false;
    std::size_t row = 0, combination = 0;
    float reward = 0.0f;
    std::vector<Trace> traces;
  };
  struct Room {
    std::vector<float> values, marks;  // of combinations; of the heads' outputs
  };
  // What follows a step.
  struct Next {
    std::size_t row = StateTable::none;  // none: nothing
    std::span<const float> allowed{};
    std::optional<std::size_t> combination{};  // that is taken then, if it is known
    bool best = true;                          // that is what seemed best
  };

  const Role& role() const { return context_.game.roles()[roles_[0]]; }
  std::uint64_t seed() const { return seed_of(context_, roles_[0]); }
  double done() const;
  double epsilon() const;
  bool binned() const { return table_.has_value(); }
  void find_bins();
  /// What each combination is worth by both tables; those that are not allowed nothing at all.
  void read_values(std::size_t row, std::span<const float> allowed, Room& room) const;
  void forbid(std::span<const float> allowed, Room& room) const;
  /// The combination, and whether it seemed best.
  std::pair<std::size_t, bool> choose(std::span<float> values, RandomStream& random) const;
  bool teacher_acts(const RoleRows& role_rows, std::size_t i, std::size_t time) const;
  void decide_row(const RoleRows& role_rows, std::size_t i, std::size_t time,
                  std::uint64_t decide_seed, Room& room);
  std::size_t place(std::size_t time, std::size_t own_row) const { return time * rows_ + own_row; }
  std::span<std::uint64_t> key(std::vector<std::uint64_t>& keys, std::size_t place) const {
    return std::span(keys).subspan(place * words_, words_);
  }
  void learn_rollout();
  void learn_step(std::size_t time, std::size_t own_row);
  void learn(Pending& pending, const Next& next);
  float worth(const Next& next, std::size_t chooser, std::size_t judge);
  void follow_traces(Pending& pending, std::size_t table, float change, bool goes_on);

  TrainingContext& context_;
  std::vector<std::size_t> roles_;
  QTableSettings settings_;
  PolicySignature signature_;
  Heads heads_;
  std::vector<GroupSamples> groups_;
  std::size_t rows_ = 0, words_ = 1, combinations_ = 1, horizon_ = 1, tables_ = 1;
  std::vector<float> combination_actions_;        // [combinations][controls]
  std::vector<std::size_t> combination_outputs_;  // [combinations][controls] of the heads
  std::optional<StateTable> table_;
  // [horizon][rows] of this rollout.
  std::vector<Step> steps_;
  std::vector<std::uint64_t> keys_,
      last_keys_;                              // of the states; of those an episode was cut off in
  std::vector<float> allowed_, last_allowed_;  // [...][masks]
  std::vector<float> sensed_;                  // [...][columns] before bins are known
  std::vector<float> met_;                     // [samples][columns] for quantiles
  std::vector<Pending> pending_;               // of each row
  std::vector<Room> rooms_;
  std::uint64_t coin_seed_ = 0;  // of this improvement
  std::int64_t learned_ = 0;
  PhaseTimes times_{};
  double td_error_ = 0.0, rate_ = 0.0;
  std::int64_t learned_lately_ = 0;
};

}  // namespace zithercraft::learn_internal
