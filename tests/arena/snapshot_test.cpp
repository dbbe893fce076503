#include <gtest/gtest.h>

#include <cstring>

#include "support.hpp"
#include "worlds.hpp"

namespace zithercraft {
namespace {

using test::World;

TEST(Snapshot, ACopyOfTheBlockGoesOnBitForBit) {
  World world(test::mooring().arena);
  const EntityId skiff = world.arena.bodies_named("skiff")[0];
  world.arena.inputs(world.state(), skiff)[0] = 1.0f;
  world.arena.inputs(world.state(), skiff)[1] = 0.4f;
  world.ticks(100);
  const auto copy = world.block;
  world.ticks(200);
  const std::uint64_t hash = world.arena.hash(world.state());
  world.block = copy;
  EXPECT_NE(world.arena.hash(world.state()), hash);
  world.ticks(200);
  EXPECT_EQ(world.arena.hash(world.state()), hash);
  EXPECT_EQ(world.arena.ticks(world.state()), 300u);
}

TEST(Snapshot, FieldsDescribeTheBlockWithoutGapsOrOverlap) {
  const Arena arena(test::mooring().arena);
  std::size_t end = 0;
  for (const StateField& field : arena.state_fields()) {
    EXPECT_GE(field.offset, end);
    EXPECT_LT(field.offset - end, 8u) << field.name;
    const std::size_t width = field.type == "u64" ? 8 : field.type == "u8" ? 1 : 4;
    end = field.offset + width * field.count;
  }
  EXPECT_LE(end, arena.state_bytes());
  EXPECT_EQ(arena.state_fields()[2].name, "x");
  EXPECT_EQ(arena.state_fields()[2].count, 10u);  // nine bodies and a zone
}

}  // namespace
}  // namespace zithercraft
