// Casts against a reference that tries every ray on every side of every thing, in double precision.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "worlds.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::World;

constexpr double infinite = std::numeric_limits<double>::infinity();

/// A closed or open chain of sides, swollen by a radius; one point is a disc.
struct Thing {
  std::vector<Point> corners{};
  double radius = 0;
  bool closed = false, solid = true;
  std::int32_t entity = -1;
};

struct Ray {
  double x, y, dx, dy;
};

// Where a ray enters and leaves the circle, if it does at all.
void cross_circle(const Ray& r, const Point& c, double radius, double& in, double& out) {
  const double x = c[0] - r.x, y = c[1] - r.y, b = x * r.dx + y * r.dy;
  const double off = x * r.dy - y * r.dx, square = radius * radius - off * off;
  if (radius <= 0 || square < 0) return;
  in = std::min(in, b - std::sqrt(square));
  out = std::max(out, b + std::sqrt(square));
}

void cross_segment(const Ray& r, double ax, double ay, double bx, double by, double& in, double& out) {
  const double ex = bx - ax, ey = by - ay, below = r.dx * ey - r.dy * ex;
  if (std::fabs(below) < 1e-12) return;
  const double x = ax - r.x, y = ay - r.y, t = (x * ey - y * ex) / below, u = (x * r.dy - y * r.dx) / below;
  if (u < 0 || u > 1) return;
  in = std::min(in, t);
  out = std::max(out, t);
}

// Distance to the thing's outline, or 0 for a solid thing around the origin; `swell` is added to its radius.
double distance_to(const Thing& thing, const Ray& r, double swell) {
  const double radius = thing.radius + swell;
  double in = infinite, out = -infinite;
  const std::size_t n = thing.corners.size();
  for (const Point& c : thing.corners) cross_circle(r, c, radius, in, out);
  for (std::size_t i = 0; i + (thing.closed ? 0 : 1) < n; ++i) {
    const Point &a = thing.corners[i], &b = thing.corners[(i + 1) % n];
    const double ex = b[0] - a[0], ey = b[1] - a[1], size = std::hypot(ex, ey);
    const double nx = ey / size * radius, ny = -ex / size * radius;
    cross_segment(r, a[0] + nx, a[1] + ny, b[0] + nx, b[1] + ny, in, out);
    if (radius != 0 && !thing.closed) cross_segment(r, a[0] - nx, a[1] - ny, b[0] - nx, b[1] - ny, in, out);
  }
  // A wall made thinner than nothing: both its shifted lines have to be crossed.
  if (radius < 0 && !thing.closed) return in < out && in >= 0 ? out : infinite;
  if (out < 0) return infinite;
  if (in >= 0) return in;
  return thing.solid ? 0 : out;
}

std::vector<Thing> things_of(World& world) {
  std::vector<Thing> things;
  const Arena& arena = world.arena;
  for (std::size_t e = 0; e < arena.entities().size(); ++e) {
    const Entity& entity = arena.entities()[e];
    Thing thing{.entity = static_cast<std::int32_t>(e)};
    if (entity.kind == EntityKind::wall) {
      thing.corners = arena.outline(world.state(), e);
      for (std::size_t i = 0; i + 1 < thing.corners.size(); ++i)
        things.push_back({{thing.corners[i], thing.corners[i + 1]}, 0, false, true, thing.entity});
      continue;
    }
    const Pose pose = world.pose(e);
    const Point centre{static_cast<double>(pose.x), static_cast<double>(pose.y)};
    const auto at = [&](double along, double across) -> Point {
      const double c = static_cast<double>(pose.cos), s = static_cast<double>(pose.sin);
      return {centre[0] + c * along - s * across, centre[1] + s * along + c * across};
    };
    thing.solid = entity.kind != EntityKind::zone;
    const Shape& shape = entity.kind == EntityKind::zone   ? arena.spec().zones[entity.spec_index].shape
                         : entity.kind == EntityKind::item ? arena.spec().items[entity.spec_index].shape
                                                           : arena.spec().bodies[entity.spec_index].shape;
    if (const auto* disc = std::get_if<Disc>(&shape)) {
      thing.corners = {centre};
      thing.radius = disc->radius;
    } else if (const auto* capsule = std::get_if<Capsule>(&shape)) {
      const double half = capsule->length / 2 - capsule->radius;
      thing.corners = {at(-half, 0), at(half, 0)};
      thing.radius = capsule->radius;
    } else {
      thing.corners = arena.outline(world.state(), e);
      thing.closed = true;
    }
    things.push_back(std::move(thing));
  }
  return things;
}

ArenaSpec random_scene(std::uint32_t number) {
  RandomStream random(11, number, 0, Purpose::user);
  const std::array<double, 4> region{-12, -12, 12, 12};
  ArenaSpec spec;
  spec.walls = {{.name = "wall", .points = {{-15, -15}, {15, -15}, {15, 15}, {-15, 15}}, .closed = true},
                {.name = "fence", .points = {{-4, 13}, {0, 12.5}, {5, 13.5}}}};
  const auto size = [&] { return random.between(0.2, 1.2); };
  spec.bodies = {{.name = "disc", .count = 5, .shape = Disc{size()}, .place = {.region = region}},
                 {.name = "capsule", .count = 4, .shape = Capsule{3 * size() + 0.6, 0.3}},
                 {.name = "box", .count = 6, .shape = Box{2 * size(), size()}},
                 {.name = "outline", .count = 4, .shape = Outline{{{0, 0}, {2, 0.2}, {2.5, 1}, {1, 1.8}, {-0.3, 1}}}}};
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
    std::vector<std::int32_t> entity(rays_per_fan);
    for (std::size_t fan = 0; fan < fans_per_scene; ++fan) {
      const float x = static_cast<float>(random.between(-14, 14)), y = static_cast<float>(random.between(-14, 14));
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
        const double swell = 0.5 * static_cast<double>(thickness), got = static_cast<double>(distance[i]);
        const double far = static_cast<double>(reach), slack = 1e-4 * far + 1e-3;
        // Rays that graze a thing may meet it or not: any distance between those of slightly larger and smaller things.
        double larger = far, smaller = far, of_entity = far;
        for (const Thing& thing : things) {
          const double a = distance_to(thing, ray, swell + 2e-4), b = distance_to(thing, ray, swell - 2e-4);
          const double c = distance_to(thing, ray, swell);
          larger = std::min({larger, a, b, c});
          smaller = std::min(smaller, std::max({a, b, c}));
          if (thing.entity == entity[i]) of_entity = std::min({of_entity, a, b, c});
        }
        ASSERT_GE(got, larger - slack) << "scene " << number << ", fan " << fan << ", ray " << i;
        ASSERT_LE(got, smaller + slack) << "scene " << number << ", fan " << fan << ", ray " << i;
        if (entity[i] >= 0) {
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
  spec.cells = CellsSpec{.size = 0.7,
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
        const double x = -10 + 0.7 * static_cast<double>(column), y = -6 + 0.7 * static_cast<double>(row);
        things.push_back({{{x, y}, {x + 0.7, y}, {x + 0.7, y + 0.7}, {x, y + 0.7}}, 0, true, true, 0});
      }
    RandomStream random(13, number, 0, Purpose::user);
    for (int i = 0; i < 2000; ++i) {
      const float x = static_cast<float>(random.between(-13, 14)), y = static_cast<float>(random.between(-9, 11));
      const double angle = random.between(-3.2, 3.2);
      const float thickness = i % 4 == 0 ? 0.3f : 0.0f;
      const test::Hit hit = test::cast(world, x, y, angle * 57.29577951308232, 12, thickness);
      const Ray ray{static_cast<double>(x), static_cast<double>(y), std::cos(angle), std::sin(angle)};
      double larger = 12, smaller = 12;
      for (const Thing& thing : things) {
        larger = std::min(larger, distance_to(thing, ray, 0.5 * static_cast<double>(thickness) + 3e-4));
        smaller = std::min(smaller, distance_to(thing, ray, 0.5 * static_cast<double>(thickness) - 3e-4));
      }
      ASSERT_GE(static_cast<double>(hit.distance), larger - 2e-3) << number << " " << i;
      ASSERT_LE(static_cast<double>(hit.distance), smaller + 2e-3) << number << " " << i;
    }
  }
}

}  // namespace
}  // namespace zithercraft
