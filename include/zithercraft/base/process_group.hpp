#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace zithercraft {

/// Processes that work together, on one machine or on many, and how they exchange their results.
/// Every one has to sum and gather the same things in the same order.
class ProcessGroup {
 public:
  virtual ~ProcessGroup() = default;
  virtual std::size_t count() const noexcept = 0;   ///< of processes
  virtual std::size_t number() const noexcept = 0;  ///< of this one, from 0
  /// How many of them are on this machine, this one included.
  virtual std::size_t here() const noexcept = 0;
  /// Puts the sum over all processes, a power of two, in place of the numbers. It is made in pairs,
  /// then in pairs of pairs: the order is that in which one process alone adds what its lanes
  /// found.
  virtual void add_up(std::span<float> numbers) = 0;
  /// What all processes have, one after the other.
  virtual std::vector<std::byte> gather(std::span<const std::byte> own) = 0;

  // ---- work that is handed out: all others ask the first
  /// A question to the first of them; waits for its answer.
  virtual std::vector<std::byte> ask(std::span<const std::byte> question) = 0;
  /// What a process asks the first one.
  struct Question {
    std::size_t from = 0;           ///< the process that asks
    std::vector<std::byte> text{};  ///< what it asks
  };
  /// For the first: a question that waits for an answer, if there is one.
  virtual std::optional<Question> question() = 0;
  /// Answers a question of that process.
  virtual void answer(std::size_t process, std::span<const std::byte> text) = 0;
};

/// What processes join for: one training needs a power of two of them, work that is handed out any
/// number.
enum class Together : std::uint8_t { training, handing_out };

/// Joins the processes that `mpirun` started together with this one; null if it was started alone.
/// To be called once, by the main thread. Throws Error (refused) if it was started with others that
/// it cannot join: the library was built without Open MPI, or their number does not fit.
std::unique_ptr<ProcessGroup> join_process_group(Together together = Together::training);

/// Ends this process with a message on standard error, and the others with it: one that fails would
/// leave them waiting. What fails in all of them is said once, by the first.
[[noreturn]] void end_all_processes(const std::string& message, int status);

}  // namespace zithercraft
