#pragma once

#include <vector>

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// Where a point is, as a thing with a pose sees it in the plane.
Way way_to(const StateArrays& state, std::size_t looker, Vec point);
/// What happens now where a thing with a pose is. As far as the two have poses, the event says
/// where each is as the other sees it.
Event event_at(const ArenaPlan& plan, const StateArrays& state, std::size_t posed, EventKind kind,
               EntityId who, EntityId whom, float strength, std::int32_t detail);

/// Where events go: kept if the caller wants their kind.
class EventSink {
 public:
  EventSink(const ArenaPlan& plan, const StateArrays& state, std::vector<Event>& events,
            EventMask wanted)
      : plan_(plan), s_(state), events_(events), wanted_(wanted) {}

  bool wants(EventKind kind) const { return wanted_.has(kind); }
  void push(const Event& event) {
    if (wants(event.kind)) events_.push_back(event);
  }
  void push_at(std::size_t posed, EventKind kind, EntityId who, EntityId whom,
               float strength = 0.0f, std::int32_t detail = 0) {
    if (wants(kind))
      events_.push_back(event_at(plan_, s_, posed, kind, who, whom, strength, detail));
  }

 private:
  const ArenaPlan& plan_;
  const StateArrays& s_;
  std::vector<Event>& events_;
  EventMask wanted_;
};

}  // namespace zithercraft::arena_internal
