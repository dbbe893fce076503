#pragma once

// The past policies that a training with opposed sides plays against.

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "learn/play/trainee.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/outcome.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/ratings.hpp"

namespace zithercraft::learn_internal {

/// All policies that learn, as they were once.
struct PastSelf {
  std::int64_t steps = 0;
  std::vector<PastPolicy> policies;  // in the order of the trainees
  Tally lately;  // the present policies' matches against it, since the last snapshot
};

/// Where a checkpoint keeps the policy of a role as it was when it joined the roster.
std::string roster_place(std::size_t past, const std::string& role);

/// Against whom a training with opposed sides plays; see PolicyGradientSettings.
struct RosterSettings {
  bool used = true;  // some do without
  double against_past = 0.0, against_hardest = 0.0;
  std::int64_t snapshot_every = 1;
  double snapshot_gain = 0.0;
  std::int64_t roster_size = 50;
};

class Roster {
 public:
  Roster() = default;
  explicit Roster(const RosterSettings& settings) : settings_(settings) {}

  bool empty() const { return past_.empty(); }
  std::size_t size() const { return past_.size(); }
  PastSelf& operator[](std::size_t i) { return past_[i]; }
  const PastSelf& operator[](std::size_t i) const { return past_[i]; }

  /// Whose turn it is: any of the past, or with the share that the settings ask for one of those
  /// that win most.
  std::size_t draw(RandomStream random) const;
  /// Notes a match of the present policies against a past policy.
  void note(std::size_t against, Outcome outcome);
  /// Whether it is time to keep the present policies.
  bool due(std::int64_t steps) const;
  /// Keeps them. Where there are too many, one of the closest goes; `moved` then says which
  /// replaces whom: its place before gives the place now.
  void keep(PastSelf present, std::vector<std::size_t>& moved);

  RosterReport report() const;

  /// All but the policies, for checkpoints.
  std::vector<double> numbers() const;
  /// How many past policies the numbers describe; they have no policies yet. Throws Error (refused)
  /// if they make no sense.
  std::size_t restore(std::span<const double> numbers);

 private:
  std::vector<Rating> ratings() const;  // of the past, and of the present as the last one

  RosterSettings settings_;
  std::vector<PastSelf> past_;
  std::vector<Tally> between_;  // of past policies, each against older ones
};

}  // namespace zithercraft::learn_internal
