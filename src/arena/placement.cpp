#include "placement.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

constexpr int tries_per_thing = 100;
constexpr int tries_per_layout = 30;

Pose random_pose(const Placement& place, RandomStream& random) {
  Pose pose;
  pose.x = static_cast<float>(random.between(place.region[0], place.region[2]));
  pose.y = static_cast<float>(random.between(place.region[1], place.region[3]));
  const double heading = exact::wrap_angle(exact::radians(random.between(place.heading[0], place.heading[1])));
  const auto [sin, cos] = exact::sin_cos(heading);
  pose.heading = static_cast<float>(heading);
  pose.cos = cos;
  pose.sin = sin;
  return pose;
}

bool is_free(const ArenaPlan& plan, const Core& core, float clearance, const std::vector<Core>& placed) {
  const auto apart = [&](const Core& other) { return gap_between(core, other).distance > clearance; };
  return std::all_of(placed.begin(), placed.end(), apart) &&
         std::all_of(plan.pieces.begin(), plan.pieces.end(), [&](const WallPiece& piece) { return apart(piece.core); });
}

// Places one thing; false if no free spot was met.
bool place(const ArenaPlan& plan, StateArrays& s, std::size_t entity, RandomStream& random, std::vector<Core>& placed) {
  const Placement& rule = plan.placement_of(entity);
  for (int attempt = 0; attempt < tries_per_thing; ++attempt) {
    const Pose pose = random_pose(rule, random);
    const Core core = core_of(plan.shapes[entity], pose);
    if (!is_free(plan, core, static_cast<float>(rule.clearance), placed)) continue;
    s.x[entity] = pose.x;
    s.y[entity] = pose.y;
    s.heading[entity] = pose.heading;
    s.cos[entity] = pose.cos;
    s.sin[entity] = pose.sin;
    placed.push_back(core);
    return true;
  }
  return false;
}

}  // namespace

void place_everything(const ArenaPlan& plan, StateArrays& s, RandomStream& random, std::vector<Core>& placed) {
  std::size_t stuck = 0;
  for (int attempt = 0; attempt < tries_per_layout; ++attempt) {
    placed.clear();
    const auto failed = std::find_if(plan.placing_order.begin(), plan.placing_order.end(),
                                     [&](std::size_t entity) { return !place(plan, s, entity, random, placed); });
    if (failed == plan.placing_order.end()) return;
    stuck = *failed;
  }
  const Entity& entity = plan.entities[stuck];
  throw Error(Fault::spec,
              "'" + entity.name + "' finds no free place in its region (" + std::to_string(tries_per_layout) +
                  " layouts tried)",
              plan.key_path_of(stuck) + ".place", "widen the region, lower the clearance, or place fewer things");
}

}  // namespace zithercraft
