// Cameras against plain readings of the arena: each pixel shows what lies under its middle, or what
// a ray through it meets.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

GameSpec with_camera(GameSpec game, Camera camera) {
  game.roles[0].senses = {std::move(camera)};
  game.roles[0].script = {};
  return game;
}
GameSpec demo(const char* name) {
  return load_game(test::project_folder() / "demos" / (std::string(name) + ".toml"));
}

const std::map<std::string, double> shades{{"rock", 0.4},   {"sand", 0.5},  {"pool", 0.6},
                                           {"lagoon", 0.7}, {"wader", 0.9}, {"crab", 1.0}};

// What is uppermost at a point seen from above, by asking what a speck there overlaps: shots and
// bodies over items, over walls, over zones, over cells. Empty where outlines are so near that it
// depends on rounding.
std::set<float> shown_at(const Lanes& lanes, double x, double y, double pixel) {
  const Arena& arena = lanes.game().arena();
  std::set<float> possible;
  for (const double dx : {-0.01, 0.01})
    for (const double dy : {-0.01, 0.01}) {
      std::vector<EntityId> found;
      lanes.view(0).overlaps(Disc{.radius = 1e-4}, {x + dx * pixel, y + dy * pixel, 0}, 0,
                             TagSet::all(), found);
      int best = -1;
      float shade = 0.2f;  // the ground
      const Place middle = arena.middle();
      const double size = static_cast<double>(arena.cell_size());
      const double column = (x + dx * pixel - middle.x) / size +
                            0.5 * static_cast<double>(arena.cell_columns()),
                   row = (y + dy * pixel - middle.y) / size +
                         0.5 * static_cast<double>(arena.cell_rows());
      if (column >= 0 && row >= 0 && column < static_cast<double>(arena.cell_columns()) &&
          row < static_cast<double>(arena.cell_rows())) {
        const EntityId cell =
            lanes.view(0).cell_at(static_cast<std::size_t>(column), static_cast<std::size_t>(row));
        if (cell) shade = static_cast<float>(shades.at(arena.tags()[arena.entity(cell).tag]));
      }
      for (const EntityId e : found) {
        const Entity& entity = arena.entity(e);
        const int level = entity.kind == EntityKind::zone   ? 1
                          : entity.kind == EntityKind::body ? 2
                                                            : -1;
        if (level < best || level < 0) continue;
        best = level;
        shade = static_cast<float>(shades.at(arena.tags()[entity.tag]));
      }
      possible.insert(shade);
    }
  return possible;
}

TEST(Camera, EachPixelFromAboveShowsWhatLiesUnderIt) {
  const Game game(
      with_camera(demo("tidepools"), {.width = 60, .height = 48, .across = 15, .shades = shades}));
  Lanes lanes(game, 1);
  int unclear = 0, differ = 0, bodies = 0;
  constexpr int episodes = 12;
  for (std::uint32_t episode = 0; episode < episodes; ++episode) {
    lanes.begin(0, {6, 0, episode});
    const Pose at = SeatView(lanes, 0, 0, 0).pose();
    const double pixel = 15.0 / 60;
    for (int row = 0; row < 48; ++row)
      for (int column = 0; column < 60; ++column) {
        const double right = (column + 0.5 - 30) * pixel, up = (24 - row - 0.5) * pixel;
        const double x = at.x + up * at.cos + right * at.sin,
                     y = at.y + up * at.sin - right * at.cos;
        const auto possible = shown_at(lanes, x, y, pixel);
        unclear += possible.size() > 1;
        const float shown = lanes.observation(0, 0)[static_cast<std::size_t>(row * 60 + column)];
        differ += possible.count(shown) == 0;
        bodies += shown == 0.9f;
      }
  }
  EXPECT_EQ(differ, 0);
  EXPECT_LT(unclear, episodes * 60 * 48 / 20);
  EXPECT_GT(bodies, episodes * 4) << "the wader sees itself in the middle";
}

TEST(Camera, CropsAndReduces) {
  const auto spec = demo("tidepools");
  Lanes whole(Game(with_camera(spec, {.width = 40, .height = 40, .grey = false})), 1),
      part(Game(with_camera(
               spec,
               {.width = 40, .height = 40, .grey = false, .crop = {4, 10, 8, 2}, .reduce = 4})),
           1);
  whole.begin(0, {1, 0, 0});
  part.begin(0, {1, 0, 0});
  ASSERT_EQ(part.observation(0, 0).size(), 7u * 7u * 3u);
  const auto all = whole.observation(0, 0);
  for (std::size_t row = 0; row < 7; ++row)
    for (std::size_t column = 0; column < 7; ++column)
      for (std::size_t channel = 0; channel < 3; ++channel) {
        double sum = 0;
        for (std::size_t y = 0; y < 4; ++y)
          for (std::size_t x = 0; x < 4; ++x)
            sum += static_cast<double>(
                all[((10 + 4 * row + y) * 40 + 4 + 4 * column + x) * 3 + channel]);
        EXPECT_NEAR(part.observation(0, 0)[(row * 7 + column) * 3 + channel], sum / 16, 1e-5);
      }
}

TEST(Camera, TurnsWithTheSeatOnlyIfAskedTo) {
  for (const bool turns : {true, false}) {
    Lanes lanes(Game(with_camera(test::mooring(), {.width = 32, .height = 32, .turns = turns})), 1);
    lanes.begin(0, {3, 0, 0});
    const Arena& arena = lanes.game().arena();
    const EntityId skiff = lanes.game().roles()[0].seats[0];
    const Pose at = lanes.view(0).pose(skiff);
    const auto seen = [&](double heading) {
      arena.put(lanes.arena_state(0), skiff, at.x, at.y, heading);
      const std::vector<std::byte> now(lanes.state(0).begin(), lanes.state(0).end());
      lanes.restore(0, now);
      return std::vector<float>(lanes.observation(0, 0).begin(), lanes.observation(0, 0).end());
    };
    const auto north = seen(1.5707963), west = seen(3.1415926);
    int same = 0, turned = 0;
    for (std::size_t row = 0; row < 32; ++row)
      for (std::size_t column = 0; column < 32; ++column) {
        same += north[row * 32 + column] == west[row * 32 + column];
        turned += north[row * 32 + column] == west[column * 32 + 31 - row];
      }
    EXPECT_GT(turns ? turned : same, 32 * 32 * 97 / 100) << "turns " << turns;
  }
}

TEST(Camera, OverallShowsTheWholeMap) {
  Lanes lanes(Game(with_camera(demo("fogbank"), {.from = CameraFrom::overall,
                                                 .width = 42,
                                                 .height = 30,
                                                 .across = 21,
                                                 .shades = {{"rock", 0.5}},
                                                 .sees = {"rock"}})),
              1);
  lanes.begin(0, {3, 0, 0});
  const Arena& arena = lanes.game().arena();
  for (std::size_t row = 0; row < 15; ++row)
    for (std::size_t column = 0; column < 21; ++column) {
      const EntityId cell = lanes.view(0).cell_at(column, row);
      const bool rock = cell && arena.tags()[arena.entity(cell).tag] == "rock";
      EXPECT_EQ(lanes.observation(0, 0)[(29 - 2 * row) * 42 + 2 * column], rock ? 0.5f : 0.2f);
    }
}

TEST(Camera, EyesShowNearThingsTallerAndBrighter) {
  const Camera eyes{.from = CameraFrom::eyes,
                    .width = 40,
                    .height = 40,
                    .arc = 60,
                    .reach = 30,
                    .shades = {{"quay", 1.0}},
                    .sees = {"quay"}};
  Lanes lanes(Game(with_camera(test::mooring(), eyes)), 1);
  lanes.begin(0, {3, 0, 0});
  const Arena& arena = lanes.game().arena();
  const auto tall_at = [&](float x) {
    arena.put(lanes.arena_state(0), lanes.game().roles()[0].seats[0], x, 0, 0);
    const std::vector<std::byte> now(lanes.state(0).begin(), lanes.state(0).end());
    lanes.restore(0, now);
    int tall = 0;
    float brightest = 0;
    for (std::size_t row = 0; row < 40; ++row) {
      const float pixel = lanes.observation(0, 0)[row * 40 + 20];
      tall += pixel > 0.25f;
      brightest = std::max(brightest, pixel);
    }
    return std::pair(tall, brightest);
  };
  // The quay is at x = 20 and stands for a metre: focal length / distance pixels.
  const double focal = 20 / std::tan(30 * 3.14159265 / 180);
  const auto near = tall_at(18), far = tall_at(12);
  EXPECT_NEAR(near.first, focal / 2, 1.5);
  EXPECT_NEAR(far.first, focal / 8, 1.5);
  EXPECT_NEAR(near.second, 1 - 0.8 * 2 / 30, 1e-3);
  EXPECT_NEAR(far.second, 1 - 0.8 * 8 / 30, 1e-3);
}

TEST(Camera, EyesInSpaceShowWhatRaysMeet) {
  const Camera eyes{.from = CameraFrom::eyes,
                    .width = 16,
                    .height = 12,
                    .arc = 70,
                    .reach = 12,
                    .sees = {"sand", "coral", "rock", "kelp", "pearl", "seabed"}};
  Lanes lanes(Game(with_camera(demo("kelpdive"), eyes)), 1);
  const Arena& arena = lanes.game().arena();
  int met = 0;
  for (std::uint32_t episode = 0; episode < 6; ++episode) {
    lanes.begin(0, {8, 0, episode});
    const SeatView seat(lanes, 0, 0, 0);
    const Pose at = seat.pose();
    const double focal = 8 / std::tan(35 * 3.14159265358979 / 180);
    TagSet tags;
    for (const char* tag : {"sand", "coral", "rock", "kelp", "pearl", "seabed"})
      tags |= TagSet::of(arena.tag(tag, ""));
    for (int row = 0; row < 12; ++row)
      for (int column = 0; column < 16; ++column) {
        const double right = (column + 0.5 - 8) / focal, up = (6 - row - 0.5) / focal;
        const double scale = 1 / std::sqrt(1 + right * right + up * up);
        const float x = static_cast<float>(scale * (at.cos + right * at.sin)),
                    y = static_cast<float>(scale * (at.sin - right * at.cos)),
                    z = static_cast<float>(scale * up);
        float distance = 0;
        EntityId entity{};
        lanes.view(0).cast(RayFanQuery{.x = at.x,
                                       .y = at.y,
                                       .z = at.z + 0.5f * arena.height_of(seat.body()),
                                       .direction_x = {&x, 1},
                                       .direction_y = {&y, 1},
                                       .direction_z = {&z, 1},
                                       .reach = 12,
                                       .tags = tags,
                                       .exclude = seat.body()},
                           {&distance, 1}, {&entity, 1});
        const float shown = lanes.observation(0, 0)[static_cast<std::size_t>(row * 16 + column)];
        if (!entity) {
          EXPECT_TRUE(shown == 0.0f || shown == 0.2f);
        } else {
          // Shades of tags are at least 0.35, and light fades to a fifth at most.
          EXPECT_GT(shown, 0.35f * (1 - 0.8f * distance / 12) - 1e-3f);
          ++met;
        }
      }
  }
  EXPECT_GT(met, 200);
}

}  // namespace
}  // namespace zithercraft
