#pragma once

#include <cstddef>
#include <functional>
#include <memory>
#include <type_traits>

namespace zithercraft {

/// A fixed set of worker threads that share out numbered work items.
///
/// Which worker takes which item is left to chance, so an item's result must depend on its number
/// alone. One thread at a time may call `run`. Nothing is allocated by `run`.
class WorkerPool {
 public:
  /// `threads` workers, the caller of `run` being one of them; 0 means one per processor.
  explicit WorkerPool(std::size_t threads = 0);
  ~WorkerPool();
  WorkerPool(const WorkerPool&) = delete;
  WorkerPool& operator=(const WorkerPool&) = delete;

  /// How many work at once, the caller among them.
  std::size_t threads() const noexcept;

  /// Calls `body(item, worker)` once for each item in [0, items) with worker in [0, threads()), and
  /// returns when all are done. If an item throws, later ones are not begun any more, and the
  /// exception of the lowest-numbered item that threw is rethrown here.
  template <class Body>
  void run(std::size_t items, Body&& body) {
    using Plain = std::remove_reference_t<Body>;
    share_out(
        items,
        [](void* context, std::size_t item, std::size_t worker) {
          std::invoke(*static_cast<Plain*>(context), item, worker);
        },
        const_cast<void*>(static_cast<const void*>(std::addressof(body))));
  }

 private:
  using Call = void (*)(void* context, std::size_t item, std::size_t worker);
  void share_out(std::size_t items, Call call, void* context);

  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft
