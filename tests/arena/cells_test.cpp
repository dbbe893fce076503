// Cell maps: drawing, generators, steppers, windows.

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::World;

const std::vector<CellKind> kinds{{.name = "rock", .symbol = "#", .solid = true},
                                  {.name = "sand", .symbol = ".", .seen = false}};

BodySpec stepper(const std::string& name, double x, double y, Stepper mover = {}) {
  return {.name = name,
          .motion = Motion::free,
          .shape = Disc{0.3},
          .mover = mover,
          .place = {.region = {x, y, x, y}}};
}

ArenaSpec street(std::vector<BodySpec> bodies) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = kinds, .layers = {"########\n#......#\n########"}};
  spec.bodies = std::move(bodies);
  return spec;
}

enum Input { turn, ahead, left, east, north };

void want(World& world, std::size_t body, Input input, float value) {
  auto inputs = world.arena.inputs(world.state(), EntityId(body));
  std::fill(inputs.begin(), inputs.end(), 0.0f);
  inputs[input] = value;
}

TEST(Steppers, MoveTurnAndBump) {
  World world(street({stepper("boat", 1.5, 1.5)}));
  want(world, 0, ahead, 1);
  world.ticks(2);
  EXPECT_EQ(world.pose(0).x, 3.5f);
  want(world, 0, turn, 1);
  world.ticks(1);
  EXPECT_EQ(world.pose(0).sin, 1);
  EXPECT_EQ(world.pose(0).cos, 0);
  EXPECT_TRUE(world.events.empty());
  want(world, 0, ahead, 1);
  world.ticks(1);
  ASSERT_EQ(world.events.size(), 1u);
  EXPECT_EQ(world.events[0].kind, EventKind::touch);
  EXPECT_EQ(world.arena.entity(world.events[0].whom).name, "rock");
  want(world, 0, left, -1);  // to its right, which is east now
  world.ticks(1);
  EXPECT_EQ(world.pose(0).x, 4.5f);
  want(world, 0, east, -1);
  world.ticks(1);
  EXPECT_EQ(world.pose(0).x, 3.5f);
  EXPECT_EQ(world.pose(0).sin, 1) << "only those that face their moves turn";
}

TEST(Steppers, HaveABeat) {
  World world(street({stepper("boat", 1.5, 1.5, {.ticks_per_move = 4})}));
  want(world, 0, east, 1);
  world.ticks(8);
  EXPECT_EQ(world.pose(0).x, 3.5f);
}

TEST(Steppers, NobodyEntersAContestedCell) {
  World world(street({stepper("a", 2.5, 1.5), stepper("b", 4.5, 1.5)}));
  want(world, 0, east, 1);
  want(world, 1, east, -1);
  world.ticks(1);
  EXPECT_EQ(world.pose(0).x, 2.5f);
  EXPECT_EQ(world.pose(1).x, 4.5f);
  ASSERT_EQ(world.events.size(), 2u);
  EXPECT_EQ(world.events[0].whom, EntityId(1));
  EXPECT_EQ(world.events[1].whom, EntityId(0));
}

TEST(Steppers, OneEntersIfTheSpecSaysSoAndItIsNotAlwaysTheSame) {
  auto spec = street({stepper("a", 2.5, 1.5), stepper("b", 4.5, 1.5)});
  spec.cells->meeting = Meeting::one;
  World world(spec);
  std::set<bool> winners;
  for (std::uint32_t episode = 0; episode < 20; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    want(world, 0, east, 1);
    want(world, 1, east, -1);
    world.ticks(1);
    const bool a = world.pose(0).x == 3.5f, b = world.pose(1).x == 3.5f;
    ASSERT_NE(a, b);
    winners.insert(a);
  }
  EXPECT_EQ(winners.size(), 2u);
}

TEST(Steppers, ShareCellsOnlyIfTheSpecSaysSo) {
  auto spec = street({stepper("a", 2.5, 1.5), stepper("b", 4.5, 1.5)});
  spec.cells->meeting = Meeting::all;
  World world(spec);
  want(world, 0, east, 1);
  want(world, 1, east, -1);
  world.ticks(1);
  EXPECT_EQ(world.pose(0).x, 3.5f);
  EXPECT_EQ(world.pose(1).x, 3.5f);
}

TEST(Steppers, ChangePlacesOnlyIfTheSpecSaysSo) {
  for (const bool swapping : {false, true}) {
    auto spec = street({stepper("a", 2.5, 1.5), stepper("b", 3.5, 1.5)});
    spec.cells->swapping = swapping;
    World world(spec);
    want(world, 0, east, 1);
    want(world, 1, east, -1);
    world.ticks(1);
    EXPECT_EQ(world.pose(0).x, swapping ? 3.5f : 2.5f);
    EXPECT_EQ(world.pose(1).x, swapping ? 2.5f : 3.5f);
  }
}

TEST(Steppers, AColumnWalksWithoutGapsAndStopsTogether) {
  World world(street({stepper("a", 1.5, 1.5), stepper("b", 2.5, 1.5), stepper("c", 3.5, 1.5)}));
  for (std::size_t i = 0; i < 3; ++i) want(world, i, east, 1);
  world.ticks(10);
  EXPECT_EQ(world.pose(0).x, 4.5f);
  EXPECT_EQ(world.pose(1).x, 5.5f);
  EXPECT_EQ(world.pose(2).x, 6.5f);
}

TEST(Steppers, PushWhatIsPushable) {
  World world(street({stepper("crew", 1.5, 1.5, {.pushes = true}),
                      stepper("crate", 3.5, 1.5, {.pushable = true}), stepper("post", 6.5, 1.5)}));
  want(world, 0, ahead, 1);
  world.ticks(10);
  EXPECT_EQ(world.pose(1).x, 5.5f) << "up to the post, which stays";
  EXPECT_EQ(world.pose(0).x, 4.5f);
  EXPECT_EQ(world.pose(2).x, 6.5f);
}

// Whatever they want, no two are ever in one cell, and none in a wall or outside.
TEST(Steppers, NeverShareACellInRandomPlay) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = kinds,
                         .columns = 12,
                         .rows = 9,
                         .generate = {Caves{.wall = "rock", .open = "sand", .fill = 0.3}}};
  spec.bodies = {{.name = "boat",
                  .count = 20,
                  .motion = Motion::free,
                  .shape = Disc{0.3},
                  .mover = Stepper{.pushes = true, .pushable = true},
                  .place = {.on = {"sand"}}}};
  RandomStream random(1, 0, 0, Purpose::user);
  for (const Meeting meeting : {Meeting::none, Meeting::one})
    for (const bool swapping : {false, true}) {
      spec.cells->meeting = meeting;
      spec.cells->swapping = swapping;
      World world(spec);
      for (int tick = 0; tick < 3000; ++tick) {
        for (std::size_t b = 0; b < 20; ++b)
          for (float& input : world.arena.inputs(world.state(), EntityId(b)))
            input = static_cast<float>(random.between(-1, 1));
        world.events.clear();
        world.ticks(1);
        std::set<std::pair<float, float>> places;
        for (std::size_t b = 0; b < 20; ++b) {
          const Pose pose = world.pose(EntityId(b));
          ASSERT_TRUE(places.insert({pose.x, pose.y}).second) << "tick " << tick;
          ASSERT_EQ(world.arena.cell_at(world.state(), static_cast<std::size_t>(pose.x),
                                        static_cast<std::size_t>(pose.y)),
                    EntityId(world.arena.entities().size() - 1));
        }
      }
    }
}

TEST(Cells, DrawnMapsAreReadFromTheTop) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.size = 2, .origin = {-4, 0}, .kinds = kinds, .layers = {"#.\n .\n"}};
  World world(spec);
  EXPECT_EQ(world.arena.cell_columns(), 2u);
  EXPECT_EQ(world.arena.cell_rows(), 2u);
  EXPECT_EQ(world.arena.cell_at(world.state(), 0, 1), EntityId(0));
  EXPECT_EQ(world.arena.cell_at(world.state(), 0, 0), EntityId(-1));
  EXPECT_EQ(world.arena.cell_at(world.state(), 1, 0), EntityId(1));
  EXPECT_NEAR(test::cast(world, -3, -2, 90, 20).distance, 4, 1e-5)
      << "past the empty cell to the rock";
}

TEST(Cells, UpperLayersAreMetFirstAndAffect) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = {{.name = "sand", .symbol = ".", .seen = false},
                                   {.name = "spring",
                                    .symbol = "o",
                                    .effects = {{.meter = "water", .amount = 1, .per_second = 10}}},
                                   {.name = "pit", .symbol = "v", .kills = {"crew"}}},
                         .layers = {".....", "  o v"}};
  spec.bodies = {stepper("crew", 0.5, 0.5)};
  spec.bodies[0].meters = {{.name = "water", .start = 0.0}};
  World world(spec);
  EXPECT_EQ(test::cast(world, 0.5f, 0.5f, 0, 20, 0, 0).distance, 1.5f);
  want(world, 0, east, 1);
  world.ticks(2);
  EXPECT_NEAR(world.arena.meter(world.state(), 0, "water"), 1.5, 1e-5)
      << "once on coming, and for one tick";
  world.ticks(2);
  EXPECT_FALSE(world.arena.present(world.state(), 0));
}

TEST(Cells, WindowsTurnWithTheBody) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = kinds, .layers = {"###\n#..\n#.#\n"}};
  spec.bodies = {stepper("boat", 1.5, 1.5)};
  World world(spec);
  const TagSet rock = TagSet::of(world.arena.tag("rock", "")),
               sand = TagSet::of(world.arena.tag("sand", "")), none = TagSet::of(63);
  std::vector<TagSet> seen(9);
  world.arena.window(world.state(), 0, 1, 1, 1, 1, none, seen);  // heads east
  EXPECT_EQ(seen, (std::vector<TagSet>{rock, sand, rock, rock, sand, sand, rock, rock, rock}));
  want(world, 0, turn, 1);
  world.ticks(1);
  world.arena.window(world.state(), 0, 1, 1, 1, 1, none, seen);  // heads north
  EXPECT_EQ(seen, (std::vector<TagSet>{rock, rock, rock, rock, sand, sand, rock, sand, rock}));
  world.arena.window(world.state(), 0, 0, 0, 0, 2, none, std::span(seen).first(3));
  EXPECT_EQ(seen[2], none) << "beyond the map";
}

// How many open cells there are, and how many of them can be reached from one of them.
std::pair<std::size_t, std::size_t> open_and_reached(World& world, EntityId open) {
  const std::size_t wide = world.arena.cell_columns(), high = world.arena.cell_rows();
  std::set<std::pair<std::size_t, std::size_t>> all, reached;
  for (std::size_t r = 0; r < high; ++r)
    for (std::size_t c = 0; c < wide; ++c)
      if (world.arena.cell_at(world.state(), c, r) == open) all.insert({c, r});
  std::vector<std::pair<std::size_t, std::size_t>> next{*all.begin()};
  while (!next.empty()) {
    const auto [c, r] = next.back();
    next.pop_back();
    if (!all.contains({c, r}) || !reached.insert({c, r}).second) continue;
    for (const auto& step : {std::pair{c + 1, r}, {c - 1, r}, {c, r + 1}, {c, r - 1}})
      next.push_back(step);
  }
  return {all.size(), reached.size()};
}

TEST(Generators, MazesRoomsAndCavesAreConnectedAndWalledIn) {
  const std::vector<Generator> makers{
      Maze{.wall = "rock", .open = "sand"},
      Maze{.wall = "rock", .open = "sand", .corridor = 2, .loops = 0.3},
      Rooms{.wall = "rock", .open = "sand"}, Caves{.wall = "rock", .open = "sand"}};
  for (const auto& maker : makers)
    for (const auto& [columns, rows] : {std::pair{31, 21}, {9, 40}, {6, 5}}) {
      ArenaSpec spec;
      spec.cells = CellsSpec{.kinds = kinds, .columns = columns, .rows = rows, .generate = {maker}};
      if (std::holds_alternative<Maze>(maker) && std::get<Maze>(maker).corridor == 2 && rows == 5)
        continue;
      World world(spec);
      std::set<std::uint64_t> layouts;
      for (std::uint32_t episode = 0; episode < 30; ++episode) {
        world.arena.begin(world.state(), 7, 0, episode, world.scratch);
        const auto [open, reached] = open_and_reached(world, 1);
        ASSERT_GT(open, 0u);
        ASSERT_EQ(open, reached) << columns << "x" << rows << " episode " << episode;
        for (std::size_t c = 0; c < world.arena.cell_columns(); ++c) {
          ASSERT_EQ(world.arena.cell_at(world.state(), c, 0), EntityId(0));
          ASSERT_EQ(world.arena.cell_at(world.state(), c, world.arena.cell_rows() - 1),
                    EntityId(0));
        }
        layouts.insert(world.arena.hash(world.state()));
      }
      EXPECT_EQ(layouts.size(), 30u);
    }
}

TEST(Generators, APerfectMazeHasOneWayBetweenAnyTwoCells) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = kinds,
                         .columns = 21,
                         .rows = 15,
                         .generate = {Maze{.wall = "rock", .open = "sand"}}};
  World world(spec);
  // A tree over 10 x 7 chambers: as many open cells as chambers and joints between them.
  EXPECT_EQ(open_and_reached(world, 1).first, 70u + 69u);
}

TEST(Generators, IslandsAndScatterKeepTheirShares) {
  ArenaSpec spec;
  spec.cells = CellsSpec{
      .kinds = {{.name = "sea"}, {.name = "land"}, {.name = "hill"}, {.name = "spring"}},
      .columns = 40,
      .rows = 30,
      .generate = {
          Islands{.water = "sea", .land = "land", .hill = "hill", .share = 0.5, .hills = 0.2},
          Scatter{.on = "land", .put = "spring", .density = 0.1, .layer = 1}}};
  World world(spec);
  std::array<int, 4> count{};
  for (std::size_t r = 0; r < 30; ++r)
    for (std::size_t c = 0; c < 40; ++c) ++count[world.arena.cell_at(world.state(), c, r).index()];
  EXPECT_NEAR(count[0], 600, 2);
  EXPECT_NEAR(count[2], 120, 2);
  EXPECT_NEAR(count[3], 48, 1) << "a tenth of the land";
}

TEST(Generators, ConnectKeepsEverythingReachable) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = {kinds[0], kinds[1], {.name = "pool", .symbol = "~"}},
                         .columns = 15,
                         .rows = 11,
                         .generate = {Maze{.wall = "rock", .open = "sand"},
                                      Scatter{.on = "sand", .put = "pool", .density = 0.05}},
                         .connect = {"crew", "lagoon"},
                         .avoid = {"pool"}};
  spec.zones = {{.name = "lagoon", .place = {.on = {"sand"}}}};
  spec.bodies = {stepper("crew", 0, 0)};
  spec.bodies[0].place = {.on = {"sand"}};
  World world(spec);
  for (std::uint32_t episode = 0; episode < 40; ++episode) {
    world.arena.begin(world.state(), 3, 0, episode, world.scratch);
    std::set<std::pair<int, int>> reached;
    std::vector<std::pair<int, int>> next{
        {static_cast<int>(world.pose(0).x), static_cast<int>(world.pose(0).y)}};
    while (!next.empty()) {
      const auto [c, r] = next.back();
      next.pop_back();
      if (world.arena.cell_at(world.state(), static_cast<std::size_t>(c),
                              static_cast<std::size_t>(r)) !=
              EntityId(world.arena.entities().size() - 2) ||
          !reached.insert({c, r}).second)
        continue;
      for (const auto& step : {std::pair{c + 1, r}, {c - 1, r}, {c, r + 1}, {c, r - 1}})
        next.push_back(step);
    }
    const Pose lagoon = world.pose(1);
    ASSERT_TRUE(reached.contains({static_cast<int>(lagoon.x), static_cast<int>(lagoon.y)}))
        << "episode " << episode;
  }
}

TEST(Generators, WhatCannotBeReachedIsAnError) {
  ArenaSpec spec;
  spec.cells = CellsSpec{.kinds = kinds, .layers = {".#."}, .connect = {"crew", "lagoon"}};
  spec.zones = {{.name = "lagoon", .shape = Disc{0.3}, .place = {.region = {2.5, 0.5, 2.5, 0.5}}}};
  spec.bodies = {stepper("crew", 0.5, 0.5)};
  try {
    World world(spec);
    FAIL() << "no error";
  } catch (const Error& error) {
    EXPECT_EQ(error.problem().substr(0, 31), "'lagoon' cannot be reached (30 ") << error.problem();
    EXPECT_EQ(error.where(), "arena.cells.connect");
  }
}

}  // namespace
}  // namespace zithercraft
