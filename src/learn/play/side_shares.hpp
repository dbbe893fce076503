#pragma once

// In which lanes one side alone learns, against past policies of the others. Shares are exact: as
// many lanes as fit whole belong to a side for good, spread over the groups of lanes that are
// played together; what is left of a lane is given by time, from episode to episode.

#include <cstddef>
#include <span>
#include <vector>

namespace zithercraft::learn_internal {

class SideShares {
 public:
  static constexpr int all_learn = -1;

  SideShares() = default;
  /// `past_share` of the lanes' time is shared out evenly to `sides`; in the rest all learn.
  /// `together`: lanes in a group.
  SideShares(std::size_t lanes, std::size_t together, std::size_t sides, double past_share);

  /// The side that learns alone; `all_learn` if all do.
  int learning_side(std::size_t lane) const { return sides_.empty() ? all_learn : sides_[lane]; }
  bool takes_turns(std::size_t lane) const { return lane >= first_turn_ && lane < sides_.size(); }
  /// Whether a side learns there at least at times.
  bool may_learn(int side, std::size_t lane) const {
    return learns(side, lane) || takes_turns(lane);
  }
  /// Whether it learns there in this episode.
  bool learns(int side, std::size_t lane) const {
    const int alone = learning_side(lane);
    return alone == all_learn || side < 0 || side == alone;
  }

  /// Before each episode: a lane that takes turns goes to whoever had least of its share.
  void begin_episode(std::size_t lane);
  /// After each step.
  void count_step(std::size_t lane);

  /// For checkpoints: of each lane its learning side, and how long it was whose.
  std::size_t numbers_each() const { return 1 + wanted_.size(); }
  void store(std::size_t lane, std::span<double> numbers) const;
  /// Returns whether the numbers make sense.
  bool restore(std::size_t lane, std::span<const double> numbers);

 private:
  std::span<double> taken(std::size_t lane) {
    return std::span(taken_).subspan((lane - first_turn_) * wanted_.size(), wanted_.size());
  }
  std::span<const double> taken(std::size_t lane) const {
    return std::span(taken_).subspan((lane - first_turn_) * wanted_.size(), wanted_.size());
  }

  std::vector<int> sides_;      // of each lane; empty if all learn everywhere
  std::size_t first_turn_ = 0;  // lanes from here on take turns
  std::vector<double> wanted_;  // shares of their time: that all learn, then each side alone
  std::vector<double> taken_;   // [lanes that take turns][wanted] steps
};

}  // namespace zithercraft::learn_internal
