// What seats sense, do and are rewarded for in arenas with height and in worlds of blocks.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "support.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

const char* const loft_game = R"(
name = "loft"
ticks_per_step = 1
[arena]
tick = 0.05
[arena.heights]
floor = { name = "ground" }
[[arena.walls]]
name = "fence"
points = [[3, -5], [3, 5]]
height = 1.0
[[arena.walls]]
name = "tower"
points = [[6, -5], [6, 5]]
height = 5.0
[[arena.bodies]]
name = "crew"
motion = "free"
shape = { kind = "disc", radius = 0.3 }
height = 1.8
mover = { kind = "walker", jump = 4.0, pitch_rate = 90, pitch_limit = 60 }
place = { region = [0, 0, 0, 0] }
[[arena.bodies]]
name = "lamp"
shape = { kind = "ball", radius = 0.5 }
place = { region = [0, 4, 0, 4], level = [3.4, 3.4] }
[[roles]]
name = "crew"
senses = [
  { kind = "ray_fan", name = "low", rays = 1, arc = 10, reach = 10, from_height = 0.5, sees = ["fence", "tower", "ground"] },
  { kind = "ray_fan", name = "high", rays = 1, arc = 10, reach = 10, from_height = 1.5, sees = ["fence", "tower", "ground"] },
  { kind = "ray_fan", name = "down", rays = 1, arc = 10, reach = 2, from_height = 1.5, to_height = -0.2, sees = ["fence", "tower", "ground"] },
  { kind = "ray_fan", name = "eye", rays = 1, arc = 10, reach = 20, from_height = 1.5, follows_pitch = true, sees = ["tower", "ground"] },
  { kind = "ray_cone", name = "cone", rays = 40, arc = 90, reach = 20, from_height = 1.5, sees = ["tower", "ground", "lamp"] },
  { kind = "compass", to = "lamp", reach = 10 },
  { kind = "own_motion", top_speed = 5 },
]
controls = [
  { kind = "dial", name = "pitch" },
  { kind = "choice", name = "jump", options = [{ name = "no", value = 0 }, { name = "yes", value = 1 }] },
]
[[roles.rewards]]
name = "landed"
on = { event = "touch", with = ["ground"] }
)";

class Loft : public ::testing::Test {
 protected:
  Loft() : lanes_(Game(parse_game(loft_game)), 1) { lanes_.begin(0, {1, 0, 0}); }
  float column(const std::string& name) const {
    const auto& columns = lanes_.game().roles()[0].columns;
    const auto found =
        std::find_if(columns.begin(), columns.end(), [&](const auto& c) { return c.name == name; });
    EXPECT_NE(found, columns.end()) << name;
    return lanes_.observation(0, 0)[static_cast<std::size_t>(found - columns.begin())];
  }
  void advance(float look, float jump, int times) {
    for (int i = 0; i < times; ++i) {
      lanes_.control(0, 0)[0] = look;
      lanes_.control(0, 0)[1] = jump;
      lanes_.step(0);
    }
  }
  Lanes lanes_;
};

TEST_F(Loft, RaysAtSeveralHeightsTellLowThingsFromTallOnes) {
  EXPECT_EQ(column("low[0].fence"), 1.0f);
  EXPECT_NEAR(column("low[0].distance"), 0.3f, 1e-5f);
  EXPECT_EQ(column("high[0].tower"), 1.0f);
  EXPECT_NEAR(column("high[0].distance"), 0.6f, 1e-5f);
  EXPECT_EQ(column("down[0].ground"), 1.0f);
  EXPECT_NEAR(column("down[0].distance"), 1.5f / 1.7f, 1e-4f);  // it ends 0.2 m below the ground
}

TEST_F(Loft, TheCompassPointsUpAndMeasuresInSpace) {
  EXPECT_NEAR(column("compass.left"), 1.0f, 1e-5f);
  EXPECT_NEAR(column("compass.distance"), 0.5f,
              1e-5f);  // 4 m aside and 3 m up from middle to middle
  EXPECT_NEAR(column("compass.up"), 0.6f, 1e-5f);
}

TEST_F(Loft, LookingTurnsTheEyeUpAndDown) {
  EXPECT_EQ(column("eye[0].tower"), 1.0f);
  advance(-1.0f, 0, 10);
  EXPECT_NEAR(column("own.pitch"), -0.5f, 0.01f);  // 45 of 90 degrees
  EXPECT_EQ(column("eye[0].ground"), 1.0f);
  EXPECT_NEAR(column("eye[0].distance"), 1.5 * std::sqrt(2.0) / 20, 0.003);
  advance(-1.0f, 0, 20);
  EXPECT_NEAR(column("own.pitch"), -60.0f / 90.0f, 0.001f);
  advance(1.0f, 0, 40);
  EXPECT_NEAR(column("own.pitch"), 60.0f / 90.0f, 0.001f);
  EXPECT_EQ(column("eye[0].tower"), 0.0f);
  EXPECT_EQ(column("eye[0].distance"), 1.0f);
}

TEST_F(Loft, AConeSeesGroundBelowAndTowersAhead) {
  int ground = 0, tower = 0, nothing = 0;
  for (int i = 0; i < 40; ++i) {
    const std::string name = "cone[" + std::to_string(i) + "].";
    ground += static_cast<int>(column(name + "ground"));
    tower += static_cast<int>(column(name + "tower"));
    nothing += column(name + "distance") == 1.0f ? 1 : 0;
  }
  EXPECT_GT(ground, 10);
  EXPECT_GT(tower, 8);
  EXPECT_EQ(ground + tower + nothing, 40);
}

TEST_F(Loft, JumpingLeavesTheGroundAndLandingIsAnEvent) {
  advance(0, 0, 2);
  EXPECT_EQ(column("own.stands"), 1.0f);
  advance(0, 1.0f, 1);
  EXPECT_GT(column("own.climb"), 0.5f);
  advance(0, 0, 1);
  EXPECT_EQ(column("own.stands"), 0.0f);
  double landed = 0;
  for (int i = 0; i < 30; ++i) {
    advance(0, 0, 1);
    landed += static_cast<double>(lanes_.rewards(0)[0]);
  }
  EXPECT_EQ(landed, 1.0);
  EXPECT_EQ(column("own.stands"), 1.0f);
}

TEST(Kelpdive, DiggingAPearlPaysItsWorthAndAirRunsOut) {
  Lanes lanes(Game(load_game(test::project_folder() / "demos" / "kelpdive.toml")), 1);
  const Game& game = lanes.game();
  lanes.begin(0, {1, 0, 0});
  const auto& controls = game.roles()[0].controls;
  const auto option = [&](const std::string& control, const std::string& name) {
    for (std::size_t c = 0; c < controls.size(); ++c)
      if (controls[c].name == control)
        lanes.control(0, 0)[c] = static_cast<float>(
            std::find(controls[c].options.begin(), controls[c].options.end(), name) -
            controls[c].options.begin());
  };
  const SeatView seat(lanes, 0, 0, 0);
  // A black pearl before its eyes.
  EntityId pearl;
  for (const EntityId e : game.arena().ids())
    if (game.arena().entity(e).name == "black_pearl") pearl = e;
  std::vector<std::byte> state(lanes.arena_state(0),
                               lanes.arena_state(0) + game.arena().state_bytes());
  std::vector<std::uint64_t> aligned(state.size() / 8 + 1);
  auto* block = reinterpret_cast<std::byte*>(aligned.data());
  std::copy(state.begin(), state.end(), block);
  const Pose pose = game.arena().pose(block, seat.body());
  game.arena().put(block, seat.body(), pose.x, pose.y, 0, pose.z);
  game.arena().set_block(block, static_cast<std::size_t>(pose.x) + 1,
                         static_cast<std::size_t>(pose.y), static_cast<std::size_t>(pose.z + 1.4f),
                         pearl);
  lanes.begin_from(0, {1, 0, 0}, {block, game.arena().state_bytes()});
  double reward = 0;
  for (int d = 0; d < 6; ++d) {
    option("hands", "dig");
    lanes.step(0);
    reward += static_cast<double>(lanes.rewards(0)[0]);
  }
  EXPECT_EQ(reward, 10.0);
  // Away from the bell, a minute of air is 300 steps.
  game.arena().put(block, seat.body(), 3.5f, 3.5f, 0, 19.0f);
  lanes.begin_from(0, {1, 0, 0}, {block, game.arena().state_bytes()});
  int steps = 0;
  while (lanes.outcome(0) == Outcome::running && steps < 400) {
    lanes.control(0, 0)[0] = 0.0f;
    lanes.step(0);
    ++steps;
  }
  EXPECT_EQ(lanes.outcome(0), Outcome::failure);
  EXPECT_NEAR(steps, 300, 3);
}

TEST(SelfContained, FilesTravelInsideTheGame) {
  const test::TemporaryFolder folder;
  std::string header = "{'descr': '|u1', 'fortran_order': False, 'shape': (2, 4, 4), }";
  header.resize(117, ' ');
  header += '\n';
  std::string file("\x93NUMPY\x01\x00\x76\x00", 10);
  file += header + std::string(16, '\x01') + std::string(16, '\x00');
  write_atomically(folder / "yard.npy", file);
  write_atomically(folder / "yard.toml", R"(
name = "yard"
[arena.heights]
[arena.blocks]
file = "yard.npy"
kinds = [{ name = "stone" }]
[[arena.bodies]]
name = "crew"
motion = "free"
shape = { kind = "disc", radius = 0.3 }
mover = { kind = "walker" }
place = { region = [2, 2, 2, 2] }
[[roles]]
name = "crew"
senses = [{ kind = "own_motion" }]
controls = [{ kind = "dial", name = "ahead" }]
)");
  const GameSpec spec = load_game(folder / "yard.toml");
  const Game game(spec);
  const std::string text = to_toml(game.spec());
  std::filesystem::remove(folder / "yard.npy");
  const Game again(parse_game(text));
  EXPECT_EQ(again.fingerprint(), game.fingerprint());
  Lanes lanes(again, 1);
  lanes.begin(0, {1, 0, 0});
  EXPECT_EQ(lanes.view(0).pose(0).z, 1.0f);
  EXPECT_EQ(test::error_of([&] { load_game(folder / "yard.toml"); }).kind(), ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
