#include <algorithm>

#include "arena/compile/compiler.hpp"
#include "arena/physics/causeway.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

std::string metres(double value) {
  return std::to_string(std::floor(100.0 * value + 0.5) / 100.0).substr(0, 5) + " m";
}

void check_ranges(const Causeway& spec, const std::string& where) {
  if (spec.name.empty()) wrong("the name is empty", where + ".name", "name it");
  if (spec.stones[0] > spec.stones[1])
    wrong("the range of stones runs backwards", where + ".stones", "give the smaller first");
  if (spec.gap[0] > spec.gap[1])
    wrong("the gap's range runs backwards", where + ".gap", "give the smaller first");
  if (spec.rise[0] > spec.rise[1])
    wrong("the range of steps runs backwards", where + ".rise", "give the smaller first");
  if (spec.levels[0] > spec.levels[1])
    wrong("the range of levels runs backwards", where + ".levels", "give the smaller first");
  // What is in place must cover what is behind the body and a platform ahead, all gaps counted.
  const double least = static_cast<double>(spec.count) * spec.stone[0];
  if (least < 2.0 * spec.behind)
    wrong("too few stones to stay ahead", where + ".count", "add stones, or shorten `behind`");
}

}  // namespace

void ArenaCompiler::add_causeways() {
  for (std::size_t i = 0; i < plan_.spec.causeways.size(); ++i) {
    const Causeway& spec = plan_.spec.causeways[i];
    const std::string where = "arena.causeways[" + std::to_string(i) + "]";
    if (!plan_.heights.used) wrong("the arena has no height", where, "give it [arena.heights]");
    check_ranges(spec, where);
    CausewayData data{.stones = static_cast<std::size_t>(spec.count), .spec = spec};
    data.follows = find_followed(spec.follows, where);
    const auto body = std::find_if(bodies_.begin(), bodies_.end(), [&](const BodySpec& other) {
      return other.name == spec.follows;
    });
    const auto* walker = body->mover ? std::get_if<Walker>(&*body->mover) : nullptr;
    if (walker == nullptr || !(walker->jump > 0.0))
      wrong("'" + spec.follows + "' does not jump", where + ".follows",
            "give it a walker with a `jump`");
    data.speed = static_cast<float>(walker->speed);
    data.drag = static_cast<float>(body->drag);
    data.jump = static_cast<float>(walker->jump);
    data.gravity = static_cast<float>(plan_.spec.heights->gravity);
    const double highest = highest_step(data);
    if (spec.rise[1] > highest)
      wrong("a step of " + metres(spec.rise[1]) + " is too high for the jump of '" + spec.follows +
                "', which masters " + metres(highest),
            where + ".rise", "lower the step, or raise `jump`");
    if (const double longest = longest_gap(data, spec.rise[1]); spec.gap[0] > longest)
      wrong("a gap of " + metres(spec.gap[0]) + " before a step of " + metres(spec.rise[1]) +
                " is beyond '" + spec.follows + "', which masters " + metres(longest),
            where + ".gap", "shorten the least gap, lower the step, or raise `jump` or `speed`");
    data.first_body = count_bodies();
    BodySpec stone{.name = spec.name, .count = spec.count, .kills = spec.kills};
    stone.shape = Box{.length = spec.stone[0], .width = spec.stone[1]};
    stone.height = spec.thickness;
    bodies_.push_back(std::move(stone));
    plan_.causeways.push_back(std::move(data));
  }
}

}  // namespace zithercraft::arena_internal
