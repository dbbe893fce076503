#pragma once

// Draws numbered things with probabilities in proportion to their weights.

#include <cstddef>
#include <span>
#include <vector>

namespace zithercraft::learn_internal {

/// A binary tree of sums: a weight is changed, and a thing is drawn, in as many steps as the tree
/// is deep.
class SumTree {
 public:
  SumTree() = default;
  explicit SumTree(std::size_t things);

  double total() const { return sums_.size() > 1 ? sums_[1] : 0.0; }
  double weight(std::size_t thing) const { return sums_[leaves_ + thing]; }
  /// Above 0, or 0 for what is never drawn.
  void set(std::size_t thing, double weight);
  /// The thing in whose part of the sum of all weights `point` lies, at least 0 and below total().
  std::size_t at(double point) const;

 private:
  std::size_t leaves_ = 0;
  std::vector<double> sums_;  // of the whole at 1; below number i at 2 i and 2 i + 1
};

}  // namespace zithercraft::learn_internal
