#pragma once

// What one thread plays lanes with.

#include <exception>
#include <string>
#include <vector>

#include "game/plan.hpp"
#include "game/sense.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/custom_batch.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {

struct Lanes::Worker {
  explicit Worker(const game_internal::GamePlan& plan) : senses(plan) {}
  ArenaScratch scratch;
  game_internal::SenseRoom senses;
  std::vector<BatchStep> steps;  // of lanes that are stepped together
};

namespace game_internal {

// What goes wrong in a lane says in which.
template <class Call>
void in_lane(std::size_t lane, Call call) {
  try {
    call();
  } catch (const Error& error) {
    throw LaneError(error, lane);
  } catch (const std::exception& error) {
    throw LaneError(
        Error(ErrorKind::refused, "the game's own code failed: " + std::string(error.what()),
              "step or begin", "mend it; it must get by with whatever players do"),
        lane);
  }
}

}  // namespace game_internal
}  // namespace zithercraft
