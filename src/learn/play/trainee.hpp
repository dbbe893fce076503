#pragma once

// A policy that learns, as a training knows it.

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "learn/play/rows.hpp"
#include "zithercraft/base/aligned.hpp"
#include "zithercraft/learn/learner.hpp"
#include "zithercraft/learn/phase_times.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {
class RandomStream;
}

namespace zithercraft::learn_internal {

/// A policy as it was once.
struct PastPolicy {
  AlignedBuffer<float> parameters, prepared;
  Normaliser normaliser;
};

/// A policy that learns, with all that belongs to it: it plays the seats of a role, or of several
/// that mirror each other, takes down what comes of that, and gets better by it.
class Trainee {
 public:
  Trainee() = default;
  virtual ~Trainee() = default;
  Trainee(const Trainee&) = delete;
  Trainee& operator=(const Trainee&) = delete;
  Trainee(Trainee&&) = delete;
  Trainee& operator=(Trainee&&) = delete;

  /// Whose seats it plays; the first one lays out what it reads and writes.
  virtual const std::vector<std::size_t>& roles() const = 0;
  virtual const PolicySignature& signature() const = 0;
  /// Its rows in a group of lanes.
  virtual const GroupSamples& samples(std::size_t group) const = 0;
  /// Steps of a rollout of a length, over all rows and processes.
  virtual std::size_t samples_of(std::size_t horizon) const = 0;

  // ---- playing; for one group of lanes, by one thread
  virtual void begin_rollout(std::size_t group) = 0;
  /// Turns what its seats sense into controls. Where a teacher is asked, these are what it would do
  /// before, and not a number where it does not know.
  virtual void decide(std::size_t group, std::size_t time, std::size_t worker) = 0;
  /// Once everyone in the group has decided.
  virtual void judge_together(std::size_t /*group*/, std::size_t /*time*/, std::size_t /*worker*/) {
  }
  /// Takes down what a step brought in a lane of the group.
  virtual void note(std::size_t group, std::size_t lane, std::size_t time, std::size_t worker) = 0;
  virtual void end_rollout(std::size_t group, std::size_t worker) = 0;
  /// Forgets what the seats of an ended episode remember, in which others played in its place.
  virtual void forget(std::size_t role, const LaneGroup& group, std::size_t lane) = 0;
  /// After a rollout: processes tell each other what all need to know of their groups.
  virtual void share_rollout() {}

  // ---- learning
  virtual void improve() = 0;
  /// Whether going on would not help any more.
  virtual bool ended() const noexcept { return false; }
  /// What the last improvement brought; the first trainee's times are those of all.
  virtual std::vector<Metric> metrics() const = 0;
  /// How it stands, in a few words; may be empty.
  virtual std::string standing() const { return {}; }
  /// Where the time of the last improvement went.
  virtual const PhaseTimes& times() const = 0;

  // ---- keeping
  virtual void store(TensorFile& file) const = 0;
  virtual void restore(const TensorFile& file) = 0;
  virtual Continuation continue_from(const TensorFile& file) = 0;

  // ---- as those imagine it who learn with it
  /// What it would do at some moments: fills in actions, [rows][action_numbers of its controls], or
  /// leaves them as they are if it cannot tell. Several threads ask, each as one worker.
  virtual void imagine(std::span<const float> /*senses*/, std::span<RandomStream> /*random*/,
                       std::size_t /*worker*/, std::span<float> /*actions*/) {}

  // ---- as it was once
  virtual PastPolicy snapshot() const = 0;
  virtual void store(TensorFile& file, const PastPolicy& past) const = 0;
  virtual PastPolicy fetch(const TensorFile& file) const = 0;
  /// A past policy decides for some lanes of a role, in which this one need not learn.
  virtual void decide_as(const PastPolicy& past, std::size_t role, const LaneGroup& group,
                         std::span<const std::size_t> lanes, std::size_t time,
                         std::size_t worker) = 0;
};

}  // namespace zithercraft::learn_internal
