// Casts in arenas with height against plain ones in double precision.

#include <gtest/gtest.h>

#include <optional>

#include "reference_rays.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::infinite;
using test::World;

struct V {
  double x, y, z;
};
V operator+(V a, V b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
V operator-(V a, V b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
V operator*(double k, V a) { return {k * a.x, k * a.y, k * a.z}; }
double dot(V a, V b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
V cross(V a, V b) { return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }

struct SpaceRay {
  V from, d;
};

/// An upright thing, a ball, or a triangle.
struct Solid {
  test::Thing outline{};
  double low = -infinite, high = infinite;
  bool ball = false;
  std::optional<std::array<V, 3>> triangle{};
  EntityId entity{};
};

double distance_to_triangle(const std::array<V, 3>& t, V p) {
  double best = infinite;
  for (std::size_t i = 0; i < 3; ++i) {
    const V e = t[(i + 1) % 3] - t[i];
    const V q = t[i] + std::clamp(dot(p - t[i], e) / dot(e, e), 0.0, 1.0) * e;
    best = std::min(best, std::sqrt(dot(p - q, p - q)));
  }
  const V n = cross(t[1] - t[0], t[2] - t[0]);
  bool inside = true;
  for (std::size_t i = 0; i < 3; ++i)
    inside = inside && dot(cross(t[(i + 1) % 3] - t[i], p - t[i]), n) >= 0;
  return inside ? std::min(best, std::fabs(dot(p - t[0], n)) / std::sqrt(dot(n, n))) : best;
}

// Steps as far as is certainly free, until a ball of that radius touches.
double march(const std::array<V, 3>& t, const SpaceRay& r, double radius, double reach) {
  double at = 0;
  for (int i = 0; i < 2000 && at < reach; ++i) {
    const double gap = distance_to_triangle(t, r.from + at * r.d) - radius;
    if (gap < 1e-6) return at;
    at += gap;
  }
  return at < reach ? at : infinite;
}

double distance_to(const Solid& solid, const SpaceRay& r, double swell, double reach) {
  if (solid.triangle) return march(*solid.triangle, r, std::max(2e-6, swell), reach);
  double in = infinite, out = -infinite;
  if (solid.ball) {
    const auto& c = solid.outline.corners[0];
    const V m{c[0] - r.from.x, c[1] - r.from.y, solid.low + solid.outline.radius - r.from.z};
    const double b = dot(m, r.d), radius = solid.outline.radius + swell,
                 square = radius * radius - dot(m, m) + b * b;
    if (square < 0 || radius <= 0) return infinite;
    in = b - std::sqrt(square);
    out = b + std::sqrt(square);
  } else {
    const double level = std::hypot(r.d.x, r.d.y);
    test::cross(solid.outline, {r.from.x, r.from.y, r.d.x / level, r.d.y / level}, swell, in, out);
    in /= level;
    out /= level;
    const double a = (solid.low - swell - r.from.z) / r.d.z,
                 b = (solid.high + swell - r.from.z) / r.d.z;
    in = std::max(in, std::min(a, b));
    out = std::min(out, std::max(a, b));
  }
  if (in > out || out < 0) return infinite;
  return in >= 0 ? in : solid.outline.solid ? 0 : out;
}

ArenaSpec random_scene(std::uint32_t number, bool with_mesh) {
  RandomStream random(21, number, 0, Purpose::user);
  ArenaSpec spec;
  spec.heights = Heights{.floor = Floor{}};
  spec.walls = {
      {.name = "wall", .points = {{-15, -15}, {15, -15}, {15, 15}, {-15, 15}}, .closed = true},
      {.name = "fence", .points = {{-4, 13}, {0, 12.5}, {5, 13.5}}, .foot = 0.5, .height = 2.0}};
  const auto size = [&] { return random.between(0.2, 1.2); };
  spec.bodies = {
      {.name = "disc", .count = 5, .shape = Disc{size()}, .height = 2 * size()},
      {.name = "capsule",
       .count = 4,
       .shape = Capsule{3 * size() + 0.6, 0.3},
       .height = 3 * size()},
      {.name = "box", .count = 6, .shape = Box{2 * size(), size()}, .height = 4 * size()},
      {.name = "outline",
       .count = 4,
       .shape = Outline{{{0, 0}, {2, 0.2}, {2.5, 1}, {1, 1.8}, {-0.3, 1}}},
       .height = size()},
      {.name = "ball", .count = 6, .shape = Ball{size()}}};
  spec.zones = {{.name = "pool", .shape = Disc{1.5}},
                {.name = "dock", .shape = Box{3, 2}, .height = 2.5},
                {.name = "bubble", .shape = Ball{1.4}}};
  spec.items = {{.name = "lamp", .count = 3, .height = 0.5}};
  for (auto& body : spec.bodies)
    body.place = {.region = {-12, -12, 12, 12}, .heading = {-180, 180}, .level = {{0.0, 6.0}}};
  for (auto& zone : spec.zones)
    zone.place = {.region = {-12, -12, 12, 12}, .heading = {-180, 180}, .level = {{0.0, 4.0}}};
  for (auto& item : spec.items) item.place = {.region = {-12, -12, 12, 12}, .level = {{0.0, 6.0}}};
  if (!with_mesh) return spec;
  MeshSpec mesh{.name = "rock"};
  for (int t = 0; t < 12; ++t) {
    const double x = random.between(-11, 11), y = random.between(-11, 11),
                 z = random.between(0.2, 6);
    for (int k = 0; k < 3; ++k)
      mesh.corners.push_back(
          {x + random.between(-2, 2), y + random.between(-2, 2), z + random.between(-2, 2)});
    mesh.triangles.push_back({3 * t, 3 * t + 1, 3 * t + 2});
  }
  spec.meshes = {mesh};
  GroundSpec ground{.origin = {-14, -14}, .spacing = 7};
  for (int row = 0; row < 5; ++row)
    for (int column = 0; column < 5; ++column) {
      if (column == 0) ground.levels.emplace_back();
      ground.levels.back().push_back(random.between(-1.0, 1.0));
    }
  spec.ground = ground;
  return spec;
}

std::vector<Solid> solids_of(World& world) {
  std::vector<Solid> solids;
  const Arena& arena = world.arena;
  for (const EntityId e : arena.ids()) {
    const Entity& entity = arena.entity(e);
    Solid solid{.entity = e};
    if (entity.kind == EntityKind::wall) {
      const WallSpec& wall = arena.spec().walls[entity.spec_index];
      const auto points = arena.outline(world.state(), e);
      if (wall.height) {
        solid.low = wall.foot;
        solid.high = wall.foot + *wall.height;
      }
      for (std::size_t i = 0; i + 1 < points.size(); ++i) {
        solid.outline = {{points[i], points[i + 1]}, 0, false, true, solid.entity};
        solids.push_back(solid);
      }
    } else if (entity.kind == EntityKind::mesh) {
      const MeshSpec& mesh = arena.spec().meshes[0];
      for (const auto& t : mesh.triangles) {
        solid.triangle.emplace();
        for (std::size_t k = 0; k < 3; ++k) {
          const auto& c = mesh.corners[static_cast<std::size_t>(t[k])];
          (*solid.triangle)[k] = {c[0], c[1], c[2]};
        }
        solids.push_back(solid);
      }
    } else if (entity.kind == EntityKind::ground) {
      const GroundSpec& ground = *arena.spec().ground;
      const auto at = [&](std::size_t column, std::size_t row) {
        return V{ground.origin[0] + ground.spacing * static_cast<double>(column),
                 ground.origin[1] + ground.spacing * static_cast<double>(row),
                 ground.levels[row][column]};
      };
      for (std::size_t row = 0; row + 1 < ground.levels.size(); ++row)
        for (std::size_t column = 0; column + 1 < ground.levels.size(); ++column) {
          solid.triangle = {at(column, row), at(column + 1, row), at(column + 1, row + 1)};
          solids.push_back(solid);
          solid.triangle = {at(column, row), at(column + 1, row + 1), at(column, row + 1)};
          solids.push_back(solid);
        }
    } else if (entity.kind == EntityKind::floor) {
      solid.outline = {
          {{-500, -500}, {500, -500}, {500, 500}, {-500, 500}}, 0, true, true, solid.entity};
      solid.high = 0;
      solids.push_back(solid);
    } else {
      set_outline(world, e, solid.outline);
      solid.outline.solid = entity.kind != EntityKind::zone;
      solid.ball = std::holds_alternative<Ball>(test::shape_of(arena, e));
      if (const float tall = arena.height_of(e); std::isfinite(tall)) {
        solid.low = static_cast<double>(world.pose(e).z);
        solid.high = solid.low + static_cast<double>(tall);
      }
      solids.push_back(solid);
    }
  }
  return solids;
}

// What was met lies between what slightly larger and slightly smaller things give: rays that graze
// may meet or not.
void expect_same(const std::vector<Solid>& solids, const SpaceRay& ray, double swell, double reach,
                 double got, EntityId entity, const std::string& which, const std::string& met) {
  const double slack = 1e-4 * reach + 2e-3;
  double larger = reach, smaller = reach, of_entity = reach;
  for (const Solid& solid : solids) {
    const double a = distance_to(solid, ray, swell + 4e-4, reach),
                 b = distance_to(solid, ray, swell - 4e-4, reach);
    const double c = distance_to(solid, ray, swell, reach);
    // The edges of a triangle have no thickness to take away.
    const double worst = solid.triangle && swell < 1e-3 ? infinite : std::max({a, b, c});
    larger = std::min({larger, a, b, c});
    smaller = std::min(smaller, worst);
    if (solid.entity == entity) of_entity = std::min({of_entity, a, b, c});
  }
  ASSERT_GE(got, larger - slack) << which << " met " << met;
  ASSERT_LE(got, smaller + slack) << which << " met " << met;
  ASSERT_TRUE(!entity || of_entity <= got + slack) << which << ": the thing it names is not there";
}

void compare(std::uint32_t scenes, std::size_t fans, bool with_mesh) {
  constexpr std::size_t most = 40;
  std::size_t hits = 0, rays = 0;
  for (std::uint32_t number = 0; number < scenes; ++number) {
    World world(random_scene(number, with_mesh));
    const auto solids = solids_of(world);
    RandomStream random(22, number, 0, Purpose::user);
    std::vector<float> dx(most), dy(most), dz(most), distance(most);
    std::vector<EntityId> entity(most);
    for (std::size_t fan = 0; fan < fans; ++fan) {
      const V from{random.between(-14, 14), random.between(-14, 14), random.between(0.0, 8.0)};
      const double turn = random.between(-3.2, 3.2), pitch = random.between(-1.4, 1.4),
                   stddev = random.between(0.01, 3.1);
      const std::size_t count = 1 + random.below(most);
      for (std::size_t i = 0; i < count; ++i) {
        const double a = turn + random.between(-stddev, stddev),
                     e = std::clamp(pitch + 0.5 * random.between(-stddev, stddev), -1.5, 1.5);
        dx[i] = static_cast<float>(std::cos(a) * std::cos(e));
        dy[i] = static_cast<float>(std::sin(a) * std::cos(e));
        dz[i] = static_cast<float>(std::sin(e));
      }
      const float reach = static_cast<float>(random.between(0.5, 40));
      const float thickness = fan % 3 == 0 ? static_cast<float>(random.between(0.05, 1.0)) : 0.0f;
      const SpaceRay start{{static_cast<double>(static_cast<float>(from.x)),
                            static_cast<double>(static_cast<float>(from.y)),
                            static_cast<double>(static_cast<float>(from.z))},
                           {}};
      world.arena.cast(world.state(),
                       RayFanQuery{.x = static_cast<float>(from.x),
                                   .y = static_cast<float>(from.y),
                                   .z = static_cast<float>(from.z),
                                   .direction_x = std::span(dx).first(count),
                                   .direction_y = std::span(dy).first(count),
                                   .direction_z = std::span(dz).first(count),
                                   .reach = reach,
                                   .thickness = thickness},
                       std::span(distance).first(count), std::span(entity).first(count));
      for (std::size_t i = 0; i < count; ++i, ++rays) {
        const SpaceRay ray{
            start.from,
            {static_cast<double>(dx[i]), static_cast<double>(dy[i]), static_cast<double>(dz[i])}};
        hits += entity[i] ? 1u : 0u;
        expect_same(solids, ray, 0.5 * static_cast<double>(thickness), static_cast<double>(reach),
                    static_cast<double>(distance[i]), entity[i],
                    "scene " + std::to_string(number) + ", fan " + std::to_string(fan) + ", ray " +
                        std::to_string(i) + ", thickness " + std::to_string(thickness),
                    !entity[i] ? "nothing" : world.arena.entity(entity[i]).name);
        if (::testing::Test::HasFatalFailure()) return;
      }
    }
  }
  EXPECT_GT(hits, rays / 2);
}

TEST(CastReference, RaysInSpaceAgree) { compare(40, 500, false); }
TEST(CastReference, RaysInSpaceOverGroundAndMeshesAgree) { compare(10, 40, true); }

TEST(CastSpace, AFanIsTheSameAsItsRaysAloneAndKeepsToItsTags) {
  World world(random_scene(3, true));
  RandomStream random(5, 0, 0, Purpose::user);
  const TagSet tags =
      TagSet::of(world.arena.tag("box", "")) | TagSet::of(world.arena.tag("floor", ""));
  for (int round = 0; round < 200; ++round) {
    std::array<float, 20> x{}, y{}, z{}, dx{}, dy{}, dz{}, distance{}, alone{};
    std::array<EntityId, 20> entity{}, met{};
    x.fill(static_cast<float>(random.between(-10, 10)));
    y.fill(static_cast<float>(random.between(-10, 10)));
    z.fill(static_cast<float>(random.between(0, 6)));
    for (std::size_t i = 0; i < 20; ++i) {
      const double a = random.between(-3, 3), e = random.between(-1, 1);
      dx[i] = static_cast<float>(std::cos(a) * std::cos(e));
      dy[i] = static_cast<float>(std::sin(a) * std::cos(e));
      dz[i] = static_cast<float>(std::sin(e));
    }
    world.arena.cast(world.state(),
                     RayBatchQuery{.x = x,
                                   .y = y,
                                   .z = z,
                                   .direction_z = dz,
                                   .direction_x = dx,
                                   .direction_y = dy,
                                   .reach = 20,
                                   .tags = tags},
                     distance, entity);
    for (std::size_t i = 0; i < 20; ++i) {
      world.arena.cast(world.state(),
                       RayFanQuery{.x = x[i],
                                   .y = y[i],
                                   .z = z[i],
                                   .direction_x = {&dx[i], 1},
                                   .direction_y = {&dy[i], 1},
                                   .direction_z = {&dz[i], 1},
                                   .reach = 20,
                                   .tags = tags},
                       std::span(alone).subspan(i, 1), std::span(met).subspan(i, 1));
      ASSERT_EQ(distance[i], alone[i]);
      ASSERT_EQ(entity[i], met[i]);
      ASSERT_TRUE(!met[i] || tags.holds(world.arena.entity(met[i]).tag));
    }
  }
}

TEST(CastSpace, LooksOverLowWallsAndNotOverHighOnes) {
  ArenaSpec spec;
  spec.heights = Heights{.floor = Floor{}};
  spec.walls = {{.name = "wall", .points = {{0, -5}, {0, 5}}, .height = 2.0}};
  World world(spec);
  EXPECT_FALSE(world.arena.line_of_sight(world.state(), {-3, 0, 1}, {3, 0, 1}));
  EXPECT_TRUE(world.arena.line_of_sight(world.state(), {-3, 0, 2.5}, {3, 0, 2.5}));
  EXPECT_TRUE(world.arena.line_of_sight(world.state(), {-3, 0, 4.0}, {3, 0, 0.1}));
  EXPECT_FALSE(world.arena.line_of_sight(world.state(), {-9, 0, 4.0}, {1, 0, 0.1}));
}

}  // namespace
}  // namespace zithercraft
