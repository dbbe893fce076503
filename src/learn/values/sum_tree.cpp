#include "learn/values/sum_tree.hpp"

#include <bit>

namespace zithercraft::learn_internal {

SumTree::SumTree(std::size_t things) : leaves_(std::bit_ceil(things)), sums_(2 * leaves_) {}

// Sums are computed from their two parts each time, so that errors do not pile up, and equal
// weights give equal sums whatever the order in which they were set.
void SumTree::set(std::size_t thing, double weight) {
  std::size_t node = leaves_ + thing;
  sums_[node] = weight;
  while ((node /= 2) > 0) sums_[node] = sums_[2 * node] + sums_[2 * node + 1];
}

std::size_t SumTree::at(double point) const {
  std::size_t node = 1;
  while (node < leaves_) {
    node *= 2;
    // Rounding may leave a point just behind the last weight that is not 0.
    if (point >= sums_[node] && sums_[node + 1] > 0.0) point -= sums_[node++];
  }
  return node - leaves_;
}

}  // namespace zithercraft::learn_internal
