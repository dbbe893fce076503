#include "remote/launcher.hpp"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <deque>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>
#include <vector>

#include "remote/clock.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::remote_internal {
namespace {

constexpr auto look_up = std::chrono::milliseconds(50);
constexpr auto first_pause = std::chrono::milliseconds(500),
               longest_pause = std::chrono::milliseconds(30'000);
constexpr auto long_life = std::chrono::seconds(10);
constexpr std::size_t kept_lines = 20, longest_line = 400;

void replace_all(std::string& text, const std::string& from, const std::string& to) {
  for (auto at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size()))
    text.replace(at, from.size(), to);
}

// One game: its process, what it printed last, and when it may start again.
class Instance {
 public:
  explicit Instance(std::string command) : command_(std::move(command)) {}

  bool runs() const { return process_ > 0; }
  int output() const { return output_; }

  void start_if_due() {
    if (runs() || Clock::now() < next_start_) return;
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) return pause();
    const pid_t child = ::fork();
    if (child < 0) {
      ::close(ends[0]);
      ::close(ends[1]);
      return pause();
    }
    if (child == 0) become_game(ends[1]);
    ::setpgid(child, child);  // as it does itself, whoever is first
    ::close(ends[1]);
    ::fcntl(ends[0], F_SETFL, O_NONBLOCK);
    output_ = ends[0];
    process_ = child;
    started_ = Clock::now();
    lines_.clear();
    line_.clear();
  }

  void read() {
    char bytes[4096];
    for (ssize_t count; output_ >= 0 && (count = ::read(output_, bytes, sizeof bytes)) > 0;)
      for (ssize_t i = 0; i < count; ++i) add(bytes[i]);
  }

  /// How it ended, if it has.
  std::optional<std::string> ended() {
    int status = 0;
    if (!runs() || ::waitpid(process_, &status, WNOHANG) != process_) return {};
    read();
    if (!line_.empty()) add('\n');
    ::close(std::exchange(output_, -1));
    process_ = 0;
    pause();
    std::string text = WIFSIGNALED(status)
                           ? "was ended by signal " + std::to_string(WTERMSIG(status))
                           : "ended with status " + std::to_string(WEXITSTATUS(status));
    if (!lines_.empty()) text += "; its last words:";
    for (const std::string& line : lines_) text += "\n  " + line;
    return text;
  }

  void signal(int number) const {
    if (runs()) ::kill(-process_, number);
  }
  void reap() {
    if (runs()) ::waitpid(process_, nullptr, 0);
    if (output_ >= 0) ::close(std::exchange(output_, -1));
    process_ = 0;
  }

 private:
  // Between fork and exec: only what is safe there.
  [[noreturn]] void become_game(int its_output) const {
    ::setpgid(0, 0);  // a key that interrupts the training is not meant for it
    const int nothing = ::open("/dev/null", O_RDONLY);
    ::dup2(nothing, 0);
    ::dup2(its_output, 1);
    ::dup2(its_output, 2);
    ::execl("/bin/sh", "sh", "-c", command_.c_str(), nullptr);
    ::_exit(127);
  }

  void pause() {
    pause_ = Clock::now() - started_ > long_life || pause_.count() == 0
                 ? std::chrono::milliseconds(first_pause)
                 : std::min<std::chrono::milliseconds>(2 * pause_, longest_pause);
    next_start_ = Clock::now() + pause_;
  }

  void add(char c) {
    if (c != '\n') {
      if (line_.size() < longest_line && c != '\r') line_ += c;
      return;
    }
    lines_.push_back(std::exchange(line_, {}));
    if (lines_.size() > kept_lines) lines_.pop_front();
  }

  std::string command_;
  pid_t process_ = 0;
  int output_ = -1;
  Clock::time_point started_{}, next_start_{};
  std::chrono::milliseconds pause_{0};
  std::deque<std::string> lines_{};
  std::string line_{};
};

}  // namespace

struct GameLauncher::State {
  void watch();

  std::vector<Instance> instances{};
  std::function<void(const std::string&)> note{};
  std::atomic<bool> ending{false}, expected{false};
  mutable std::mutex mutex;
  std::string last_end{};
  std::thread thread{};
};

void GameLauncher::State::watch() {
  while (!ending) {
    std::vector<pollfd> outputs;
    for (std::size_t i = 0; i < instances.size(); ++i) {
      Instance& instance = instances[i];
      if (!expected) instance.start_if_due();
      instance.read();
      if (const auto how = instance.ended(); how && !expected) {
        const std::string text = "game " + std::to_string(i) + " " + *how;
        {
          const std::lock_guard lock(mutex);
          last_end = text;
        }
        note(text);
      }
      if (instance.runs()) outputs.push_back({instance.output(), POLLIN, 0});
    }
    ::poll(outputs.data(), outputs.size(), static_cast<int>(look_up.count()));
    // A game that prints without end must not keep this thread from its other work.
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
  }
  for (const Instance& instance : instances) instance.signal(SIGTERM);
  const auto limit = Clock::now() + std::chrono::seconds(2);
  const auto any_runs = [&] {
    bool any = false;
    for (Instance& instance : instances) {
      instance.ended();
      any = any || instance.runs();
    }
    return any;
  };
  while (any_runs() && Clock::now() < limit)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  for (Instance& instance : instances) {
    instance.signal(SIGKILL);
    instance.reap();
  }
}

GameLauncher::GameLauncher(const std::string& command, const std::string& address,
                           std::size_t instances, std::function<void(const std::string&)> note)
    : state_(std::make_unique<State>()) {
  state_->note = std::move(note);
  for (std::size_t i = 0; i < instances; ++i) {
    std::string own = command;
    replace_all(own, "{address}", address);
    replace_all(own, "{number}", std::to_string(i));
    state_->instances.emplace_back(own);
  }
  state_->thread = std::thread([state = state_.get()] { state->watch(); });
}

GameLauncher::~GameLauncher() {
  state_->ending = true;
  state_->thread.join();
}

void GameLauncher::expect_end() { state_->expected = true; }

std::string GameLauncher::last_end() const {
  const std::lock_guard lock(state_->mutex);
  return state_->last_end;
}

}  // namespace zithercraft::remote_internal
