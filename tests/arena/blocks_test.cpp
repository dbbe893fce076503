// Worlds of blocks: made, stood on, dug, placed, looked at, and begun again.

#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <set>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

using test::World;

ArenaSpec block_world(std::int64_t layouts = 1) {
  ArenaSpec spec{.tick = 0.05};
  spec.heights = Heights{};
  spec.blocks = BlocksSpec{
      .kinds = {{.name = "sand", .hardness = 0.5, .worth = 1},
                {.name = "rock", .hardness = 2.0},
                {.name = "pearl", .hardness = 1.0, .worth = 10},
                {.name = "bedrock"},
                {.name = "kelp", .solid = false}},
      .columns = 24,
      .rows = 20,
      .layers = 12,
      .generate = {Strata{.kinds = {"sand", "rock", "bedrock"}, .thickness = {2, 4}, .relief = 3},
                   Hollows{.in = {"rock"}, .share = 0.15, .highest = 0.5},
                   Veins{.put = "pearl", .in = {"rock"}, .count = 12, .highest = 0.5}},
      .layouts = layouts};
  BodySpec diver{.name = "diver", .motion = Motion::free, .shape = Disc{0.35}, .height = 1.7};
  diver.mover = Walker{.speed = 2.0, .jump = 5.0, .step_height = 0.4, .pitch_rate = 180};
  diver.digger =
      Digger{.reach = 3.0, .eye = 1.5, .places = "rock", .stock = "stones", .every = 0.2};
  diver.meters = {{.name = "stones", .high = 20, .start = 0}};
  diver.place.region = {4, 4, 20, 16};
  spec.bodies = {diver};
  return spec;
}

EntityId kind(const World& world, const std::string& name) {
  for (const EntityId e : world.arena.ids())
    if (world.arena.entity(e).kind == EntityKind::block && world.arena.entity(e).name == name)
      return e;
  ADD_FAILURE() << name;
  return {};
}

// Everything away but a floor of bedrock one block thick.
void flatten(World& world) {
  const auto size = world.arena.block_count();
  for (std::size_t layer = 0; layer < size.layers; ++layer)
    for (std::size_t row = 0; row < size.rows; ++row)
      for (std::size_t column = 0; column < size.columns; ++column)
        world.arena.set_block(world.state(), column, row, layer,
                              layer == 0 ? kind(world, "bedrock") : EntityId());
}

float& input(World& world, const std::string& name) {
  const auto names = world.arena.inputs_of(0);
  return world.arena.inputs(
      world.state(),
      0)[static_cast<std::size_t>(std::find(names.begin(), names.end(), name) - names.begin())];
}

TEST(Blocks, WorldsAreMadeOfWhatTheGeneratorsSay) {
  World world(block_world());
  const auto size = world.arena.block_count();
  std::map<EntityId, int> count;
  for (std::size_t layer = 0; layer < size.layers; ++layer)
    for (std::size_t row = 0; row < size.rows; ++row)
      for (std::size_t column = 0; column < size.columns; ++column) {
        const EntityId met = world.arena.block_at(world.state(), column, row, layer);
        ++count[met];
        // From the lower half, five steps up at most.
        EXPECT_TRUE(met != kind(world, "pearl") || layer <= 10) << layer;
        EXPECT_TRUE(layer + 1 < size.layers || !met);
      }
  EXPECT_GT(count[kind(world, "sand")], 700);
  EXPECT_GT(count[kind(world, "rock")], 700);
  EXPECT_GT(count[kind(world, "pearl")], 15);
  EXPECT_GT(count[-1], 2000);
}

TEST(Blocks, DiversStandOnTheHighestBlockWhereTheyArePlaced) {
  World world(block_world());
  for (std::uint32_t episode = 0; episode < 20; ++episode) {
    world.arena.begin(world.state(), 3, 0, episode, world.scratch);
    const float z = world.pose(0).z;
    world.ticks(10);
    EXPECT_EQ(world.pose(0).z, z);
    EXPECT_TRUE(world.arena.stands_on(world.state(), 0));
  }
}

TEST(Blocks, TooHighToStepLowEnoughToJump) {
  World world(block_world());
  flatten(world);
  for (std::size_t row = 0; row < 20; ++row)
    world.arena.set_block(world.state(), 10, row, 1, kind(world, "rock"));
  world.arena.put(world.state(), 0, 7.5f, 10.5f, 0, 1.0f);
  input(world, "ahead") = 1.0f;
  world.ticks(60);
  EXPECT_NEAR(world.pose(0).x, 10.0f - 0.35f, 0.02f);
  EXPECT_EQ(world.pose(0).z, 1.0f);
  input(world, "jump") = 1.0f;
  world.ticks(1);
  input(world, "jump") = 0.0f;
  float stood = 0.0f;
  for (int i = 0; i < 60; ++i) {
    world.ticks(1);
    if (world.arena.stands_on(world.state(), 0) == kind(world, "rock")) stood = world.pose(0).z;
  }
  EXPECT_EQ(stood, 2.0f);
  EXPECT_EQ(world.pose(0).z, 1.0f);  // down on the other side
  EXPECT_GT(world.pose(0).x, 11.0f);
}

TEST(Blocks, WalkersDoNotCatchOnSeamsBetweenBlocks) {
  ArenaSpec spec = block_world();
  spec.bodies[0].grip = 0.0;  // else the wall turns it
  World world(spec);
  flatten(world);
  for (std::size_t column = 0; column < 24; ++column)
    for (std::size_t layer = 1; layer < 4; ++layer)
      world.arena.set_block(world.state(), column, 12, layer, kind(world, "rock"));
  world.arena.put(world.state(), 0, 3.0f, 11.6f, 0.4, 1.0f);
  input(world, "ahead") = 1.0f;
  world.ticks(100);
  EXPECT_GT(world.pose(0).x, 3.0f + 0.8f * 2.0f * 5.0f * std::cos(0.4f));
}

TEST(Blocks, DiggingTakesAsLongAsTheBlockIsHardAndPaysItsWorth) {
  World world(block_world());
  flatten(world);
  world.arena.set_block(world.state(), 12, 10, 2, kind(world, "pearl"));
  world.arena.put(world.state(), 0, 10.5f, 10.5f, 0, 1.0f);
  input(world, "dig") = 1.0f;
  world.ticks(19);
  EXPECT_EQ(world.arena.block_at(world.state(), 12, 10, 2), kind(world, "pearl"));
  world.ticks(2);
  EXPECT_EQ(world.arena.block_at(world.state(), 12, 10, 2), EntityId(-1));
  const auto dug = std::find_if(world.events.begin(), world.events.end(),
                                [](const Event& e) { return e.kind == EventKind::dig; });
  ASSERT_NE(dug, world.events.end());
  EXPECT_EQ(dug->whom, kind(world, "pearl"));
  EXPECT_EQ(dug->strength, 10.0f);
  EXPECT_EQ(world.arena.meter(world.state(), 0, "stones"), 1.0f);
  // An interrupted dig begins again.
  world.arena.set_block(world.state(), 12, 10, 2, kind(world, "pearl"));
  for (int i = 0; i < 4; ++i) {
    input(world, "dig") = 1.0f;
    world.ticks(15);
    input(world, "dig") = 0.0f;
    world.ticks(1);
  }
  EXPECT_EQ(world.arena.block_at(world.state(), 12, 10, 2), kind(world, "pearl"));
}

TEST(Blocks, BedrockIsNotDugAndLookingDownDigsBelow) {
  World world(block_world());
  flatten(world);
  world.arena.set_block(world.state(), 10, 10, 1, kind(world, "sand"));
  world.arena.put(world.state(), 0, 10.5f, 10.5f, 0, 2.0f);
  input(world, "pitch") = -1.0f;
  input(world, "dig") = 1.0f;
  world.ticks(40);
  EXPECT_EQ(world.arena.block_at(world.state(), 10, 10, 1), EntityId(-1));
  EXPECT_EQ(world.pose(0).z, 1.0f);  // and it has come down into the hole
  world.ticks(200);
  EXPECT_EQ(world.arena.block_at(world.state(), 10, 10, 0), kind(world, "bedrock"));
}

TEST(Blocks, PlacesWhatItHasButNotWhereSomeoneStands) {
  World world(block_world());
  flatten(world);
  world.arena.put(world.state(), 0, 10.5f, 10.5f, 0, 1.0f);
  world.arena.set_block(world.state(), 13, 10, 2, kind(world, "rock"));
  input(world, "place") = 1.0f;
  world.ticks(5);
  EXPECT_EQ(world.arena.block_at(world.state(), 12, 10, 2), EntityId(-1));  // it has none
  world.arena.set_meter(world.state(), 0, "stones", 5);
  world.ticks(3);
  EXPECT_EQ(world.arena.block_at(world.state(), 12, 10, 2), kind(world, "rock"));
  EXPECT_EQ(world.arena.meter(world.state(), 0, "stones"), 4.0f);
  world.ticks(40);  // the next goes before that one; then its own body is in the way
  EXPECT_EQ(world.arena.block_at(world.state(), 11, 10, 2), kind(world, "rock"));
  EXPECT_EQ(world.arena.block_at(world.state(), 10, 10, 2), EntityId(-1));
  EXPECT_EQ(world.arena.meter(world.state(), 0, "stones"), 3.0f);
}

TEST(Blocks, RaysAgreeWithEveryBlockTriedAsABox) {
  World world(block_world());
  const auto size = world.arena.block_count();
  world.arena.set_block(world.state(), 5, 5, 10, kind(world, "kelp"));
  std::vector<std::array<double, 4>> boxes;
  for (std::size_t layer = 0; layer < size.layers; ++layer)
    for (std::size_t row = 0; row < size.rows; ++row)
      for (std::size_t column = 0; column < size.columns; ++column)
        if (const auto met = world.arena.block_at(world.state(), column, row, layer); met)
          boxes.push_back({static_cast<double>(column), static_cast<double>(row),
                           static_cast<double>(layer), static_cast<double>(met.number())});
  const auto distance = [&](const std::array<double, 3>& from, const std::array<double, 3>& d,
                            double swell, double reach) {
    double best = reach;
    for (const auto& box : boxes) {
      double in = -1e30, out = 1e30;
      for (std::size_t k = 0; k < 3; ++k) {
        const double a = (box[k] - swell - from[k]) / d[k],
                     b = (box[k] + 1 + swell - from[k]) / d[k];
        in = std::max(in, std::min(a, b));
        out = std::min(out, std::max(a, b));
      }
      if (in <= out && out >= 0) best = std::min(best, std::max(0.0, in));
    }
    return best;
  };
  RandomStream random(9, 0, 0, Purpose::user);
  int hits = 0;
  for (int i = 0; i < 8000; ++i) {
    const std::array<float, 3> from{static_cast<float>(random.between(-3, 27)),
                                    static_cast<float>(random.between(-3, 23)),
                                    static_cast<float>(random.between(-2, 15))};
    const double a = random.between(-3.2, 3.2), e = random.between(-1.5, 1.5);
    const float dx = static_cast<float>(std::cos(a) * std::cos(e)),
                dy = static_cast<float>(std::sin(a) * std::cos(e)),
                dz = static_cast<float>(std::sin(e));
    float got = 0;
    EntityId met;
    world.arena.cast(world.state(),
                     RayFanQuery{.x = from[0],
                                 .y = from[1],
                                 .z = from[2],
                                 .direction_x = {&dx, 1},
                                 .direction_y = {&dy, 1},
                                 .direction_z = {&dz, 1},
                                 .reach = 18,
                                 .exclude = 0},
                     {&got, 1}, {&met, 1});
    const std::array<double, 3> origin{from[0], from[1], from[2]}, d{dx, dy, dz};
    ASSERT_GE(got, distance(origin, d, 3e-4, 18) - 2e-3) << i;
    ASSERT_LE(got, distance(origin, d, -3e-4, 18) + 2e-3) << i;
    hits += met ? 1 : 0;
  }
  EXPECT_GT(hits, 3000);
}

TEST(Blocks, ThickRaysAreStoppedWhereThinOnesSlipThrough) {
  World world(block_world());
  flatten(world);
  world.arena.set_block(world.state(), 12, 9, 3, kind(world, "rock"));
  world.arena.set_block(world.state(), 12, 11, 3, kind(world, "rock"));
  const float one = 1, zero = 0;
  float distance = 0;
  EntityId met;
  for (const auto& [thickness, blocked] : {std::pair{0.0f, false}, {0.8f, false}, {1.2f, true}}) {
    world.arena.cast(world.state(),
                     RayFanQuery{.x = 6,
                                 .y = 10.5f,
                                 .z = 3.5f,
                                 .direction_x = {&one, 1},
                                 .direction_y = {&zero, 1},
                                 .reach = 15,
                                 .thickness = thickness,
                                 .exclude = 0},
                     {&distance, 1}, {&met, 1});
    EXPECT_EQ(met >= 0, blocked) << thickness;
  }
}

TEST(Blocks, BeginningAgainRestoresExactlyWhatWasChanged) {
  for (const std::int64_t layouts : {1, 3}) {
    World fresh(block_world(layouts)), used(block_world(layouts));
    RandomStream random(4, 0, 0, Purpose::user);
    const auto size = used.arena.block_count();
    for (std::uint32_t episode = 0; episode < 30; ++episode) {
      for (int i = 0; i < 40; ++i)
        used.arena.set_block(used.state(), random.below(24), random.below(20), random.below(12),
                             random.below(2) == 0 ? EntityId() : kind(used, "sand"));
      used.ticks(5);
      used.arena.begin(used.state(), 8, 1, episode, used.scratch);
      std::fill(fresh.block.begin(), fresh.block.end(), 0);
      fresh.arena.begin(fresh.state(), 8, 1, episode, fresh.scratch);
      ASSERT_EQ(std::memcmp(fresh.state(), used.state(), fresh.arena.state_bytes()), 0)
          << layouts << " " << episode;
    }
    EXPECT_EQ(size.columns, 24u);
  }
}

TEST(Blocks, LayoutsDifferFromEpisodeToEpisode) {
  World world(block_world(8));
  std::set<std::uint64_t> hashes;
  for (std::uint32_t episode = 0; episode < 60; ++episode) {
    world.arena.begin(world.state(), 1, 0, episode, world.scratch);
    std::uint64_t sum = 0;
    for (std::size_t row = 0; row < 20; ++row)
      for (std::size_t column = 0; column < 24; ++column)
        for (std::size_t layer = 0; layer < 12; ++layer)
          sum =
              sum * 31 + static_cast<std::uint64_t>(
                             world.arena.block_at(world.state(), column, row, layer).number() + 1);
    hashes.insert(sum);
  }
  EXPECT_EQ(hashes.size(), 8u);
}

TEST(Blocks, NobodyLeavesAClosedCaveOrGetsIntoItsWalls) {
  ArenaSpec spec = block_world();
  spec.bodies[0].count = 6;
  spec.bodies[0].mover = Walker{.speed = 6.0, .jump = 7.0, .step_height = 0.4, .pitch_rate = 180};
  World world(spec);
  const auto size = world.arena.block_count();
  for (std::size_t layer = 0; layer < size.layers; ++layer)
    for (std::size_t row = 0; row < size.rows; ++row)
      for (std::size_t column = 0; column < size.columns; ++column)
        if (layer == 0 || row == 0 || column == 0 || layer + 1 == size.layers ||
            row + 1 == size.rows || column + 1 == size.columns)
          world.arena.set_block(world.state(), column, row, layer, kind(world, "bedrock"));
  RandomStream random(6, 0, 0, Purpose::user);
  for (int tick = 0; tick < 20'000; ++tick) {
    if (tick % 4 == 0)
      for (std::size_t b = 0; b < 6; ++b)
        for (float& value : world.arena.inputs(world.state(), EntityId(b)))
          value = static_cast<float>(random.between(-1, 1));
    world.ticks(1);
    world.events.clear();
    for (std::size_t b = 0; b < 6; ++b) {
      const Pose p = world.pose(EntityId(b));
      ASSERT_GT(p.z, 0.999f) << tick;
      ASSERT_LT(p.z + 1.7f, 11.01f) << tick;
      ASSERT_GT(std::min(p.x, p.y), 1.0f) << tick;
      ASSERT_LT(p.x, 23.0f) << tick;
      ASSERT_LT(p.y, 19.0f) << tick;
      const auto middle = world.arena.block_at(world.state(), static_cast<std::size_t>(p.x),
                                               static_cast<std::size_t>(p.y),
                                               static_cast<std::size_t>(p.z + 0.85f));
      ASSERT_FALSE(middle) << tick << ": its middle is in a block";
    }
  }
}

TEST(Blocks, MistakesAreNamed) {
  const auto where = [](const auto& change) -> std::string {
    ArenaSpec spec = block_world();
    change(spec);
    try {
      const Arena arena(spec);
    } catch (const Error& error) {
      return error.where();
    }
    return "";
  };
  EXPECT_EQ(where([](ArenaSpec& s) {
              s.heights.reset();
              s.bodies.clear();
            }),
            "arena.blocks");
  EXPECT_EQ(where([](ArenaSpec& s) { s.blocks->columns = 0; }), "arena.blocks.columns");
  EXPECT_EQ(where([](ArenaSpec& s) { std::get<Veins>(s.blocks->generate[2]).put = "perl"; }),
            "arena.blocks.generate[2].put");
  EXPECT_EQ(where([](ArenaSpec& s) { std::get<Strata>(s.blocks->generate[0]).thickness = {1}; }),
            "arena.blocks.generate[0].thickness");
  EXPECT_EQ(where([](ArenaSpec& s) { s.bodies[0].digger->places = "brick"; }),
            "arena.bodies[0].digger.places");
  EXPECT_EQ(where([](ArenaSpec& s) { s.bodies[0].digger->stock = "gold"; }),
            "arena.bodies[0].digger.stock");
  EXPECT_EQ(where([](ArenaSpec& s) { s.blocks.reset(); }), "arena.bodies[0].digger");
}

}  // namespace
}  // namespace zithercraft
