#pragma once

// How a value network's outputs say what options are worth.

#include <cstddef>
#include <span>
#include <vector>

#include "zithercraft/base/signature.hpp"
#include "zithercraft/net/network.hpp"

namespace zithercraft::learn_internal {

/// Each option of each choice has an output for each quantile of its return (one: the mean),
/// [options of all choices][quantiles]. Duelling outputs say by how much an option is better than
/// others of its choice; behind them [quantiles] say what the moment is worth.
class ActionValues {
 public:
  ActionValues() = default;
  ActionValues(std::span<const ControlInfo> controls, bool duelling, std::size_t quantiles);

  std::size_t options() const { return options_; }
  std::size_t quantiles() const { return quantiles_; }
  std::size_t choices() const { return first_.size() - 1; }
  /// The first option of a choice among all.
  std::size_t first(std::size_t choice) const { return first_[choice]; }
  std::size_t outputs() const { return (options_ + (duelling_ ? 1 : 0)) * quantiles_; }

  /// What each option is worth, the mean over quantiles.
  void means(std::span<const float> outputs, std::span<float> values) const;
  /// The quantiles of an option's return.
  void quantiles_of(std::span<const float> outputs, std::size_t choice, std::size_t option,
                    std::span<float> quantiles) const;
  /// Adds the gradient of the outputs, given that of these.
  void add_gradient(std::size_t choice, std::size_t option, std::span<const float> by,
                    std::span<float> gradient) const;
  /// The last layer that gives the means at once: of a network that is like `from` but has one
  /// output for each option.
  void merge_outputs(const Network<float>& from, std::span<const float> parameters,
                     const Network<float>& to, std::span<float> merged) const;

  /// The other way round: outputs whose means differ among the options of a choice as those of the
  /// network with one output for each do. Of duelling ones, what moments are worth begins at 0.
  void split_outputs(const Network<float>& from, std::span<const float> merged,
                     const Network<float>& to, std::span<float> parameters) const;

 private:
  std::size_t options_of(std::size_t choice) const { return first_[choice + 1] - first_[choice]; }
  // How much each output of a choice counts in an option's value.
  float weight(std::size_t choice, std::size_t option, std::size_t other) const;

  std::vector<std::size_t> first_{0};  // of each choice, and behind the last
  std::size_t options_ = 0, quantiles_ = 1;
  bool duelling_ = false;
};

}  // namespace zithercraft::learn_internal
