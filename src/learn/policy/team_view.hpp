#pragma once

// What networks that judge a policy in training are shown besides what its seat senses: a row of
// numbers for each other seat that their sight takes in.

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "learn/play/training_context.hpp"
#include "zithercraft/base/signature.hpp"
#include "zithercraft/learn/sight.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/network_plan.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {
class TensorFile;
}

namespace zithercraft::learn_internal {

/// A row is laid out as [own senses][for each other: whether it is there, its senses][for each
/// other: its action]. The value network reads all but the actions, the credit network everything.
/// Others come by role: mates of the own role first, then the rest of the side, then everyone else.
/// Roles that mirror each other see theirs at the same places.
class TeamView {
 public:
  TeamView() = default;
  /// `roles`: those that the policy plays. Throws Error (spec) if their views do not match.
  TeamView(const TrainingContext& context, const std::vector<std::size_t>& roles, Sight sight,
           const FrontSettings& fronts);

  bool sees_others() const { return !kinds_.empty(); }
  std::size_t value_columns() const { return own_columns_ + members_width_; }
  std::size_t credit_columns() const { return value_columns() + actions_width_; }
  /// Of a whole row, what comes behind the own senses.
  std::size_t others_columns() const { return members_width_ + actions_width_; }
  /// Names of the columns of a whole row.
  std::vector<std::string> names(const Game& game) const;
  /// The plan of a network that would read the own senses alone, made to read the others as well:
  /// by attention, or column by column if the settings ask for no attention.
  NetworkPlan widened(NetworkPlan plan, bool with_actions) const;

  /// Writes the row of a seat, all but the actions. `played` counts among the roles that the policy
  /// plays; `own` normalises what its seats sense.
  void show(const TrainingContext& context, std::size_t played, std::size_t lane, std::size_t seat,
            const Normaliser& own, std::span<float> row) const;
  /// Writes what the others have decided, behind the rest of the row.
  void show_actions(const TrainingContext& context, std::size_t played, std::size_t lane,
                    std::size_t seat, std::span<float> row) const;

  // ---- to be shown later
  /// Another seat of the same side or role, and where its numbers are among those of the others.
  struct Mate {
    std::size_t role = 0, here = 0, columns = 0, first_action = 0, action = 0;
    std::size_t first_column() const { return here + 1; }
  };
  const std::vector<Mate>& mates() const { return mates_; }
  /// Writes what the others sense, not normalised, and what they have decided.
  void take_down(const TrainingContext& context, std::size_t played, std::size_t lane,
                 std::size_t seat, std::span<float> others) const;
  /// Normalises what was taken down.
  void normalise(const Normaliser& own, std::span<float> others) const;

  // ---- how the senses of roles that the policy does not play are distributed
  void begin_rollout(std::size_t group);
  void note(const TrainingContext& context, std::size_t group);
  void fold();
  /// All that a group has noted, for other processes.
  std::vector<Normaliser::Moments*> moments(std::size_t group);
  void store(TensorFile& file) const;
  void restore(const TensorFile& file);

 private:
  /// Seats of one role; of roles that mirror each other, if the policy plays several.
  struct Kind {
    std::vector<std::size_t> roles;  // whose seats they are, for each role that the policy plays
    bool mates = false;              // of the own role: all seats but the own one
    bool own_policy = false;         // played by the same policy: the same normaliser
    std::size_t seats = 0;           // that are shown
    // Of each seat's senses; of the first seat among those of the others.
    std::size_t columns = 0, first_column = 0;
    // Numbers of each seat's action; of the first one's among those of the others.
    std::size_t action = 0, first_action = 0;
    Normaliser normaliser;
    std::vector<Normaliser::Moments> moments;  // of each group
  };

  template <class Use>
  void each_other(const TrainingContext& context, std::size_t played, std::size_t lane,
                  std::size_t seat, Use use) const;
  void write_actions(const TrainingContext& context, std::size_t played, std::size_t lane,
                     std::size_t seat, std::span<float> others) const;

  FrontSettings fronts_;
  std::vector<std::size_t> roles_;
  std::size_t own_columns_ = 0, members_width_ = 0, actions_width_ = 0;
  std::vector<Kind> kinds_;
  std::vector<Mate> mates_;
};

/// Numbers that describe an action: one for each option of a choice, one for each dial.
std::size_t action_numbers(std::span<const ControlInfo> controls);

}  // namespace zithercraft::learn_internal
