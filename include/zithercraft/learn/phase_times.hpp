#pragma once

namespace zithercraft {

/// Where the time of a rollout or an update went: seconds, summed over this process's threads,
/// except `wall`.
struct PhaseTimes {
  double play = 0.0;      ///< stepping lanes: ticks, senses, rewards
  double decide = 0.0;    ///< the networks' forward passes while playing, sampling actions
  double learn = 0.0;     ///< gradients
  double optimise = 0.0;  ///< adding up gradients, the optimiser, sending to other processes
  double wall = 0.0;      ///< by the clock
  PhaseTimes& operator+=(const PhaseTimes& other);  ///< adds each phase
};

}  // namespace zithercraft
