#pragma once

#include <span>
#include <utility>
#include <vector>

#include "base/gathered.hpp"

namespace zithercraft::base_internal {

/// Numbers that processes send each other, one after the other. They are read in the order in which
/// they were put.
class PackedNumbers {
 public:
  PackedNumbers() = default;
  explicit PackedNumbers(std::vector<double> numbers) : numbers_(std::move(numbers)) {}

  void put(double number) { numbers_.push_back(number); }
  void put(std::span<const double> numbers) {
    numbers_.insert(numbers_.end(), numbers.begin(), numbers.end());
  }
  double get() { return numbers_[next_++]; }
  template <class Whole>
  Whole get_as() {
    return static_cast<Whole>(get());
  }
  std::vector<double> get(std::size_t count) {
    const auto first = numbers_.begin() + static_cast<std::ptrdiff_t>(next_);
    next_ += count;
    return {first, first + static_cast<std::ptrdiff_t>(count)};
  }
  /// What all processes put, one after the other.
  PackedNumbers gathered_by(ProcessGroup* processes) const {
    return PackedNumbers(gathered<double>(processes, numbers_));
  }

 private:
  std::vector<double> numbers_;
  std::size_t next_ = 0;
};

}  // namespace zithercraft::base_internal
