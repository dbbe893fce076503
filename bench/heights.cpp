// How fast arenas with height and worlds of blocks are looked through. Run:
// build/release/bench/bench_heights
//
// Sixteen agents each cast cones of 24 rays that look all ways. Counters and plain references as in
// bench_arenas.

#include <benchmark/benchmark.h>

#include <cmath>
#include <numbers>
#include <vector>

#include "cycles.hpp"
#include "zithercraft/arena/arena.hpp"
#include "zithercraft/base/random.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t agent_count = 16, rays_per_cone = 24, looks = 8;
constexpr float reach = 40.0f;

zc::BodySpec agents(const std::array<double, 4>& region) {
  zc::BodySpec agent{.name = "agent",
                     .count = agent_count,
                     .motion = zc::Motion::free,
                     .shape = zc::Disc{.radius = 0.3}};
  agent.height = 1.6;
  agent.mover = zc::Walker{.speed = 3.0};
  agent.place.region = region;
  return agent;
}

zc::ArenaSpec room() {
  const std::array<double, 4> region{-15, -15, 15, 15};
  zc::ArenaSpec spec;
  spec.heights = zc::Heights{.floor = zc::Floor{}};
  spec.walls = {{.name = "wall",
                 .points = {{-15, -15}, {15, -15}, {15, 15}, {-15, 15}},
                 .closed = true,
                 .height = 8.0}};
  zc::BodySpec box{.name = "box", .count = 64, .shape = zc::Box{.length = 1.6, .width = 1.0}};
  box.height = 2.0;
  box.place = {.region = region, .heading = {-180, 180}, .level = {{0.0, 5.0}}};
  zc::BodySpec ball{.name = "ball", .count = 16, .shape = zc::Ball{.radius = 0.6}};
  ball.place = {.region = region, .level = {{0.0, 6.0}}};
  spec.bodies = {box, ball, agents(region)};
  return spec;
}

zc::ArenaSpec terrain() {
  zc::ArenaSpec spec;
  spec.heights = zc::Heights{};
  spec.blocks = zc::BlocksSpec{
      .kinds = {{.name = "sand"}, {.name = "rock"}, {.name = "ore"}},
      .columns = 64,
      .rows = 64,
      .layers = 32,
      .generate = {zc::Strata{.kinds = {"sand", "rock"}, .thickness = {2}, .relief = 12},
                   zc::Hollows{.in = {"rock", "sand"}, .share = 0.2, .highest = 0.7},
                   zc::Veins{.put = "ore", .in = {"rock"}, .count = 60}}};
  spec.bodies = {agents({4, 4, 60, 60})};
  return spec;
}

/// An arena with sixteen agents, and the directions they look in.
struct Scene {
  explicit Scene(const zc::ArenaSpec& spec)
      : arena(spec), block(arena.state_bytes() / 8 + 1), agents(arena.bodies_named("agent")) {
    arena.begin(state(), 1, 0, 0, scratch);
    zc::RandomStream random(2, 0, 0, zc::Purpose::user);
    for (std::size_t look = 0; look < looks; ++look) {
      const double turn = random.between(-3.1, 3.1), pitch = random.between(-0.9, 0.6);
      for (std::size_t i = 0; i < rays_per_cone; ++i) {
        // Rings of eight around where the body looks, 20, 40 and 60 degrees wide.
        const double off = (static_cast<double>(i / 8) + 1.0) * std::numbers::pi / 18.0;
        const double around = 2.0 * std::numbers::pi * static_cast<double>(i % 8) / 8.0;
        const double yaw = turn + off * std::cos(around), tilt = pitch + off * std::sin(around);
        x.push_back(static_cast<float>(std::cos(yaw) * std::cos(tilt)));
        y.push_back(static_cast<float>(std::sin(yaw) * std::cos(tilt)));
        z.push_back(static_cast<float>(std::sin(tilt)));
      }
    }
    distance.resize(rays_per_cone);
    entity.resize(rays_per_cone);
  }
  std::byte* state() { return reinterpret_cast<std::byte*>(block.data()); }
  zc::RayFanQuery cone(std::size_t agent, std::size_t look) {
    const zc::Pose pose = arena.pose(state(), agents[agent]);
    const std::size_t first = (look % looks) * rays_per_cone;
    return {.x = pose.x,
            .y = pose.y,
            .z = pose.z + 1.5f,
            .direction_x = std::span(x).subspan(first, rays_per_cone),
            .direction_y = std::span(y).subspan(first, rays_per_cone),
            .direction_z = std::span(z).subspan(first, rays_per_cone),
            .reach = reach,
            .exclude = agents[agent]};
  }

  zc::Arena arena;
  zc::ArenaScratch scratch;
  std::vector<std::uint64_t> block;
  std::vector<zc::EntityId> agents;
  std::vector<float> x, y, z, distance;
  std::vector<zc::EntityId> entity;
};

template <class Cast>
void each_cone(benchmark::State& state, Scene& scene, const Cast& cast) {
  std::size_t look = 0;
  const std::uint64_t from = cycles();
  for (auto _ : state)
    for (std::size_t a = 0; a < agent_count; ++a) {
      cast(scene.cone(a, look++));
      benchmark::DoNotOptimize(scene.distance.data());
    }
  const double rays = static_cast<double>(state.iterations()) * agent_count * rays_per_cone;
  state.counters["rays/s"] = benchmark::Counter(rays, benchmark::Counter::kIsRate);
  state.counters["cycles/ray"] = static_cast<double>(cycles() - from) / rays;
}

void cast_cones(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  each_cone(state, scene, [&](const zc::RayFanQuery& rays) {
    scene.arena.cast(scene.state(), rays, scene.distance, scene.entity);
  });
}

struct Ray {
  float x, y, z, dx, dy, dz;
};
Ray ray_of(const zc::RayFanQuery& rays, std::size_t i) {
  return {rays.x, rays.y, rays.z, rays.direction_x[i], rays.direction_y[i], rays.direction_z[i]};
}

/// The stretch of a ray between two planes.
void between(float from, float d, float low, float high, float& near, float& far) {
  const float a = (low - from) / d, b = (high - from) / d;
  near = std::max(near, std::min(a, b));
  far = std::min(far, std::max(a, b));
}

/// One ray against one thing after the other, as one would write it down first.
class PlainRoom {
 public:
  explicit PlainRoom(Scene& scene) {
    for (const zc::EntityId e : scene.arena.bodies()) {
      const zc::Entity& entity = scene.arena.entity(e);
      things_.push_back({scene.arena.pose(scene.state(), e),
                         scene.arena.spec().bodies[entity.spec_index].shape,
                         scene.arena.height_of(e), e});
    }
  }
  float cast(const Ray& r, zc::EntityId exclude) const {
    float best = reach;
    for (const Thing& o : things_) {
      if (o.entity == exclude) continue;
      const float cx = r.x - o.pose.x, cy = r.y - o.pose.y;
      float near = -1e9f, far = 1e9f;
      if (const auto* ball = std::get_if<zc::Ball>(&o.shape)) {
        const auto radius = static_cast<float>(ball->radius);
        const float cz = r.z - o.pose.z - radius, b = cx * r.dx + cy * r.dy + cz * r.dz;
        const float square = b * b - (cx * cx + cy * cy + cz * cz - radius * radius);
        if (square < 0.0f) continue;
        near = -b - std::sqrt(square);
      } else if (const auto* disc = std::get_if<zc::Disc>(&o.shape)) {
        const auto radius = static_cast<float>(disc->radius);
        const float a = r.dx * r.dx + r.dy * r.dy, b = cx * r.dx + cy * r.dy;
        const float square = b * b - a * (cx * cx + cy * cy - radius * radius);
        if (square < 0.0f) continue;
        near = (-b - std::sqrt(square)) / a;
        far = (-b + std::sqrt(square)) / a;
        between(r.z, r.dz, o.pose.z, o.pose.z + o.tall, near, far);
      } else {
        const auto& box = std::get<zc::Box>(o.shape);
        const float px = o.pose.cos * cx + o.pose.sin * cy, py = o.pose.cos * cy - o.pose.sin * cx;
        const float lx = o.pose.cos * r.dx + o.pose.sin * r.dy,
                    ly = o.pose.cos * r.dy - o.pose.sin * r.dx;
        const auto hx = static_cast<float>(box.length / 2), hy = static_cast<float>(box.width / 2);
        between(px, lx, -hx, hx, near, far);
        between(py, ly, -hy, hy, near, far);
        between(r.z, r.dz, o.pose.z, o.pose.z + o.tall, near, far);
      }
      if (near <= far && near >= 0.0f && near < best) best = near;
    }
    for (const float side : {-15.0f, 15.0f}) {
      for (const float t : {(side - r.x) / r.dx, (side - r.y) / r.dy})
        if (t >= 0.0f && t < best && std::fabs(r.x + t * r.dx) <= 15.001f &&
            std::fabs(r.y + t * r.dy) <= 15.001f && r.z + t * r.dz <= 8.0f)
          best = t;
    }
    if (const float t = -r.z / r.dz; t >= 0.0f && t < best) best = t;
    return best;
  }

 private:
  struct Thing {
    zc::Pose pose;
    zc::Shape shape;
    float tall;
    zc::EntityId entity;
  };
  std::vector<Thing> things_;
};

void cast_room_plainly(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  const PlainRoom plain(scene);
  each_cone(state, scene, [&](const zc::RayFanQuery& rays) {
    for (std::size_t i = 0; i < rays_per_cone; ++i)
      scene.distance[i] = plain.cast(ray_of(rays, i), rays.exclude);
  });
}

/// From block to block along the ray, looking up each one's kind.
class PlainTerrain {
 public:
  explicit PlainTerrain(Scene& scene) : size_(scene.arena.block_count()) {
    for (std::size_t layer = 0; layer < size_.layers; ++layer)
      for (std::size_t row = 0; row < size_.rows; ++row)
        for (std::size_t column = 0; column < size_.columns; ++column)
          kinds_.push_back(scene.arena.block_at(scene.state(), column, row, layer) >= 0 ? 1 : 0);
  }
  float cast(const Ray& r) const {
    const std::array<float, 3> from{r.x, r.y, r.z}, d{r.dx, r.dy, r.dz};
    std::array<int, 3> at{}, step{};
    std::array<float, 3> next{}, per{};
    const std::array<int, 3> count{static_cast<int>(size_.columns), static_cast<int>(size_.rows),
                                   static_cast<int>(size_.layers)};
    for (std::size_t k = 0; k < 3; ++k) {
      at[k] = static_cast<int>(std::floor(from[k]));
      step[k] = d[k] >= 0.0f ? 1 : -1;
      per[k] = std::fabs(1.0f / d[k]);
      next[k] = (static_cast<float>(at[k] + (step[k] > 0 ? 1 : 0)) - from[k]) / d[k];
    }
    float t = 0.0f;
    while (t < reach) {
      for (std::size_t k = 0; k < 3; ++k)
        if (at[k] < 0 || at[k] >= count[k]) return reach;
      if (kinds_[static_cast<std::size_t>((at[2] * count[1] + at[1]) * count[0] + at[0])] != 0)
        return t;
      const std::size_t k =
          next[0] < next[1] ? (next[0] < next[2] ? 0 : 2) : (next[1] < next[2] ? 1 : 2);
      t = next[k];
      next[k] += per[k];
      at[k] += step[k];
    }
    return reach;
  }

 private:
  zc::Arena::BlockCount size_;
  std::vector<std::uint8_t> kinds_;
};

void cast_terrain_plainly(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  const PlainTerrain plain(scene);
  each_cone(state, scene, [&](const zc::RayFanQuery& rays) {
    for (std::size_t i = 0; i < rays_per_cone; ++i) scene.distance[i] = plain.cast(ray_of(rays, i));
  });
}

// Episodes that dig a few blocks away before they begin again.
void begin_again(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  zc::RandomStream random(3, 0, 0, zc::Purpose::user);
  std::uint32_t episode = 0;
  for (auto _ : state) {
    for (int i = 0; i < 20; ++i)
      scene.arena.set_block(scene.state(), random.below(64), random.below(64), random.below(32),
                            -1);
    scene.arena.begin(scene.state(), 1, 0, ++episode, scene.scratch);
  }
}

// The same, when nothing is known of what changed.
void begin_from_nothing(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  std::uint32_t episode = 0;
  for (auto _ : state) {
    std::fill(scene.block.begin(), scene.block.end(), 0);
    scene.arena.begin(scene.state(), 1, 0, ++episode, scene.scratch);
  }
}

const zc::ArenaSpec a_room = room(), a_terrain = terrain();

BENCHMARK_CAPTURE(cast_cones, room_64_boxes_16_balls, a_room);
BENCHMARK_CAPTURE(cast_room_plainly, room_64_boxes_16_balls, a_room);
BENCHMARK_CAPTURE(cast_cones, blocks_64x64x32, a_terrain);
BENCHMARK_CAPTURE(cast_terrain_plainly, blocks_64x64x32, a_terrain);
BENCHMARK_CAPTURE(begin_again, blocks_64x64x32, a_terrain);
BENCHMARK_CAPTURE(begin_from_nothing, blocks_64x64x32, a_terrain);

}  // namespace

BENCHMARK_MAIN();
