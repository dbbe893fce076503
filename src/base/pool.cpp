#include "zithercraft/base/pool.hpp"

#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <utility>
#include <vector>

namespace zithercraft {

struct WorkerPool::State {
  std::vector<std::thread> others;
  std::atomic<std::size_t> round{0};    // raised to start a share-out
  std::atomic<std::size_t> at_rest{0};  // workers that finished the current share-out
  std::atomic<std::size_t> next_item{0};
  std::atomic<bool> closing{false};

  Call call = nullptr;
  void* context = nullptr;

  std::mutex failure_lock;
  std::exception_ptr failure;
  std::atomic<std::size_t> failed_item{
      0};  // later items are not begun; none has failed while it is their number

  void work(std::size_t worker) {
    for (std::size_t item;
         (item = next_item.fetch_add(1, std::memory_order_relaxed)) < failed_item.load();) {
      try {
        call(context, item, worker);
      } catch (...) {
        const std::lock_guard hold(failure_lock);
        if (item < failed_item.load()) {
          failure = std::current_exception();
          failed_item = item;
        }
      }
    }
  }

  // Small share-outs often follow each other closely, and who sleeps takes long to wake up.
  static void await_change(const std::atomic<std::size_t>& number, std::size_t old) {
    constexpr int patience = 1000;  // some tens of microseconds
    for (int i = 0; i < patience; ++i) {
      if (number.load(std::memory_order_acquire) != old) return;
#if defined(__x86_64__)
      __builtin_ia32_pause();
#endif
    }
    number.wait(old, std::memory_order_acquire);
  }

  void serve(std::size_t worker) {
    for (std::size_t seen = 0;;) {
      await_change(round, seen);
      seen = round.load(std::memory_order_acquire);
      if (closing.load(std::memory_order_acquire)) return;
      work(worker);
      at_rest.fetch_add(1, std::memory_order_release);
      at_rest.notify_one();
    }
  }
};

WorkerPool::WorkerPool(std::size_t threads) : state_(std::make_unique<State>()) {
  if (threads == 0) threads = std::max(1u, std::thread::hardware_concurrency());
  for (std::size_t worker = 1; worker < threads; ++worker)
    state_->others.emplace_back([state = state_.get(), worker] { state->serve(worker); });
}

WorkerPool::~WorkerPool() {
  state_->closing.store(true, std::memory_order_release);
  state_->round.fetch_add(1, std::memory_order_release);
  state_->round.notify_all();
  for (auto& thread : state_->others) thread.join();
}

std::size_t WorkerPool::threads() const noexcept { return state_->others.size() + 1; }

void WorkerPool::share_out(std::size_t items, Call call, void* context) {
  State& s = *state_;
  s.call = call;
  s.context = context;
  s.failed_item.store(items);
  s.next_item.store(0, std::memory_order_relaxed);
  s.at_rest.store(0, std::memory_order_relaxed);
  s.round.fetch_add(1, std::memory_order_release);
  s.round.notify_all();
  s.work(0);
  for (std::size_t rested; (rested = s.at_rest.load(std::memory_order_acquire)) < s.others.size();)
    State::await_change(s.at_rest, rested);
  if (s.failure) std::rethrow_exception(std::exchange(s.failure, nullptr));
}

}  // namespace zithercraft
