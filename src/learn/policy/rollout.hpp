#pragma once

// What was played in one rollout. Lanes are played in groups that never meet, so that threads need
// no barrier inside a rollout; the samples of a group lie together, ordered by time, then by row:
// one step of a group, and any group of its steps, is one contiguous block for the networks. They
// are kept as the networks read them.

#include <cstddef>
#include <cstdint>
#include <span>

#include "learn/play/rows.hpp"
#include "zithercraft/base/aligned.hpp"

namespace zithercraft::learn_internal {

struct RolloutSize {
  std::size_t rows = 0, horizon = 0;
  std::size_t inputs = 0;  // numbers from a sample's inputs to the next one's
  std::size_t controls = 0, masks = 0;
  std::size_t memory = 0;       // numbers remembered for a row
  std::size_t memory_span = 1;  // steps between those at which they are kept
  // As `inputs`, of networks that do not read what the policy does; 0 if there are none.
  std::size_t value_inputs = 0, credit_inputs = 0;
  bool advised = false;  // a teacher is asked
};

struct Rollout {
  explicit Rollout(const RolloutSize& size);

  std::size_t rows, horizon, input_stride, controls, masks, memory, span, value_stride,
      credit_stride;
  AlignedBuffer<float> inputs;  // [samples][input_stride] what was sensed, normalised
  // [samples][value_stride] what the value network was shown, if it sees others.
  AlignedBuffer<float> value_inputs;
  // [samples][credit_stride] and the credit network, with what others decided.
  AlignedBuffer<float> credit_inputs;
  AlignedBuffer<float> actions;  // [samples][controls]
  AlignedBuffer<float> allowed;  // [samples][masks]
  AlignedBuffer<float> teacher;  // [samples][controls] what a teacher would do; empty without one
  AlignedBuffer<float> log_probability, reward, value;
  AlignedBuffer<float> expected;  // by the credit network, whatever is decided; empty without one
  // Value of what follows: 0 after a verdict, of the last moment after a cutoff.
  AlignedBuffer<float> next_value;
  AlignedBuffer<std::uint8_t> ended;
  // Whether an episode begins inside the rollout with this step.
  AlignedBuffer<std::uint8_t> begins;
  AlignedBuffer<float> advantage, target;
  AlignedBuffer<std::uint8_t> presence;  // one of Presence below
  // What can be learned from a sample: some of the Learns below.
  AlignedBuffer<std::uint8_t> counts;
  // [spans][rows][memory] before the first step of each span, as in a Room.
  AlignedBuffer<float> remembered;

  std::size_t samples() const { return rows * horizon; }
  std::size_t spans() const { return horizon / span; }
};

/// Who was there to act in a step.
enum Presence : std::uint8_t {
  acts,
  out_of_arena,  ///< the body was out of the arena and could do nothing
  past_plays,    ///< a past policy acted in the seat
  idles,         ///< the lane took no controls; what came then belongs to the step before
  was_lost       ///< what was played there does not count
};

/// What a sample teaches: what its moment was worth, and whether the action was good.
enum Learns : std::uint8_t { learns_nothing = 0, learns_value = 1, learns_policy = 2 };

/// Generalised advantages and value targets of a group's samples, backwards in time. Without a
/// baseline values count as 0, and samples whose episode continues behind the rollout do not count.
/// What a body out of the arena receives is credited in full to the last step that it took: no
/// trace fades meanwhile. While a lane idles no time passes at all.
void estimate_advantages(Rollout& rollout, const GroupSamples& samples, double discount,
                         double trace_decay, bool baseline);

}  // namespace zithercraft::learn_internal
