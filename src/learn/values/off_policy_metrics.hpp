#pragma once

#include <vector>

#include "zithercraft/learn/method.hpp"

namespace zithercraft::learn_internal {

/// Describes the metrics that all off-policy methods bring.
inline std::vector<MetricInfo> off_policy_infos() {
  return {{"minibatches", "", "learned from so far", ""},
          {"kept_steps", "", "that can be learned from", ""},
          {"sample_age", "steps", "how old what is learned from is, mean, in steps of its row", ""},
          {"gradient_norm", "", "of the longest part before the limit, mean over steps", ""},
          {"learning_rate", "", "of this update", ""}};
}

}  // namespace zithercraft::learn_internal
