#pragma once

#include <vector>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft::arena_internal {

/// Where events go: kept if the caller wants their kind.
class EventSink {
 public:
  EventSink(std::vector<Event>& events, EventMask wanted) : events_(events), wanted_(wanted) {}
  void push(const Event& event) {
    if (wanted_.has(event.kind)) events_.push_back(event);
  }

 private:
  std::vector<Event>& events_;
  EventMask wanted_;
};

}  // namespace zithercraft::arena_internal
