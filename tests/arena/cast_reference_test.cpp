// Casts against a reference that tries every ray on every side of every thing, in double precision.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "reference_rays.hpp"
#include "worlds.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::distance_to;
using test::Ray;
using test::set_outline;
using test::Thing;
using test::World;

std::vector<Thing> things_of(World& world) {
  std::vector<Thing> things;
  const Arena& arena = world.arena;
  for (const EntityId e : arena.ids()) {
    const Entity& entity = arena.entity(e);
    Thing thing{.entity = e};
    if (entity.kind == EntityKind::wall) {
      thing.corners = arena.outline(world.state(), e);
      for (std::size_t i = 0; i + 1 < thing.corners.size(); ++i)
        things.push_back({{thing.corners[i], thing.corners[i + 1]}, 0, false, true, thing.entity});
      continue;
    }
    set_outline(world, e, thing);
    thing.solid = entity.kind != EntityKind::zone;
    things.push_back(std::move(thing));
  }
  return things;
}

ArenaSpec random_scene(std::uint32_t number) {
  RandomStream random(11, number, 0, Purpose::user);
  const std::array<double, 4> region{-12, -12, 12, 12};
  ArenaSpec spec;
  spec.walls = {
      {.name = "wall", .points = {{-15, -15}, {15, -15}, {15, 15}, {-15, 15}}, .closed = true},
      {.name = "fence", .points = {{-4, 13}, {0, 12.5}, {5, 13.5}}}};
  const auto size = [&] { return random.between(0.2, 1.2); };
  spec.bodies = {{.name = "disc", .count = 5, .shape = Disc{size()}, .place = {.region = region}},
                 {.name = "capsule", .count = 4, .shape = Capsule{3 * size() + 0.6, 0.3}},
                 {.name = "box", .count = 6, .shape = Box{2 * size(), size()}},
                 {.name = "outline",
                  .count = 4,
                  .shape = Outline{{{0, 0}, {2, 0.2}, {2.5, 1}, {1, 1.8}, {-0.3, 1}}}}};
  spec.zones = {{.name = "pool", .shape = Disc{1.5}},
                {.name = "dock", .shape = Box{3, 2}},
                {.name = "bay", .shape = Outline{{{-1, -1}, {1, -1}, {0, 1.5}}}},
                {.name = "lane", .shape = Capsule{4, 0.7}}};
  spec.items = {{.name = "lamp", .count = 3}};
  for (auto& body : spec.bodies) body.place = {.region = region, .heading = {-180, 180}};
  for (auto& zone : spec.zones) zone.place = {.region = region, .heading = {-180, 180}};
  for (auto& item : spec.items) item.place = {.region = region};
  return spec;
}

// A million rays in all, in fans and alone, thin and thick.
TEST(CastReference, AMillionRaysOverRandomScenesAgree) {
  constexpr std::uint32_t scenes = 100;
  constexpr std::size_t fans_per_scene = 520, rays_per_fan = 40;
  std::size_t rays = 0, hits = 0;
  for (std::uint32_t number = 0; number < scenes; ++number) {
    World world(random_scene(number));
    const auto things = things_of(world);
    RandomStream random(12, number, 0, Purpose::user);
    std::vector<float> dx(rays_per_fan), dy(rays_per_fan), distance(rays_per_fan);
    std::vector<EntityId> entity(rays_per_fan);
    for (std::size_t fan = 0; fan < fans_per_scene; ++fan) {
      const float x = static_cast<float>(random.between(-14, 14)),
                  y = static_cast<float>(random.between(-14, 14));
      const double first = random.between(-3.2, 3.2), arc = random.between(0.01, 6.3);
      const std::size_t count = 1 + random.below(rays_per_fan);
      for (std::size_t i = 0; i < count; ++i) {
        const double angle = first + arc * static_cast<double>(i) / static_cast<double>(count);
        dx[i] = static_cast<float>(std::cos(angle));
        dy[i] = static_cast<float>(std::sin(angle));
      }
      const float reach = static_cast<float>(random.between(0.5, 40));
      const float thickness = fan % 3 == 0 ? static_cast<float>(random.between(0.01, 1.5)) : 0.0f;
      world.arena.cast(world.state(),
                       RayFanQuery{.x = x,
                                   .y = y,
                                   .direction_x = std::span(dx).first(count),
                                   .direction_y = std::span(dy).first(count),
                                   .reach = reach,
                                   .thickness = thickness},
                       distance, entity);
      for (std::size_t i = 0; i < count; ++i, ++rays) {
        const Ray ray{static_cast<double>(x), static_cast<double>(y), static_cast<double>(dx[i]),
                      static_cast<double>(dy[i])};
        const double swell = 0.5 * static_cast<double>(thickness),
                     got = static_cast<double>(distance[i]);
        const double far = static_cast<double>(reach), slack = 1e-4 * far + 1e-3;
        // Rays that graze a thing may meet it or not: any distance between those of slightly larger
        // and smaller things.
        double larger = far, smaller = far, of_entity = far;
        for (const Thing& thing : things) {
          const double a = distance_to(thing, ray, swell + 2e-4),
                       b = distance_to(thing, ray, swell - 2e-4);
          const double c = distance_to(thing, ray, swell);
          larger = std::min({larger, a, b, c});
          smaller = std::min(smaller, std::max({a, b, c}));
          if (thing.entity == entity[i]) of_entity = std::min({of_entity, a, b, c});
        }
        ASSERT_GE(got, larger - slack) << "scene " << number << ", fan " << fan << ", ray " << i;
        ASSERT_LE(got, smaller + slack) << "scene " << number << ", fan " << fan << ", ray " << i;
        if (entity[i]) {
          ++hits;
          ASSERT_LE(of_entity, got + slack) << "the thing it names is not there";
        }
      }
    }
  }
  EXPECT_GT(rays, 1'000'000u);
  EXPECT_GT(hits, rays / 2);
}

// Every cell of the map is a box for the reference.
TEST(CastReference, RaysOverCellsAgree) {
  ArenaSpec spec;
  spec.cells =
      CellsSpec{.size = 0.7,
                .origin = {-10, -6},
                .kinds = {{.name = "rock", .solid = true}, {.name = "sand", .seen = false}},
                .columns = 30,
                .rows = 20,
                .generate = {Caves{.wall = "rock", .open = "sand", .rounds = 2}}};
  for (std::uint32_t number = 0; number < 20; ++number) {
    World world(spec);
    world.arena.begin(world.state(), 5, number, 0, world.scratch);
    std::vector<Thing> things;
    for (std::size_t row = 0; row < 20; ++row)
      for (std::size_t column = 0; column < 30; ++column) {
        if (world.arena.cell_at(world.state(), column, row) != 0) continue;
        const double x = -10 + 0.7 * static_cast<double>(column),
                     y = -6 + 0.7 * static_cast<double>(row);
        things.push_back(
            {{{x, y}, {x + 0.7, y}, {x + 0.7, y + 0.7}, {x, y + 0.7}}, 0, true, true, 0});
      }
    RandomStream random(13, number, 0, Purpose::user);
    for (int i = 0; i < 2000; ++i) {
      const float x = static_cast<float>(random.between(-13, 14)),
                  y = static_cast<float>(random.between(-9, 11));
      const double angle = random.between(-3.2, 3.2);
      const float thickness = i % 4 == 0 ? 0.3f : 0.0f;
      const test::Hit hit = test::cast(world, x, y, angle * 57.29577951308232, 12, thickness);
      const Ray ray{static_cast<double>(x), static_cast<double>(y), std::cos(angle),
                    std::sin(angle)};
      double larger = 12, smaller = 12;
      for (const Thing& thing : things) {
        larger =
            std::min(larger, distance_to(thing, ray, 0.5 * static_cast<double>(thickness) + 3e-4));
        smaller =
            std::min(smaller, distance_to(thing, ray, 0.5 * static_cast<double>(thickness) - 3e-4));
      }
      ASSERT_GE(static_cast<double>(hit.distance), larger - 2e-3) << number << " " << i;
      ASSERT_LE(static_cast<double>(hit.distance), smaller + 2e-3) << number << " " << i;
    }
  }
}

}  // namespace
}  // namespace zithercraft
