// Compasses in all their forms, own state, hazard flags, crowds, windows over blocks, senses in
// C++, and what happens to readings on their way: history, noise, drop-out.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "counting_new.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// A pond with two goals and two crews; everything stands where it is put.
GameSpec pond(const std::string& senses, const std::string& more = "") {
  return parse_game(R"(
    name = "pond"
    ticks_per_step = 2
    cutoffs = { steps = 50 }
    [arena]
    tick = 0.1
    walls = [{ name = "bank", points = [[-10, -10], [10, -10], [10, 10], [-10, 10]], closed = true }]
    zones = [
      { name = "west_goal", tag = "goal", side = "west", kept_free = false, place = { region = [-8, 0, -8, 0] } },
      { name = "east_goal", tag = "goal", side = "east", kept_free = false, place = { region = [8, 0, 8, 0] } },
    ]
    items = [{ name = "bread", place = { region = [-2, -2, -2, -2] } }]
    [[arena.bodies]]
    name = "duck"
    side = "west"
    motion = "free"
    shape = { kind = "disc", radius = 0.4 }
    mover = { kind = "walker", speed = 2, turn_rate = 90 }
    [[arena.bodies]]
    name = "mate"
    tag = "bird"
    side = "west"
    place = { region = [0, 5, 0, 5] }
    [[arena.bodies]]
    name = "rival"
    tag = "bird"
    side = "east"
    place = { region = [3, 0, 3, 0] }
    kills = ["duck"]
    [[roles]]
    name = "duck"
    senses = [)" + senses +
                    R"(]
    controls = [{ kind = "dial", name = "ahead" }, { kind = "choice", name = "turn", options = [
      { name = "no" }, { name = "left", value = 1 }, { name = "right", value = -1 } ] }]
    )" + more);
}

class Pond {
 public:
  explicit Pond(const std::string& senses) : lanes_(Game(pond(senses)), 1) {
    lanes_.begin(0, {4, 0, 0});
  }

  float operator[](const std::string& column) const {
    const auto& columns = lanes_.game().roles()[0].columns;
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (columns[c].name == column) return lanes_.observation(0, 0)[c];
    ADD_FAILURE() << "no column " << column;
    return NAN;
  }
  void head(double degrees) {
    lanes_.game().arena().put(lanes_.arena_state(0), 0, 0, 0, degrees * 3.14159265358979 / 180);
    look();
  }
  void look() {
    const std::vector<std::byte> now(lanes_.state(0).begin(), lanes_.state(0).end());
    lanes_.restore(0, now);
  }
  Lanes& lanes() { return lanes_; }

 private:
  Lanes lanes_;
};

TEST(Compass, TellsWhoseThingsAreMeant) {
  Pond p(R"({ kind = "compass", name = "own", to = "goal", whose = "own", reach = 10 },
            { kind = "compass", name = "theirs", to = "goal", whose = "others", reach = 10 },
            { kind = "compass", name = "mate", to = "bird", whose = "own", reach = 10 })");
  EXPECT_NEAR(p["own.ahead"], -1, 1e-6);
  EXPECT_NEAR(p["theirs.ahead"], 1, 1e-6);
  EXPECT_NEAR(p["own.distance"], 0.8, 1e-6);
  EXPECT_NEAR(p["mate.left"], 1, 1e-6);
  EXPECT_NEAR(p["mate.distance"], 0.5, 1e-6);
}

TEST(Compass, RaisesOneOfFourOrEightFlags) {
  Pond p(R"({ kind = "compass", name = "four", to = "bread", bearings = "four" },
            { kind = "compass", name = "eight", to = "bread", bearings = "eight" })");
  // The bread lies at -135 degrees.
  const std::pair<double, std::pair<const char*, const char*>> cases[] = {
      {-135, {"four.is_ahead", "eight.is_ahead"}}, {-180, {nullptr, "eight.is_ahead_left"}},
      {135, {"four.is_left", "eight.is_left"}},    {90, {nullptr, "eight.is_behind_left"}},
      {45, {"four.is_behind", "eight.is_behind"}}, {0, {nullptr, "eight.is_behind_right"}},
      {-45, {"four.is_right", "eight.is_right"}},  {-90, {nullptr, "eight.is_ahead_right"}},
      {-125, {"four.is_ahead", "eight.is_ahead"}}};
  for (const auto& [heading, flags] : cases) {
    p.head(heading);
    if (flags.first != nullptr) {
      EXPECT_EQ(p[flags.first], 1) << heading;
    }
    EXPECT_EQ(p[flags.second], 1) << heading;
    float four = 0, eight = 0;
    for (const char* way : {"ahead", "left", "behind", "right"})
      four += p[std::string("four.is_") + way];
    for (const char* way : {"ahead", "ahead_left", "left", "behind_left", "behind", "behind_right",
                            "right", "ahead_right"})
      eight += p[std::string("eight.is_") + way];
    EXPECT_EQ(four, 1);
    EXPECT_EQ(eight, 1);
  }
}

TEST(OwnState, TellsHeadingControlsAndTimeLeft) {
  Pond p(
      R"({ kind = "own_state", heading = true, quarter = true, controls = true, time_left = true })");
  p.head(100);
  EXPECT_NEAR(p["self.heading_cosine"], std::cos(100 * 3.14159265 / 180), 1e-6);
  EXPECT_NEAR(p["self.heading_sine"], std::sin(100 * 3.14159265 / 180), 1e-6);
  EXPECT_EQ(p["self.faces_north"], 1);
  EXPECT_EQ(p["self.faces_east"] + p["self.faces_west"] + p["self.faces_south"], 0);
  EXPECT_EQ(p["self.last.turn.no"], 1) << "at rest before the first step";
  EXPECT_EQ(p["self.time_left"], 1);
  p.lanes().control(0, 0)[0] = -0.25f;
  p.lanes().control(0, 0)[1] = 2;
  p.lanes().step(0);
  EXPECT_EQ(p["self.last.ahead"], -0.25f);
  EXPECT_EQ(p["self.last.turn.right"], 1);
  EXPECT_EQ(p["self.last.turn.no"], 0);
  EXPECT_NEAR(p["self.time_left"], 0.98, 1e-6);
}

TEST(Hazards, FlagsTheWaysThatKill) {
  Pond p(
      R"({ kind = "hazards", name = "four", within = 4 }, { kind = "hazards", name = "eight", moves = 8, within = 4 },
            { kind = "hazards", name = "bread", within = 4, fatal = ["bread"], thickness = 0.2 })");
  EXPECT_EQ(p["four.ahead"], 1) << "the rival kills ducks";
  EXPECT_EQ(p["four.left"] + p["four.behind"] + p["four.right"], 0);
  EXPECT_EQ(p["bread.ahead"] + p["bread.behind"] + p["bread.left"] + p["bread.right"], 0);
  p.head(-45);
  EXPECT_EQ(p["eight.ahead_left"], 1);
  EXPECT_EQ(p["four.ahead"], 0);
  EXPECT_EQ(p["bread.right"], 1);
  p.head(90);
  EXPECT_EQ(p["four.right"], 1);
}

TEST(Crowd, ListsTheNearestFirst) {
  Pond p(R"({ kind = "crowd", of = ["bird", "bread"], nearest = 4, reach = 4.5 })");
  EXPECT_EQ(p["crowd[0].here"], 1);
  EXPECT_EQ(p["crowd[0].bread"], 1) << "2.8 m away";
  EXPECT_EQ(p["crowd[1].bird"], 1) << "3 m away";
  EXPECT_EQ(p["crowd[2].here"], 0) << "the mate is out of reach";
  EXPECT_NEAR(p["crowd[0].distance"], std::sqrt(8.0) / 4.5, 1e-6);
  EXPECT_NEAR(p["crowd[1].ahead"], 1, 1e-6);
  p.lanes().game().arena().set_velocity(p.lanes().arena_state(0), 0, {1, 2, 0, 0});
  p.look();
  EXPECT_NEAR(p["crowd[1].speed_ahead"], -0.2, 1e-6);
  EXPECT_NEAR(p["crowd[1].speed_left"], -0.4, 1e-6);
  p.lanes().game().arena().put(p.lanes().arena_state(0), 1, 0, 2, 0);  // the mate comes near
  p.look();
  EXPECT_NEAR(p["crowd[0].left"], 1, 1e-6);
  EXPECT_EQ(p["crowd[2].here"], 1);
}

TEST(Rays, TellMissesOrEachTagByItself) {
  Pond p(
      R"({ kind = "ray_fan", name = "first", rays = 4, arc = 360, reach = 9, sees = ["bank", "bird"], reports = "first_or_miss" },
            { kind = "ray_fan", name = "each", rays = 4, arc = 360, reach = 20, sees = ["bank", "bird", "goal"], reports = "each_tag" })");
  // Rays run from behind over the right: the third is straight ahead.
  EXPECT_EQ(p["first[2].bird"], 1);
  EXPECT_EQ(p["first[2].nothing"], 0);
  EXPECT_EQ(p["first[0].nothing"], 1);
  EXPECT_EQ(p["first[0].distance"], 1);
  EXPECT_NEAR(p["each[2].bird"], 2.5 / 20, 1e-5) << "a disc of half a metre, 3 m away";
  EXPECT_NEAR(p["each[2].goal"], 7.5 / 20, 1e-5) << "view through the bird";
  EXPECT_NEAR(p["each[2].bank"], 10.0 / 20, 1e-5);
  EXPECT_EQ(p["each[1].bird"], 1);
}

TEST(Window, ShowsBlocksInLayers) {
  GameSpec game = load_game(test::project_folder() / "demos/kelpdive.toml");
  game.roles[0].senses.push_back(Window{.name = "near",
                                        .ahead = 1,
                                        .behind = 1,
                                        .left = 1,
                                        .right = 1,
                                        .above = 1,
                                        .below = 1,
                                        .sees = {"sand", "coral", "rock", "kelp"}});
  Lanes lanes(Game(game), 1);
  lanes.begin(0, {2, 0, 0});
  const Arena& arena = lanes.game().arena();
  const Role& role = lanes.game().roles()[0];
  int checked = 0, seen = 0;
  for (int d = 0; d < 60; ++d) {
    const Pose at = lanes.view(0).pose(role.seats[0]);
    const auto count = arena.block_count();
    const auto& blocks = *game.arena.blocks;
    const auto along = [&](float v, int axis) {
      return static_cast<int>(std::floor(
          (static_cast<double>(v) - blocks.origin[static_cast<std::size_t>(axis)]) / blocks.size));
    };
    const int column0 = along(at.x, 0), row0 = along(at.y, 1), layer0 = along(at.z + 1e-3f, 2);
    const bool along_x = std::fabs(at.cos) >= std::fabs(at.sin);
    const int ax = along_x ? (at.cos >= 0 ? 1 : -1) : 0, ay = along_x ? 0 : (at.sin >= 0 ? 1 : -1);
    for (int level = 1; level >= -1; --level)
      for (int ahead = 1; ahead >= -1; --ahead)
        for (int left = 1; left >= -1; --left) {
          const int column = column0 + ahead * ax - left * ay, row = row0 + ahead * ay + left * ax,
                    layer = layer0 + level;
          const bool inside =
              column >= 0 && row >= 0 && layer >= 0 && column < static_cast<int>(count.columns) &&
              row < static_cast<int>(count.rows) && layer < static_cast<int>(count.layers);
          const EntityId block = inside ? lanes.view(0).block_at(static_cast<std::size_t>(column),
                                                                 static_cast<std::size_t>(row),
                                                                 static_cast<std::size_t>(layer))
                                        : EntityId();
          for (const char* tag : {"sand", "coral", "rock", "kelp"}) {
            const std::string name = "near[" + std::to_string(ahead) + "," + std::to_string(left) +
                                     "," + std::to_string(level) + "]." + tag;
            const auto found = std::find_if(role.columns.begin(), role.columns.end(),
                                            [&](const Column& c) { return c.name == name; });
            ASSERT_NE(found, role.columns.end()) << name;
            const bool there = block && arena.tags()[arena.entity(block).tag] == tag;
            EXPECT_EQ(
                lanes.observation(0, 0)[static_cast<std::size_t>(found - role.columns.begin())],
                there ? 1 : 0);
            ++checked;
            seen += there;
          }
        }
    const auto controls = lanes.control(0, 0);
    controls[0] = 1;
    controls[1] = static_cast<float>(d % 3);
    controls[2] = 2;
    controls[3] = 1;
    if (lanes.outcome(0) != Outcome::running) break;
    lanes.step(0);
  }
  EXPECT_GT(checked, 1000);
  EXPECT_GT(seen, 100);
}

GameSpec custom_pond() {
  GameSpec game = pond(R"({ kind = "own_motion" })");
  game.roles[0].senses.push_back(
      CustomSense{.name = "mine",
                  .columns = {{.name = "x", .unit = "m", .low = -1, .high = 1, .scale = 10},
                              {.name = "number"}},
                  .code =
                      [](const SeatView& seat, std::span<float> out) {
                        out[0] = seat.pose().x / 10;
                        out[1] = static_cast<float>(seat.steps() % 2);
                      },
                  .signal = {.history = 1}});
  return game;
}

TEST(CustomSense, IsReadLikeAnyOther) {
  Lanes lanes(Game(custom_pond()), 1);
  lanes.begin(0, {});
  const auto& columns = lanes.game().roles()[0].columns;
  ASSERT_EQ(columns.size(), 7u);
  EXPECT_EQ(columns[3].name, "mine.x");
  EXPECT_EQ(columns[6].name, "mine.number@1");
  lanes.control(0, 0)[0] = 1;
  lanes.step(0);
  EXPECT_NEAR(lanes.observation(0, 0)[3],
              lanes.view(0).pose(lanes.game().roles()[0].seats[0]).x / 10, 1e-6);
  EXPECT_EQ(lanes.observation(0, 0)[4], 1);
  EXPECT_EQ(lanes.observation(0, 0)[6], 0);
}

TEST(CustomSense, IsNamedInFilesThatCannotHoldIt) {
  const std::string text = to_toml(custom_pond());
  const Error error = test::error_of([&] { parse_game(text); });
  EXPECT_NE(error.problem().find("custom"), std::string::npos) << error.what();
  const GameSpec back = parse_game(text, "game", CustomParts::optional);
  EXPECT_EQ(back, custom_pond());
  EXPECT_FALSE(Game(back, CustomParts::optional).complete());
}

TEST(Signal, KeepsEarlierSteps) {
  Lanes lanes(Game(pond(R"({ kind = "own_state", heading = true, signal = { history = 3 } })")), 1);
  lanes.begin(0, {});
  const auto row = lanes.observation(0, 0);
  ASSERT_EQ(row.size(), 8u);
  std::vector<float> cosines{row[0]};
  for (int ago = 1; ago <= 3; ++ago) EXPECT_EQ(row[static_cast<std::size_t>(2 * ago)], row[0]);
  for (int d = 0; d < 6; ++d) {
    lanes.control(0, 0)[1] = 1;
    lanes.step(0);
    cosines.push_back(row[0]);
    for (std::size_t ago = 1; ago <= 3; ++ago)
      EXPECT_EQ(row[2 * ago], cosines[cosines.size() - 1 - std::min(ago, cosines.size() - 1)]);
  }
  EXPECT_LT(cosines.back(), cosines.front());
}

TEST(Signal, AddsNoiseAndDropsOutAsStated) {
  Lanes lanes(Game(pond(R"({ kind = "compass", name = "plain", to = "bread" },
                           { kind = "compass", name = "noisy", to = "bread", signal = { noise = 0.1 } },
                           { kind = "compass", name = "lost", to = "bread", signal = { drop_out = 0.25 } })")),
              400);
  WorkerPool pool(1);
  lanes.begin_all(pool, 5);
  double sum = 0, squares = 0;
  int lost = 0, n = 0;
  for (int d = 0; d < 20; ++d) {
    for (std::size_t lane = 0; lane < lanes.count(); ++lane) {
      const auto row = lanes.observation(0, lane);
      // A cosine of -0.7 stays clear of its bounds, so that nothing is cut off.
      const double noise = row[3] - row[0];
      sum += noise;
      squares += noise * noise;
      lost += row[6] == 0 && row[7] == 0 && row[8] == 0;
      if (row[6] != 0) {
        EXPECT_EQ(row[6], row[0]);
      }
      ++n;
    }
    lanes.step_all(pool);
  }
  EXPECT_NEAR(sum / n, 0, 0.005);
  EXPECT_NEAR(std::sqrt(squares / n), 0.1, 0.005);
  EXPECT_NEAR(lost / static_cast<double>(n), 0.25, 0.02);
}

constexpr const char* everything = R"(
  { kind = "ray_fan", sees = ["bank", "bird"], reports = "each_tag", signal = { history = 2, noise = 0.02 } },
  { kind = "compass", to = "goal", whose = "own", signal = { drop_out = 0.2, history = 1 } },
  { kind = "crowd", of = ["bird", "bread"], nearest = 3 }, { kind = "hazards", within = 3 },
  { kind = "own_state", heading = true, controls = true, time_left = true },
  { kind = "camera", width = 24, height = 24, signal = { history = 1 } },
  { kind = "camera", name = "eyes", from = "eyes", width = 24, height = 24, reduce = 2, grey = false })";

TEST(Signal, ReadingsAreThoseOfTheMomentAfterASnapshot) {
  const Game game(pond(everything));
  Lanes lanes(game, 1), other(game, 3);
  lanes.begin(0, {9, 2, 7});
  for (int d = 0; d < 8; ++d) {
    lanes.control(0, 0)[0] = 0.5f;
    lanes.control(0, 0)[1] = static_cast<float>(d % 3);
    lanes.step(0);
  }
  other.begin(1, {1, 1, 1});
  other.restore(1, lanes.state(0));
  for (int d = 0; d < 8; ++d) {
    const auto a = lanes.observation(0, 0), b = other.observation(0, 1);
    ASSERT_TRUE(std::equal(a.begin(), a.end(), b.begin())) << "step " << d;
    for (auto* l : {&lanes, &other}) {
      const std::size_t lane = l == &lanes ? 0 : 1;
      l->control(0, lane)[0] = -0.5f;
      l->control(0, lane)[1] = 1;
      l->step(lane);
    }
  }
}

TEST(Signal, NothingIsAllocatedWhileSensing) {
  Lanes lanes(Game(pond(everything)), 4);
  WorkerPool pool(1);
  lanes.begin_all(pool, 1);
  for (int d = 0; d < 60; ++d) {
    lanes.step_all(pool);
    lanes.renew_all(pool);
  }
  const auto before = test::allocations();
  for (int d = 0; d < 200; ++d) {
    for (std::size_t lane = 0; lane < 4; ++lane)
      lanes.control(0, lane)[1] = static_cast<float>(d % 3);
    lanes.step_all(pool);
    lanes.renew_all(pool);
  }
  EXPECT_EQ(test::allocations(), before);
}

TEST(Senses, RefuseWhatMakesNoSense) {
  const std::pair<const char*, const char*> cases[] = {
      {R"({ kind = "own_state" })", "nothing of the own state is asked for"},
      {R"({ kind = "own_state", level = 2 })", "this needs an arena with height"},
      {R"({ kind = "hazards", moves = 5 })", "there are 4 or 8 moves to look at"},
      {R"({ kind = "crowd", of = [] })", "the crowd is made of nothing"},
      {R"({ kind = "crowd", of = ["duck"] })", "no body and no item belongs to the crowd"},
      {R"({ kind = "compass", to = "goal", whose = "own", paired = true })",
       "there are 1 seats and"},
      {R"({ kind = "compass", to = "bread", whose = "own" })",
       "nothing of tag 'bread' belongs to such a side"},
      {R"({ kind = "camera", crop = [50, 0, 40, 0] })", "nothing is left of the picture"},
      {R"({ kind = "camera", reduce = 5 })", "the 84 x 84 pixels left cannot be reduced by 5"},
      {R"({ kind = "camera", shades = { gull = 1.0 } })",
       "nothing in the arena bears the tag 'gull'"},
      {R"({ kind = "window", sees = ["bird"] })",
       "a window shows cells or blocks, and the arena has none"},
      {R"({ kind = "ray_fan", sees = ["bird", "bird"] })", "two tags are named 'bird'"},
      {R"({ kind = "compass", to = "bread", signal = { history = 65 } })", "65 is too large"}};
  for (const auto& [sense, problem] : cases) {
    const Error error = test::error_of([&, text = sense] { pond(text); });
    if (std::string(problem).starts_with("there are 1 seats")) {
      EXPECT_NE(error.problem().find("`whose`"), std::string::npos) << error.what();
    } else {
      EXPECT_NE(error.problem().find(problem), std::string::npos) << sense << ": " << error.what();
    }
    EXPECT_FALSE(error.fix().empty());
  }
}

}  // namespace
}  // namespace zithercraft
