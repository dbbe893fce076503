// Games seen from the side: causeways, upright rays, cameras from the side, things placed on
// bodies.

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

GameSpec breakwater() { return load_game(test::project_folder() / "demos" / "breakwater.toml"); }

// Tops of the stones in place, from left to right.
std::vector<std::pair<float, float>> tops(const Lanes& lanes) {
  const Arena& arena = lanes.game().arena();
  std::vector<std::pair<float, float>> list;
  for (const EntityId stone : arena.bodies_named("stone")) {
    const Pose at = lanes.view(0).pose(stone);
    list.emplace_back(at.x, at.z + arena.height_of(stone));
  }
  std::sort(list.begin(), list.end());
  return list;
}

TEST(Causeways, HaveGapsAndStepsThatTheJumpMasters) {
  GameSpec game = breakwater();
  game.arena.causeways[0].ends.reset();
  const Causeway& spec = game.arena.causeways[0];
  const auto& walker = std::get<Walker>(*game.arena.bodies[0].mover);
  const double gravity = game.arena.heights->gravity;
  std::size_t gaps = 0;
  double widest = 0.0;
  Lanes lanes(Game(game), 1);
  for (std::uint32_t episode = 0; episode < 60; ++episode) {
    lanes.begin(0, {5, 0, episode});
    const auto stones = tops(lanes);
    ASSERT_EQ(stones.size(), 40u);
    for (std::size_t i = 1; i < stones.size(); ++i) {
      const double gap = static_cast<double>(stones[i].first - stones[i - 1].first) - 1.0;
      const double rise = static_cast<double>(stones[i].second - stones[i - 1].second);
      if (gap < 1e-4) {
        EXPECT_NEAR(rise, 0, 1e-4) << "a platform is level";
        continue;
      }
      ++gaps;
      widest = std::max(widest, gap);
      const double air =
          (walker.jump + std::sqrt(walker.jump * walker.jump - 2 * gravity * rise)) / gravity;
      const double drag = game.arena.bodies[0].drag;
      EXPECT_LE(gap, spec.ease * walker.speed * (1 - std::exp(-drag * air)) / drag + 1e-4);
      EXPECT_GE(gap, spec.gap[0] - 1e-4);
      EXPECT_LE(gap, spec.gap[1] + 1e-4);
      EXPECT_LE(std::fabs(rise), 0.8 + 1e-4);
      EXPECT_GE(stones[i].second, -1e-4);
      EXPECT_LE(stones[i].second, 3 + 1e-4);
    }
  }
  EXPECT_GT(gaps, 300u);
  EXPECT_GT(widest, 2.5);
}

TEST(Causeways, GoOnAheadOfWhoFollowsThem) {
  GameSpec game = breakwater();
  game.arena.causeways[0].ends.reset();
  game.roles[0].rewards = {
      {.name = "far", .each_step = [](const SeatView& seat) { return seat.pose().x; }}};
  Lanes lanes(Game(game), 1);
  lanes.begin(0, {5, 0, 0});
  const EntityId seal = lanes.game().arena().bodies_named("seal").front();
  float at = 0.0f;
  int reached = 0;
  for (int step = 0; step < 400; ++step) {  // carried along, above all stones
    lanes.game().arena().put(lanes.arena_state(0), seal, at, 0, 0, 5);
    lanes.game().arena().set_velocity(lanes.arena_state(0), seal, {4, 0, 0, 0});
    lanes.step(0);
    ASSERT_EQ(lanes.outcome(0), Outcome::running);
    at = lanes.view(0).pose(seal).x;
    for (const Event& e : lanes.events(0)) {
      if (e.kind != EventKind::gate) continue;
      EXPECT_EQ(e.strength, static_cast<float>(++reached)) << "each platform once, in their order";
    }
  }
  EXPECT_GT(at, 100);
  EXPECT_GT(reached, 15);
  const auto stones = tops(lanes);
  EXPECT_LT(stones.front().first, at - 4);
  EXPECT_GT(stones.front().first, at - 20);
  EXPECT_GT(stones.back().first, at + 8);
}

TEST(Causeways, AreWholeFromTheirEndOn) {
  Lanes lanes(Game(breakwater()), 1);
  lanes.begin(0, {5, 0, 3});
  const EntityId seal = lanes.game().arena().bodies_named("seal").front();
  for (float x = 0; x < 50; x += 2) {
    lanes.game().arena().put(lanes.arena_state(0), seal, x, 0, 0, 5);
    lanes.step(0);
  }
  const auto stones = tops(lanes);
  for (std::size_t i = 1; i < stones.size(); ++i) {
    if (stones[i - 1].first < 50.5f) continue;
    EXPECT_NEAR(stones[i].first - stones[i - 1].first, 1, 1e-4);
  }
}

TEST(Causeways, NameWhatCannotBeMastered) {
  const auto message = [](auto&& change) {
    GameSpec game = breakwater();
    change(game.arena.causeways[0]);
    return std::string(test::error_of([&] { const Game compiled(game); }).what());
  };
  EXPECT_NE(message([](Causeway& c) { c.rise[1] = 4; }).find("too high for the jump of 'seal'"),
            std::string::npos);
  EXPECT_NE(message([](Causeway& c) {
              c.gap = {9, 9};
            }).find("is beyond 'seal'"),
            std::string::npos);
  EXPECT_NE(message([](Causeway& c) { c.follows = "tide"; }).find("does not jump"),
            std::string::npos);
}

TEST(UprightFans, SpreadFromBelowToAbove) {
  GameSpec game = breakwater();
  game.roles[0].senses = {
      RayFan{.rays = 3, .arc = 180, .reach = 8, .sees = {"stone"}, .upright = true}};
  Lanes lanes(Game(game), 1);
  lanes.begin(0, {5, 0, 0});
  const EntityId seal = lanes.game().arena().bodies_named("seal").front();
  const float top = tops(lanes).front().second;
  lanes.game().arena().put(lanes.arena_state(0), seal, 0, 0, 0, top + 1);
  std::vector<SeenRay> rays = SeatView(lanes, 0, 0, 0).rays();
  ASSERT_EQ(rays.size(), 3u);
  EXPECT_NEAR(rays[0].to_z, top, 1e-3) << "straight down onto the stones";
  EXPECT_NEAR(rays[0].to_x, rays[0].from_x, 1e-3);
  EXPECT_NEAR(rays[1].to_z, rays[1].from_z, 1e-3) << "level";
  EXPECT_NEAR(rays[1].to_x, rays[1].from_x + 8, 1e-3);
  EXPECT_NEAR(rays[2].to_z, rays[2].from_z + 8, 1e-3) << "straight up into nothing";
}

// Each pixel shows what is there in the upright plane through the seat: asked of the arena by rays
// from in front, which meet what is nearest; and nothing else has any brightness.
TEST(SideCameras, ShowWhatLiesThere) {
  GameSpec game = breakwater();
  Camera camera{.from = CameraFrom::side, .width = 48, .height = 48, .across = 12};
  camera.shades = {{"stone", 0.5}, {"seal", 1.0}, {"tide", 0.75}};
  camera.sees = {"stone", "seal"};
  game.roles[0].senses = {camera};
  Lanes lanes(Game(game), 1);
  lanes.begin(0, {5, 0, 0});
  lanes.step(0);
  const Arena& arena = lanes.game().arena();
  const EntityId seal = arena.bodies_named("seal").front();
  const Pose own = lanes.view(0).pose(seal);
  const float middle = own.z + 0.5f * arena.height_of(seal);
  const auto picture = lanes.observation(0, 0);
  std::set<float> shown;
  int stones = 0;
  for (int row = 0; row < 48; ++row)
    for (int column = 0; column < 48; ++column) {
      const float x = own.x + (static_cast<float>(column) + 0.5f - 24) * 0.25f,
                  z = middle + (24 - static_cast<float>(row) - 0.5f) * 0.25f;
      const float pixel = picture[static_cast<std::size_t>(row * 48 + column)];
      shown.insert(pixel);
      bool inside = false, near = false;
      for (const EntityId stone : arena.bodies_named("stone")) {
        const Pose at = lanes.view(0).pose(stone);
        const float right = std::fabs(x - at.x) - 0.5f,
                    up = std::fabs(z - at.z - 0.5f * arena.height_of(stone)) -
                         0.5f * arena.height_of(stone);
        inside = inside || (right < 0 && up < 0);
        near = near || (std::fabs(std::max(right, up)) < 0.02f);
      }
      const bool at_seal = std::fabs(x - own.x) < 0.5f && std::fabs(z - middle) < 0.4f;
      if (near || at_seal) continue;
      EXPECT_EQ(pixel == 0.5f, inside) << row << " " << column << ": " << pixel;
      stones += inside ? 1 : 0;
    }
  EXPECT_GT(stones, 100);
  EXPECT_EQ(picture[24 * 48 + 24], 1.0f) << "the seat is in the middle";
  EXPECT_EQ(shown.size(), 3u) << "stones, the seal, and what is behind them";
}

TEST(Placement, SetsThingsOnBodies) {
  const std::string text = R"(
    name = "quay"
    [arena.heights]
    floor = { name = "ground" }
    [[arena.bodies]]
    name = "crate"
    count = 3
    shape = { kind = "box", length = 2, width = 1 }
    height = 1.5
    place = { region = [-9, -9, 9, 9], heading = [-180, 180] }
    [[arena.bodies]]
    name = "cat"
    motion = "free"
    shape = { kind = "disc", radius = 0.2 }
    mover = { kind = "walker" }
    place = { on = ["crate"], region = [-20, -20, 20, 20] }
    [[roles]]
    name = "cat"
    senses = [{ kind = "own_motion", parts = ["stands", "climb"] }]
    controls = [{ kind = "dial", name = "ahead" }]
    rewards = [{ name = "time", weight = 0, each_step = "always" }]
  )";
  Lanes lanes(Game(parse_game(text)), 1);
  EXPECT_EQ(lanes.game().roles()[0].columns.size(), 2u);
  EXPECT_EQ(lanes.game().roles()[0].columns[0].name, "own.climb");
  std::set<std::int32_t> used;
  for (std::uint32_t episode = 0; episode < 40; ++episode) {
    lanes.begin(0, {1, 0, episode});
    const EntityId cat = lanes.game().arena().bodies_named("cat").front();
    EXPECT_NEAR(lanes.view(0).pose(cat).z, 1.5, 1e-5);
    lanes.step(0);
    const EntityId below = lanes.view(0).stands_on(cat);
    ASSERT_TRUE(below);
    EXPECT_EQ(lanes.game().arena().entity(below).name, "crate");
    used.insert(below.number());
    EXPECT_NEAR(lanes.view(0).pose(cat).z, 1.5, 1e-3);
  }
  EXPECT_EQ(used.size(), 3u);
  const auto wrong = [&](const std::string& from, const std::string& to) {
    std::string changed = text;
    changed.replace(changed.find(from), from.size(), to);
    return std::string(test::error_of([&] { const Game game(parse_game(changed)); }).what());
  };
  EXPECT_NE(wrong("on = [\"crate\"]", "on = [\"create\"]").find("did you mean 'crate'"),
            std::string::npos);
  EXPECT_NE(wrong("on = [\"crate\"]", "level = [1, 1], on = [\"crate\"]").find("has its level"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
