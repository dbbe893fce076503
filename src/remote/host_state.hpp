#pragma once

// What the threads of a host share: the connected games, and which of them plays which copy.

#include <condition_variable>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "remote/game_link.hpp"
#include "remote/launcher.hpp"
#include "remote/listener.hpp"
#include "zithercraft/remote/remote_game.hpp"

namespace zithercraft::remote_internal {
class RemoteBatch;

/// A copy that a process plays.
struct Copy {
  std::shared_ptr<GameLink> link{};
  std::size_t number = 0;  // in its process
  explicit operator bool() const { return link != nullptr; }
};

}  // namespace zithercraft::remote_internal

namespace zithercraft {

struct RemoteHost::State {
  using Clock = remote_internal::Clock;
  using Copy = remote_internal::Copy;

  explicit State(const RemoteOptions& given) : options(given) {}

  // ---- With `mutex` not held
  /// What the game that says hello must be told: nothing if it is taken.
  std::string refusal(const remote_internal::Hello& hello);
  void join(std::unique_ptr<remote_internal::GameLink::Wire> wire,
            const remote_internal::Hello& hello, remote_internal::Form form);
  /// Ends a connection. `link.busy` must be held.
  void drop(remote_internal::GameLink& link, const std::string& why);
  void note(const std::string& text);

  // ---- With `mutex` held
  /// A copy that nobody plays: the wished one if it is free.
  Copy take(const Copy& wished);
  void give_back(const Copy& copy);
  bool is_free(const Copy& copy) const;
  /// What is known of those that left or were turned away, for an error.
  std::string why_none() const;
  /// Takes the copies of batches that nobody is in a call of. Whether there were any.
  bool preempt(const remote_internal::RemoteBatch* keep);
  bool stopped() const { return options.stop != nullptr && options.stop->load(); }

  Clock::duration answer_time() const {
    return std::chrono::duration_cast<Clock::duration>(
        std::chrono::duration<double>(options.answer_seconds));
  }
  Clock::duration join_time() const {
    return std::chrono::duration_cast<Clock::duration>(
        std::chrono::duration<double>(options.join_seconds));
  }
  Clock::time_point deadline() const { return Clock::now() + answer_time(); }

  const RemoteOptions options;
  const Clock::time_point begun = Clock::now();
  mutable std::mutex mutex, notes;
  std::condition_variable changed;  // copies came free, or games joined or left
  std::optional<Game> game{};
  GameSpec spec{};  // as it was declared, before anything was settled
  remote_internal::GameShape shape{};
  std::vector<std::shared_ptr<remote_internal::GameLink>> links{};  // in the order of joining
  std::vector<Copy> free{};
  std::set<remote_internal::RemoteBatch*> batches{};
  std::size_t joined = 0, dropped = 0;
  std::string last_drop{}, last_refusal{};
  std::unique_ptr<remote_internal::Listener> listener{};
  std::unique_ptr<remote_internal::GameLauncher> launcher{};
};

}  // namespace zithercraft
