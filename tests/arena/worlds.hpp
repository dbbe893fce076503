#pragma once

#include <array>
#include <cmath>
#include <memory>
#include <string>
#include <vector>

#include "zithercraft/arena/arena.hpp"

namespace zithercraft::test {

/// An arena with one state that starts from given poses.
class World {
 public:
  explicit World(const ArenaSpec& spec) : arena(spec), block(arena.state_bytes() / 8 + 1) {
    arena.begin(state(), 1, 0, 0, scratch);
  }
  std::byte* state() { return reinterpret_cast<std::byte*>(block.data()); }
  void ticks(int n) {
    for (int i = 0; i < n; ++i) arena.tick(state(), scratch, events);
  }
  Pose pose(EntityId i) { return arena.pose(state(), i); }
  Velocity velocity(EntityId i) { return arena.velocity(state(), i); }
  float speed(EntityId i) { return std::hypot(velocity(i).x, velocity(i).y); }

  Arena arena;
  std::vector<std::uint64_t> block;
  ArenaScratch scratch;
  std::vector<Event> events;
};

/// A body far from everything else, to be put somewhere by the test.
inline BodySpec body(const std::string& name, const Shape& shape, Motion motion, double slot) {
  return {.name = name,
          .motion = motion,
          .shape = shape,
          .place = {.region = {1000 + 50 * slot, 0, 1000 + 50 * slot, 0}}};
}

struct Hit {
  float distance;
  EntityId entity;
};

inline Hit cast(World& world, float x, float y, double degrees, float reach, float thickness = 0.0f,
                EntityId exclude = {}, TagSet tags = TagSet::all()) {
  const std::array<float, 1> dx{static_cast<float>(std::cos(degrees * 0.017453292519943295))};
  const std::array<float, 1> dy{static_cast<float>(std::sin(degrees * 0.017453292519943295))};
  std::array<float, 1> distance{};
  std::array<EntityId, 1> entity{};
  world.arena.cast(world.state(),
                   {.x = x,
                    .y = y,
                    .direction_x = dx,
                    .direction_y = dy,
                    .reach = reach,
                    .thickness = thickness,
                    .tags = tags,
                    .exclude = exclude},
                   distance, entity);
  return {distance[0], entity[0]};
}

}  // namespace zithercraft::test
