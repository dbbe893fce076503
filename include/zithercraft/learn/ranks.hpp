#pragma once

#include <cstddef>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace zithercraft {

/// Processes that train together, on one machine or on many, each with a share of the lanes; and how they tell each
/// other what they found. Every one has to ask for the same things in the same order.
class Ranks {
 public:
  virtual ~Ranks() = default;
  virtual std::size_t count() const noexcept = 0;   ///< of processes, a power of two
  virtual std::size_t number() const noexcept = 0;  ///< of this one, from 0
  /// How many of them are on this machine, this one included.
  virtual std::size_t here() const noexcept = 0;
  /// Puts the sum over all ranks in place of the numbers. It is made in pairs, then in pairs of pairs: the order is that
  /// in which one process alone adds what its lanes found.
  virtual void add_up(std::span<float> numbers) = 0;
  /// What all ranks have, one after the other.
  virtual std::vector<std::byte> gather(std::span<const std::byte> own) = 0;
};

/// Joins the processes that `mpirun` started together with this one; null if it was started alone. To be called once,
/// by the main thread. Throws Error (refused) if it was started with others that it cannot join: the library was built
/// without Open MPI, or their number is not a power of two.
std::unique_ptr<Ranks> join_ranks();

/// Ends this process with a message on standard error, and the others with it: one that fails would leave them waiting.
/// What fails in all of them is said once, by the first.
[[noreturn]] void end_all_ranks(const std::string& message, int status);

}  // namespace zithercraft
