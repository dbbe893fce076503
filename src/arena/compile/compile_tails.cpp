#include <algorithm>
#include <cmath>

#include "arena/compile/compiler.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {

// Each leader has as many pieces as the spec counts.
std::int64_t ArenaCompiler::most_bodies(const BodySpec& spec, const std::string& where) const {
  const std::int64_t count = count_of(spec.count, spec.density, spec.place, where);
  if (!spec.tail) return count;
  if (spec.density) wrong("pieces of a tail have no density", where + ".density", "give `count`");
  const auto leader = std::find_if(bodies_.begin(), bodies_.end(), [&](const BodySpec& other) {
    return other.name == spec.tail->follows;
  });
  if (leader == bodies_.end()) {
    std::vector<std::string> names;
    for (const BodySpec& other : bodies_)
      if (other.motion == Motion::free) names.push_back(other.name);
    wrong("no body is named '" + spec.tail->follows + "'", where + ".tail.follows",
          names.empty() ? "a tail follows a free body" : advice(spec.tail->follows, names));
  }
  if (leader->motion != Motion::free)
    wrong("'" + leader->name + "' is no free body, which alone can lead a tail",
          where + ".tail.follows", "follow a body with motion = \"free\"");
  if (spec.returns)
    wrong("pieces of a tail do not come back by themselves", where + ".returns",
          "let the leader's meter say how many there are");
  return count * count_of(leader->count, leader->density, leader->place, where);
}

void ArenaCompiler::link_tails() {
  for (std::size_t i = 0; i < plan_.spec.bodies.size(); ++i) {
    const BodySpec& spec = plan_.spec.bodies[i];
    if (!spec.tail) continue;
    const std::string where = "arena.bodies[" + std::to_string(i) + "].tail";
    plan_.tail_of.resize(plan_.bodies, nowhere);
    std::size_t piece = 0;
    while (plan_.entities[piece].spec_index != i) ++piece;
    for (std::size_t leader = 0; leader < plan_.bodies; ++leader) {
      if (plan_.entities[leader].name != spec.tail->follows) continue;
      add_tail(spec, leader, piece, where);
      piece += static_cast<std::size_t>(spec.count);
    }
  }
}

void ArenaCompiler::add_tail(const BodySpec& spec, std::size_t leader, std::size_t first,
                             const std::string& where) {
  constexpr std::size_t knots_per_piece = 8;
  TailData tail{.leader = leader, .first = first};
  tail.pieces = static_cast<std::size_t>(spec.count);
  const auto name =
      std::find(plan_.meter_names.begin(), plan_.meter_names.end(), spec.tail->length);
  const std::int32_t meter =
      name == plan_.meter_names.end()
          ? -1
          : plan_.meter_of[plan_.active_index[leader]]
                          [static_cast<std::size_t>(name - plan_.meter_names.begin())];
  if (meter < 0)
    wrong("'" + spec.tail->follows + "' has no meter '" + spec.tail->length + "'",
          where + ".length",
          plan_.meter_names.empty() ? "give it one" : advice(spec.tail->length, plan_.meter_names));
  tail.meter = static_cast<std::size_t>(meter);
  for (std::size_t k = 0; k < plan_.steppers.size(); ++k)
    if (plan_.steppers[k].body == leader) tail.stepper = k;
  tail.spacing = static_cast<float>(spec.tail->spacing);
  if (tail.stepper == nowhere) {
    tail.knot_every = tail.spacing / static_cast<float>(knots_per_piece);
    tail.knots = knots_per_piece * tail.pieces + 2;
    const float touching = plan_.bounds[leader] + plan_.bounds[first];
    tail.close = static_cast<std::size_t>(std::min(1e6f, std::ceil(touching / tail.spacing)));
  }
  tail.first_knot = plan_.knots;
  plan_.knots += tail.knots;
  tail.lets_pass = tag_mask(spec.tail->lets_pass, where + ".lets_pass");
  for (std::size_t k = 0; k < tail.pieces; ++k) plan_.tail_of[first + k] = plan_.tails.size();
  plan_.tails.push_back(tail);
}

}  // namespace zithercraft::arena_internal
