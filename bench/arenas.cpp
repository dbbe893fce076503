// How fast arenas are looked through and stepped. Run: build/release/bench/bench_arenas
//
// Scenes are built from a seed. Counters: rays/s, agent-steps/s (one agent's tick with its 24 rays)
// and processor cycles per ray. Each cast is followed by the same scene cast by a plain scalar
// reference: every ray against every thing.

#include <benchmark/benchmark.h>

#include <cmath>
#include <limits>
#include <numbers>
#include <string>
#include <vector>

#include "cycles.hpp"
#include "zithercraft/arena/arena.hpp"
#include "zithercraft/base/random.hpp"

namespace zc = zithercraft;

namespace {

constexpr std::size_t agent_count = 16, rays_per_fan = 24;
constexpr float reach = 20.0f;

/// Boxes and discs strewn over a square, with moving discs among them.
zc::ArenaSpec flat_scene(double side, std::int64_t boxes, std::int64_t discs) {
  const std::array<double, 4> region{-side / 2, -side / 2, side / 2, side / 2};
  zc::ArenaSpec spec{.tick = 1.0 / 60.0};
  spec.walls = {{.name = "wall",
                 .points = {{region[0], region[1]},
                            {region[2], region[1]},
                            {region[2], region[3]},
                            {region[0], region[3]}},
                 .closed = true}};
  spec.bodies = {{.name = "box",
                  .count = boxes,
                  .shape = zc::Box{.length = 2.0, .width = 1.0},
                  .place = {.region = region, .heading = {-180, 180}}},
                 {.name = "disc",
                  .count = discs,
                  .shape = zc::Disc{.radius = 0.5},
                  .place = {.region = region}},
                 {.name = "agent",
                  .count = agent_count,
                  .motion = zc::Motion::free,
                  .shape = zc::Disc{.radius = 0.4},
                  .mover = zc::Walker{.speed = 3.0},
                  .place = {.region = region}}};
  return spec;
}

zc::ArenaSpec cell_scene() {
  zc::ArenaSpec spec;
  spec.cells =
      zc::CellsSpec{.kinds = {{.name = "rock", .solid = true}, {.name = "water", .seen = false}},
                    .columns = 64,
                    .rows = 64,
                    .generate = {zc::Caves{.wall = "rock", .open = "water"}}};
  spec.bodies = {{.name = "agent",
                  .count = agent_count,
                  .motion = zc::Motion::free,
                  .shape = zc::Disc{.radius = 0.3},
                  .mover = zc::Stepper{},
                  .place = {.on = {"water"}}}};
  return spec;
}

struct Scene {
  explicit Scene(const zc::ArenaSpec& spec, std::uint64_t seed = 1)
      : arena(spec), block(arena.state_bytes() / 8 + 1), agents(arena.bodies_named("agent")) {
    arena.begin(state(), seed, 0, 0, scratch);
    for (std::size_t i = 0; i < rays_per_fan; ++i) {
      const double angle = 2.0 * std::numbers::pi * static_cast<double>(i) / rays_per_fan;
      x.push_back(static_cast<float>(std::cos(angle)));
      y.push_back(static_cast<float>(std::sin(angle)));
    }
    distance.resize(rays_per_fan);
    entity.resize(rays_per_fan);
  }
  std::byte* state() { return reinterpret_cast<std::byte*>(block.data()); }
  zc::RayFanQuery fan(std::size_t agent) {
    const zc::Pose pose = arena.pose(state(), agents[agent]);
    return {.x = pose.x,
            .y = pose.y,
            .direction_x = x,
            .direction_y = y,
            .reach = reach,
            .exclude = agents[agent]};
  }

  zc::Arena arena;
  zc::ArenaScratch scratch;
  std::vector<std::uint64_t> block;
  std::vector<zc::EntityId> agents;
  std::vector<float> x, y, distance;
  std::vector<zc::EntityId> entity;
};

void count_rays(benchmark::State& state, std::uint64_t spent) {
  const double rays = static_cast<double>(state.iterations()) * agent_count * rays_per_fan;
  state.counters["rays/s"] = benchmark::Counter(rays, benchmark::Counter::kIsRate);
  state.counters["cycles/ray"] = static_cast<double>(spent) / rays;
}

void cast_fans(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  const std::uint64_t from = cycles();
  for (auto _ : state)
    for (std::size_t a = 0; a < agent_count; ++a) {
      scene.arena.cast(scene.state(), scene.fan(a), scene.distance, scene.entity);
      benchmark::DoNotOptimize(scene.distance.data());
    }
  count_rays(state, cycles() - from);
}

/// One ray against one thing after the other, as one would write it down first.
class Reference {
 public:
  explicit Reference(Scene& scene) {
    const zc::Arena& arena = scene.arena;
    for (const zc::EntityId e : arena.ids()) {
      const zc::Entity& entity = arena.entity(e);
      if (entity.kind == zc::EntityKind::wall) {
        const auto chain = arena.outline(scene.state(), e);
        for (std::size_t i = 0; i + 1 < chain.size(); ++i)
          segments_.push_back({f(chain[i][0]), f(chain[i][1]), f(chain[i + 1][0] - chain[i][0]),
                               f(chain[i + 1][1] - chain[i][1])});
        continue;
      }
      if (entity.kind != zc::EntityKind::body) continue;
      const zc::Pose pose = arena.pose(scene.state(), e);
      const zc::Shape& shape = arena.spec().bodies[entity.spec_index].shape;
      if (const auto* disc = std::get_if<zc::Disc>(&shape))
        circles_.push_back({pose.x, pose.y, f(disc->radius), e});
      if (const auto* box = std::get_if<zc::Box>(&shape))
        boxes_.push_back({pose, f(box->length / 2), f(box->width / 2)});
    }
  }

  float cast(float ox, float oy, float dx, float dy, zc::EntityId exclude) const {
    float best = reach;
    for (const Circle& o : circles_) {
      if (o.entity == exclude) continue;
      const float cx = o.x - ox, cy = o.y - oy, b = cx * dx + cy * dy,
                  c = cx * cx + cy * cy - o.radius * o.radius;
      const float square = b * b - c;
      if (square < 0.0f) continue;
      const float t = b - std::sqrt(square);
      if (t >= 0.0f && t < best) best = t;
    }
    for (const Box& o : boxes_) {
      const float cx = o.pose.x - ox, cy = o.pose.y - oy;
      const float px = -(o.pose.cos * cx + o.pose.sin * cy), py = o.pose.sin * cx - o.pose.cos * cy;
      const float lx = o.pose.cos * dx + o.pose.sin * dy, ly = o.pose.cos * dy - o.pose.sin * dx;
      const float x0 = (-o.hx - px) / lx, x1 = (o.hx - px) / lx, y0 = (-o.hy - py) / ly,
                  y1 = (o.hy - py) / ly;
      const float near = std::max(std::min(x0, x1), std::min(y0, y1));
      const float far = std::min(std::max(x0, x1), std::max(y0, y1));
      if (near <= far && near >= 0.0f && near < best) best = near;
    }
    for (const Segment& o : segments_) {
      const float ax = o.x - ox, ay = o.y - oy, scale = 1.0f / (dx * o.ey - dy * o.ex);
      const float t = (ax * o.ey - ay * o.ex) * scale, u = (ax * dy - ay * dx) * scale;
      if (t >= 0.0f && u >= 0.0f && u <= 1.0f && t < best) best = t;
    }
    return best;
  }

 private:
  static float f(double v) { return static_cast<float>(v); }
  struct Circle {
    float x, y, radius;
    zc::EntityId entity;
  };
  struct Box {
    zc::Pose pose;
    float hx, hy;
  };
  struct Segment {
    float x, y, ex, ey;
  };
  std::vector<Circle> circles_;
  std::vector<Box> boxes_;
  std::vector<Segment> segments_;
};

void cast_fans_plainly(benchmark::State& state, const zc::ArenaSpec& spec) {
  Scene scene(spec);
  const Reference reference(scene);
  const std::uint64_t from = cycles();
  for (auto _ : state)
    for (std::size_t a = 0; a < agent_count; ++a) {
      const zc::RayFanQuery fan = scene.fan(a);
      for (std::size_t i = 0; i < rays_per_fan; ++i)
        scene.distance[i] =
            reference.cast(fan.x, fan.y, fan.direction_x[i], fan.direction_y[i], fan.exclude);
      benchmark::DoNotOptimize(scene.distance.data());
    }
  count_rays(state, cycles() - from);
}

// Agents walk with changing inputs; each tick every agent casts its fan. Lanes take turns, so that
// states do not simply stay in the first-level cache.
void ticks_with_senses(benchmark::State& state, const zc::ArenaSpec& spec, std::size_t lanes) {
  Scene scene(spec);
  const std::size_t words = scene.block.size();
  std::vector<std::uint64_t> blocks(words * lanes);
  zc::RandomStream random(3, 0, 0, zc::Purpose::user);
  for (std::size_t lane = 0; lane < lanes; ++lane)
    scene.arena.begin(reinterpret_cast<std::byte*>(blocks.data() + lane * words), 1,
                      static_cast<std::uint32_t>(lane), 0, scene.scratch);
  std::vector<zc::Event> events;
  for (auto _ : state)
    for (std::size_t lane = 0; lane < lanes; ++lane) {
      auto* block = reinterpret_cast<std::byte*>(blocks.data() + lane * words);
      for (const zc::EntityId agent : scene.agents)
        for (float& input : scene.arena.inputs(block, zc::EntityId(agent)))
          input = random.uniform() * 2.0f - 1.0f;
      events.clear();
      scene.arena.tick(block, scene.scratch, events);
      for (const zc::EntityId agent : scene.agents) {
        const zc::Pose pose = scene.arena.pose(block, zc::EntityId(agent));
        scene.arena.cast(block,
                         zc::RayFanQuery{.x = pose.x,
                                         .y = pose.y,
                                         .direction_x = scene.x,
                                         .direction_y = scene.y,
                                         .reach = reach,
                                         .exclude = agent},
                         scene.distance, scene.entity);
        benchmark::DoNotOptimize(scene.distance.data());
      }
    }
  const double steps =
      static_cast<double>(state.iterations()) * static_cast<double>(lanes * agent_count);
  state.counters["agent-steps/s"] = benchmark::Counter(steps, benchmark::Counter::kIsRate);
}

const zc::ArenaSpec small_flat = flat_scene(30, 32, 16), large_flat = flat_scene(85, 256, 128),
                    cells = cell_scene();

BENCHMARK_CAPTURE(cast_fans, flat_32_boxes_16_discs, small_flat);
BENCHMARK_CAPTURE(cast_fans_plainly, flat_32_boxes_16_discs, small_flat);
BENCHMARK_CAPTURE(cast_fans, flat_256_boxes_128_discs, large_flat);
BENCHMARK_CAPTURE(cast_fans_plainly, flat_256_boxes_128_discs, large_flat);
BENCHMARK_CAPTURE(cast_fans, cells_64x64_caves, cells);
BENCHMARK_CAPTURE(ticks_with_senses, flat_32_boxes_16_discs, small_flat, 256)
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(ticks_with_senses, flat_256_boxes_128_discs, large_flat, 256)
    ->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
