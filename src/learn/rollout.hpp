#pragma once

// What was played in one rollout. Lanes are played in groups that never meet, so that threads need no barrier inside a
// rollout; the samples of a group lie together, ordered by time, then by row: one decision of a group is one contiguous
// block for the networks.

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "actor_critic.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {

struct Rollout {
  Rollout(std::size_t rows, std::size_t horizon, std::size_t columns, std::size_t controls);

  std::size_t rows, horizon, columns, controls;
  AlignedBuffer<float> raw, inputs;  // [samples][columns] as sensed, and normalised
  AlignedBuffer<float> decisions;    // [samples][controls]
  AlignedBuffer<float> log_probability, reward, value;
  AlignedBuffer<float> next_value;  // value of what follows: 0 after a verdict, of the last moment after a cutoff
  AlignedBuffer<std::uint8_t> ended;
  AlignedBuffer<float> advantage, target;

  std::size_t samples() const { return rows * horizon; }
};

/// The rows [first, first + count) that are played together.
struct Group {
  std::size_t first_lane = 0, lanes = 0, first_row = 0, rows = 0;
  std::size_t sample(std::size_t horizon, std::size_t time, std::size_t row_in_group) const {
    return first_row * horizon + time * rows + row_in_group;
  }
};

/// Generalised advantages and value targets of a group's samples, backwards in time.
void estimate_advantages(Rollout& rollout, const Group& group, double discount, double trace_decay);

}  // namespace zithercraft
