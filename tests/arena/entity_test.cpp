#include "zithercraft/arena/entity.hpp"

#include <gtest/gtest.h>
#include <type_traits>
#include <vector>

#include "worlds.hpp"

namespace zithercraft {
namespace {

using test::body;
using test::World;

// An entity is no index and no number unless the code says so. That an index is no entity either
// is seen by a program that does not compile: index_is_no_entity.cpp.
static_assert(!std::is_convertible_v<EntityId, std::size_t>);
static_assert(!std::is_convertible_v<EntityId, bool>);

TEST(EntityId, NoneIsNothingAndComesBeforeAll) {
  const EntityId none, first = 0;
  EXPECT_FALSE(none);
  EXPECT_TRUE(first);
  EXPECT_EQ(none, EntityId(-1));
  EXPECT_LT(none, first);
  EXPECT_EQ(none.number(), -1);
}

TEST(EntityId, IsTheSameAsItsNumberInFiles) {
  for (const std::int32_t number : {-1, 0, 7, 70000})
    EXPECT_EQ(EntityId::of(number).number(), number);
  EXPECT_EQ(EntityId::of(7).index(), 7u);
}

TEST(EntityRange, ArenasListTheirBodiesZonesAndAllThatHasAPose) {
  ArenaSpec spec;
  spec.bodies = {body("pile", Disc{1}, Motion::fixed, 0), body("skiff", Disc{1}, Motion::free, 1)};
  spec.zones = {{.name = "berth", .place = {.region = {20, 0, 20, 0}}},
                {.name = "bay", .place = {.region = {40, 0, 40, 0}}}};
  spec.items = {{.name = "lamp", .place = {.region = {60, 0, 60, 0}}}};
  spec.walls = {{.name = "quay", .points = {{-9, 80}, {9, 80}}}};
  World world(spec);
  const Arena& arena = world.arena;
  std::vector<std::string> names;
  for (const EntityId id : arena.posed()) names.push_back(arena.entity(id).name);
  EXPECT_EQ(names, (std::vector<std::string>{"pile", "skiff", "berth", "bay", "lamp"}));
  EXPECT_EQ(arena.ids().size(), 6u);
  ASSERT_EQ(arena.zones().size(), 2u);
  EXPECT_EQ(arena.zones()[1], EntityId(3));
  EXPECT_TRUE(arena.bodies().holds(1));
  EXPECT_FALSE(arena.bodies().holds(2));
  EXPECT_FALSE(arena.zones().holds(1));
  EXPECT_FALSE(arena.posed().holds(EntityId()));
  EXPECT_FALSE(arena.posed().holds(5)) << "a wall has no pose";
}

}  // namespace
}  // namespace zithercraft
