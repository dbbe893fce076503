#pragma once

// What all policies that are trained together share: the lanes they play in, and the threads that
// work.

#include <chrono>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "learn/play/rows.hpp"
#include "learn/play/side_shares.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/process_group.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/learn/demonstrations.hpp"

namespace zithercraft::learn_internal {

// These sizes are fixed, whatever the number of threads and processes, so that sums are always made
// in the same order. Rows that are played together, or those of one lane if they are more. Their
// samples go through the networks together: they fit the nearest caches.
constexpr std::size_t rows_together = 32;
// Samples that one thread learns from at a time, with a gradient of their own: few, so that threads
// end together; more for large networks, whose gradients take long to add up.
constexpr std::size_t samples_per_portion(std::size_t parameters) {
  return parameters > 65536 ? 1024 : 256;
}

class Trainee;

struct TrainingContext {
  Game game;
  std::uint64_t seed;
  std::int64_t total_steps;
  WorkerPool& pool;
  ProcessGroup* processes;  // null for a process alone
  std::unique_ptr<Environment> environment;
  std::vector<LaneGroup> groups{};           // of all processes
  std::size_t first_own = 0, own_count = 0;  // this process's
  std::size_t first_learning_role = 0;
  // That learn and are opposed to each other; fewer than two: nobody is.
  std::vector<std::string> sides{};
  // Each role's number among these; -1: opposed to nobody. Empty: no role is.
  std::vector<int> side_of_role{};
  SideShares shares{};                             // in which lanes which of them learn
  std::int64_t steps = 0, updates = 0;             // steps of all who learn
  std::int64_t rollout_steps = 0;                  // in the last rollout
  const Demonstrations* demonstrations = nullptr;  // null for none
  // Of each role the policy that learns it; null: none does.
  std::vector<Trainee*> learners{};
  // Of each role whether a teacher fills in what it would do. Empty: of none.
  std::vector<bool> advised{};

  std::span<const LaneGroup> own_groups() const {
    return std::span(groups).subspan(first_own, own_count);
  }
  /// This process's lanes, from the first up to the one behind the last.
  std::pair<std::size_t, std::size_t> own_lanes() const {
    const auto own = own_groups();
    if (own.empty()) return {0, 0};
    return {own.front().first_lane, own.back().first_lane + own.back().lanes};
  }
  /// The number of a role's side among `sides`; -1: it is opposed to nobody.
  int side_of(std::size_t role) const { return side_of_role.empty() ? -1 : side_of_role[role]; }
  /// Whether a teacher fills in what it would do in a role's seats.
  bool is_advised(std::size_t role) const { return role < advised.size() && advised[role]; }
  /// Whether a learning role learns in a lane's episode, and is not played by a past policy.
  bool learns_in(std::size_t role, std::size_t lane) const {
    return shares.learns(side_of(role), lane);
  }
  bool owns(std::size_t group) const { return group >= first_own && group < first_own + own_count; }
  /// What the rows of a block sense now.
  std::span<const float> sensed_by(const RoleRows& role_rows) const {
    const std::size_t columns = game.roles()[role_rows.role].columns.size();
    return environment->observations(role_rows.role)
        .subspan(role_rows.first_row * columns, role_rows.rows * columns);
  }
};

/// Adds the time since it was made, or since its last use, to phases.
class PhaseClock {
 public:
  void add_to(double& phase) {
    const auto now = Clock::now();
    phase += std::chrono::duration<double>(now - last_).count();
    last_ = now;
  }

 private:
  using Clock = std::chrono::steady_clock;
  Clock::time_point last_ = Clock::now();
};

}  // namespace zithercraft::learn_internal
