// Zones, items, meters, death and return, launchers and wanderers.

#include <gtest/gtest.h>

#include <algorithm>

#include "worlds.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

using test::World;

BodySpec walker(const std::string& name, double x, double y) {
  return {.name = name,
          .motion = Motion::free,
          .shape = Disc{0.4},
          .mover = Walker{.speed = 2, .acceleration = 100},
          .place = {.region = {x, y, x, y}}};
}

std::size_t count(const World& world, EventKind kind) {
  return static_cast<std::size_t>(std::count_if(world.events.begin(), world.events.end(),
                                                [&](const Event& e) { return e.kind == kind; }));
}

const Event* first(const World& world, EventKind kind) {
  const auto found = std::find_if(world.events.begin(), world.events.end(),
                                  [&](const Event& e) { return e.kind == kind; });
  return found == world.events.end() ? nullptr : &*found;
}

void go(World& world, std::size_t body, float ahead) {
  world.arena.inputs(world.state(), EntityId(body))[0] = ahead;
}

TEST(Zones, ReportEnterInsideAndLeave) {
  ArenaSpec spec{.zones = {{.name = "berth",
                            .shape = Disc{1},
                            .reports_inside = true,
                            .place = {.region = {3, 0, 3, 0}}}}};
  spec.bodies = {walker("crew", 0, 0)};
  World world(spec);
  go(world, 0, 1);
  world.ticks(60);  // 3 s at 2 m/s
  EXPECT_EQ(count(world, EventKind::enter), 1u);
  EXPECT_EQ(count(world, EventKind::leave), 1u);
  EXPECT_NEAR(static_cast<double>(count(world, EventKind::inside)), 19, 1);
  EXPECT_NEAR(first(world, EventKind::enter)->x, 2, 0.11);
}

TEST(Events, OnlyThoseWantedAreBuilt) {
  ArenaSpec spec{.zones = {{.name = "berth",
                            .shape = Disc{1},
                            .reports_inside = true,
                            .place = {.region = {3, 0, 3, 0}}}}};
  spec.bodies = {walker("crew", 0, 0)};
  World all(spec), some(spec);
  go(all, 0, 1);
  go(some, 0, 1);
  all.ticks(60);
  for (int i = 0; i < 60; ++i)
    some.arena.tick(some.state(), some.scratch, some.events,
                    EventMask::nothing().with(EventKind::leave));
  ASSERT_EQ(some.events.size(), 1u);
  EXPECT_EQ(some.events[0].kind, EventKind::leave);
  EXPECT_EQ(all.arena.hash(all.state()), some.arena.hash(some.state()))
      << "listening changes nothing";
}

TEST(Items, AreCollectedAndComeBack) {
  ArenaSpec spec{.items = {{.name = "lantern",
                            .worth = 2.5,
                            .returns = Return{.after = 1},
                            .place = {.region = {1, 0, 1, 0}}}}};
  spec.bodies = {walker("crew", 0, 0)};
  World world(spec);
  const EntityId lantern(world.arena.posed().size() - 1);
  go(world, 0, 1);
  world.ticks(20);
  ASSERT_EQ(count(world, EventKind::collect), 1u);
  EXPECT_EQ(first(world, EventKind::collect)->strength, 2.5f);
  EXPECT_EQ(first(world, EventKind::collect)->whom, lantern);
  EXPECT_FALSE(world.arena.present(world.state(), lantern));
  EXPECT_EQ(test::cast(world, 1, 5, -90, 20).entity, EntityId(-1)) << "what is gone is not seen";
  const std::uint32_t taken = first(world, EventKind::collect)->tick;
  world.ticks(40);
  ASSERT_EQ(count(world, EventKind::back), 1u);
  EXPECT_EQ(first(world, EventKind::back)->tick, taken + 20);
  EXPECT_EQ(world.pose(lantern).x, 1);
}

TEST(Items, OnlyForTheirCollectorsAndElsewhereAfterwards) {
  ArenaSpec spec{.items = {{.name = "pearl",
                            .collectors = {"diver"},
                            .returns = Return{.after = 0.5, .elsewhere = true},
                            .place = {.region = {-20, -20, 20, 20}}}}};
  spec.bodies = {walker("diver", 0, 0), walker("gull", 5, 0)};
  World world(spec);
  const EntityId pearl(world.arena.posed().size() - 1);
  world.arena.put(world.state(), pearl, 5, 0, 0);
  world.ticks(5);
  EXPECT_EQ(count(world, EventKind::collect), 0u);
  world.arena.put(world.state(), pearl, 0, 0, 0);
  world.ticks(15);
  EXPECT_EQ(count(world, EventKind::collect), 1u);
  EXPECT_EQ(count(world, EventKind::back), 1u);
  EXPECT_NE(world.pose(pearl).x, 0);
}

TEST(Items, HeavyOnesTakeSeveralAtOnceWhoShareThem) {
  ArenaSpec spec{.items = {{.name = "wreck",
                            .shape = Disc{1},
                            .worth = 6,
                            .together = 2,
                            .returns = Return{.after = 1},
                            .place = {.region = {0, 4, 0, 4}}}}};
  spec.bodies = {walker("first", 0, 0), walker("second", 8, 0), walker("third", -8, 0)};
  World world(spec);
  const EntityId wreck(world.arena.posed().size() - 1);
  world.arena.put(world.state(), 0, 0, 3, 0);
  world.ticks(10);
  EXPECT_EQ(count(world, EventKind::collect), 0u) << "one alone cannot";
  world.arena.put(world.state(), 1, 1, 4, 0);
  world.arena.put(world.state(), 2, -1, 4, 0);
  world.ticks(1);
  ASSERT_EQ(count(world, EventKind::collect), 3u) << "all who are at it";
  for (const Event& e : world.events) {
    if (e.kind != EventKind::collect) continue;
    EXPECT_EQ(e.strength, 2.0f);
    EXPECT_EQ(e.whom, wreck);
  }
  EXPECT_FALSE(world.arena.present(world.state(), wreck));
  world.ticks(30);
  EXPECT_EQ(count(world, EventKind::collect), 6u) << "it is back, and they are still there";
}

TEST(Meters, DrainGainAndReportTheirBounds) {
  ArenaSpec spec{.zones = {{.name = "spring",
                            .shape = Disc{1},
                            .effects = {{.meter = "water", .per_second = 60}},
                            .place = {.region = {4, 0, 4, 0}}}}};
  spec.bodies = {walker("crew", 0, 0)};
  spec.bodies[0].meters = {{.name = "air", .low = 0, .high = 10, .change = -20},
                           {.name = "water", .low = 0, .high = 50, .start = 20.0, .change = -10}};
  World world(spec);
  EXPECT_EQ(world.arena.meters_of(0), (std::vector<std::string>{"air", "water"}));
  world.ticks(20);
  EXPECT_NEAR(world.arena.meter(world.state(), 0, "water"), 10, 1e-4);
  EXPECT_EQ(world.arena.meter(world.state(), 0, "air"), 0);
  ASSERT_EQ(count(world, EventKind::empty), 1u) << "once, not at every tick";
  EXPECT_EQ(first(world, EventKind::empty)->detail, 0);
  world.arena.put(world.state(), 0, 4, 0, 0);
  world.ticks(20);
  EXPECT_EQ(world.arena.meter(world.state(), 0, "water"), 50);
  ASSERT_EQ(count(world, EventKind::full), 1u);
  EXPECT_EQ(first(world, EventKind::full)->detail, 1);
  EXPECT_THROW(world.arena.meter(world.state(), 0, "fuel"), Error);
}

TEST(Meters, AVitalOneKillsAndTheBodyReturns) {
  ArenaSpec spec;
  spec.bodies = {walker("crew", 0, 0)};
  spec.bodies[0].meters = {{.name = "air", .high = 1, .change = -2, .vital = true}};
  spec.bodies[0].returns = Return{.after = 1};
  World world(spec);
  go(world, 0, 1);
  world.ticks(15);
  ASSERT_EQ(count(world, EventKind::die), 1u);
  EXPECT_EQ(first(world, EventKind::die)->whom, EntityId(-1));
  EXPECT_FALSE(world.arena.present(world.state(), 0));
  world.ticks(17);
  ASSERT_EQ(count(world, EventKind::back), 1u);
  EXPECT_GT(world.arena.meter(world.state(), 0, "air"), 0.5f);
  EXPECT_LT(world.pose(0).x, 1) << "back where it began";
}

TEST(Hazards, KillTheTagsTheyName) {
  ArenaSpec spec{.zones = {{.name = "pool",
                            .shape = Disc{1},
                            .kept_free = false,
                            .kills = {"crew"},
                            .place = {.region = {3, 0, 3, 0}}}}};
  spec.bodies = {walker("crew", 0, 0), walker("crab", 3, 0), walker("shark", 0, 5),
                 walker("crew2", 2, 5)};
  spec.bodies[2].kills = {"swimmer"};
  spec.bodies[3].tag = "swimmer";
  World world(spec);
  go(world, 0, 1);
  go(world, 2, 1);
  world.ticks(40);
  EXPECT_EQ(count(world, EventKind::die), 2u);
  EXPECT_FALSE(world.arena.present(world.state(), 0));
  EXPECT_TRUE(world.arena.present(world.state(), 1)) << "crabs live in pools";
  EXPECT_TRUE(world.arena.present(world.state(), 2));
  EXPECT_FALSE(world.arena.present(world.state(), 3));
}

ArenaSpec battery() {
  ArenaSpec spec;
  spec.bodies = {{.name = "mole",
                  .launchers = {{.name = "flare",
                                 .speed = 10,
                                 .radius = 0.1,
                                 .life = 2,
                                 .reload = 0.5,
                                 .swing = 90,
                                 .targets = {"balloon"},
                                 .effects = {{.meter = "health", .amount = -3}}}}},
                 {.name = "balloon",
                  .motion = Motion::free,
                  .shape = Disc{0.5},
                  .meters = {{.name = "health", .high = 5}},
                  .place = {.region = {8, 0, 8, 0}}}};
  return spec;
}

TEST(Launchers, ShotsFlyHitAndReload) {
  World world(battery());
  const auto inputs = world.arena.inputs(world.state(), 0);
  EXPECT_EQ(std::vector(world.arena.inputs_of(0).begin(), world.arena.inputs_of(0).end()),
            (std::vector<std::string>{"flare.fire", "flare.bearing"}));
  inputs[0] = 1;
  world.ticks(20);
  EXPECT_EQ(count(world, EventKind::launch), 2u) << "one each half second";
  ASSERT_EQ(count(world, EventKind::hit), 1u);
  const Event& hit = *first(world, EventKind::hit);
  EXPECT_EQ(hit.who, EntityId(0));
  EXPECT_EQ(hit.whom, EntityId(1));
  EXPECT_NEAR(hit.x, 7.4, 0.02) << "its centre is a radius away from the balloon";
  EXPECT_NEAR(hit.strength, 10, 1e-3);
  EXPECT_EQ(world.arena.meter(world.state(), 1, "health"), 2);
  ASSERT_EQ(count(world, EventKind::pass), 1u);
  EXPECT_NEAR(first(world, EventKind::pass)->strength, 0, 2e-3);
}

TEST(Launchers, AMissReportsHowCloseItCame) {
  World world(battery());
  const auto inputs = world.arena.inputs(world.state(), 0);
  inputs[0] = 1;
  inputs[1] = 0.25f;  // 22.5 degrees to the left
  world.ticks(2);
  inputs[0] = 0;
  world.ticks(60);
  EXPECT_EQ(count(world, EventKind::hit), 0u);
  ASSERT_EQ(count(world, EventKind::pass), 1u);
  EXPECT_NEAR(first(world, EventKind::pass)->strength, 8 * std::sin(22.5 * 0.0174532925) - 0.6,
              0.01);
}

TEST(Launchers, ShotsPushWhatTheyHitAndCanCostSomething) {
  auto spec = battery();
  spec.bodies[0].motion = Motion::free;
  spec.bodies[0].meters = {{.name = "fuel", .low = 1, .high = 6}};
  spec.bodies[0].launchers[0].costs = Cost{.meter = "fuel", .amount = 2};
  spec.bodies[1].motion = Motion::free;
  spec.bodies[1].mass = 40;
  World plain(spec);
  spec.bodies[0].launchers[0].push = 100;
  World world(spec);
  for (World* w : {&plain, &world}) {
    w->arena.inputs(w->state(), 0)[0] = 1;
    w->ticks(100);
    EXPECT_EQ(count(*w, EventKind::launch), 2u) << "four units of fuel are two launches";
    EXPECT_EQ(w->arena.meter(w->state(), 0, "fuel"), 2);
  }
  EXPECT_EQ(plain.pose(1).x, 8);
  EXPECT_NEAR(world.arena.velocity(world.state(), 1).x, 2 * 100.0 / 40.0, 0.01);
  spec.bodies[0].launchers[0].costs->meter = "feul";
  EXPECT_NE(std::string(test::error_of([&] { Arena{spec}; }).what()).find("'fuel'"),
            std::string::npos);
}

TEST(Launchers, OnlySoManyShotsAtOnce) {
  auto spec = battery();
  spec.bodies[0].launchers[0].in_flight = 2;
  spec.bodies[0].launchers[0].reload = 0;
  World world(spec);
  const auto inputs = world.arena.inputs(world.state(), 0);
  inputs[0] = 1;
  inputs[1] = 1;
  world.ticks(10);
  EXPECT_EQ(count(world, EventKind::launch), 2u);
}

TEST(Wanderers, ChaseWhenHostileFleeAndFollowTheirRoute) {
  ArenaSpec spec;
  spec.bodies = {walker("crew", 0, 0), walker("crab", 4, 0), walker("shrimp", 0, 4),
                 walker("guard", 20, 0)};
  spec.bodies[1].wanderer = Wanderer{.chases = {"crew"}};
  spec.bodies[2].wanderer = Wanderer{.flees = {"crew"}};
  spec.bodies[3].wanderer = Wanderer{.route = {{24, 0}, {24, 4}}};
  World world(spec);
  world.ticks(20);
  EXPECT_LT(world.pose(1).x, 2.5f);
  EXPECT_GT(world.pose(2).y, 5.5f);
  world.ticks(60);
  EXPECT_NEAR(world.pose(3).x, 24, 0.7);
  EXPECT_GT(world.pose(3).y, 1);
  EXPECT_TRUE(world.arena.wanders(1));
  spec.bodies[1].wanderer->hostile = false;
  World peaceful(spec);
  peaceful.ticks(40);
  EXPECT_EQ(std::count_if(peaceful.events.begin(), peaceful.events.end(),
                          [](const Event& e) { return e.kind == EventKind::touch; }),
            0);
}

TEST(Wanderers, RoamOverTheWholeArena) {
  ArenaSpec spec;
  spec.walls = {{.name = "wall", .points = {{-5, -5}, {5, -5}, {5, 5}, {-5, 5}}, .closed = true}};
  spec.bodies = {walker("crab", 0, 0)};
  spec.bodies[0].wanderer = Wanderer{.restless = 1};
  World world(spec);
  std::array<bool, 4> quarter{};
  for (int i = 0; i < 4000; ++i) {
    world.ticks(1);
    quarter[(world.pose(0).x > 0 ? 1u : 0u) + (world.pose(0).y > 0 ? 2u : 0u)] = true;
  }
  EXPECT_EQ(std::count(quarter.begin(), quarter.end(), true), 4);
}

TEST(Queries, OverlapsNearestAndLineOfSight) {
  ArenaSpec spec;
  spec.walls = {{.name = "wall", .points = {{0, -2}, {0, 2}}}};
  spec.bodies = {walker("crew", -3, 0), walker("crab", 3, 0)};
  spec.zones = {{.name = "berth", .shape = Box{2, 2}, .place = {.region = {3, 3, 3, 3}}}};
  World world(spec);
  EXPECT_FALSE(world.arena.line_of_sight(world.state(), {-3, 0}, {3, 0}, TagSet::all(), 0));
  EXPECT_TRUE(world.arena.line_of_sight(world.state(), {-3, 0}, {3, 0},
                                        TagSet::of(world.arena.tag("berth", "")), 0));
  EXPECT_TRUE(world.arena.line_of_sight(world.state(), {-3, 4}, {3, 5}));
  const NearestHit near = world.arena.nearest(world.state(), -3, 0, TagSet::all(), 0);
  EXPECT_EQ(near.entity, EntityId(1));
  EXPECT_EQ(near.distance, 6);
  std::vector<EntityId> found;
  world.arena.overlaps(world.state(), Disc{3.2}, {2, 1}, 0, TagSet::all(), found);
  EXPECT_EQ(found, (std::vector<EntityId>{1, 2, 3})) << "crab, berth and wall";
}

TEST(Queries, OwnSideIsLookedThrough) {
  ArenaSpec spec;
  spec.bodies = {walker("a", 0, 0), walker("b", 2, 0), walker("c", 4, 0)};
  spec.bodies[0].side = spec.bodies[1].side = "west";
  World world(spec);
  const float one = 1, none = 0;
  float distance = 0;
  EntityId entity;
  const RayFanQuery ray{.direction_x = {&one, 1},
                        .direction_y = {&none, 1},
                        .reach = 9,
                        .exclude = 0,
                        .exclude_side = world.arena.side_of(0)};
  world.arena.cast(world.state(), ray, {&distance, 1}, {&entity, 1});
  EXPECT_EQ(entity, EntityId(2));
}

TEST(Queries, ABatchOfRaysEqualsItsFans) {
  ArenaSpec spec;
  spec.bodies = {walker("a", 0, 0), walker("b", 2, 1), walker("c", 4, 0)};
  World world(spec);
  const std::vector<float> x{-5, -5, 9, 0}, y{0, 0, 0, 5}, dx{1, 0.8f, -1, 0}, dy{0, 0.6f, 0, -1};
  std::vector<float> distance(4);
  std::vector<EntityId> entity(4);
  world.arena.cast(world.state(),
                   RayBatchQuery{.x = x, .y = y, .direction_x = dx, .direction_y = dy, .reach = 20},
                   distance, entity);
  EXPECT_EQ(entity, (std::vector<EntityId>{0, -1, 2, 0}));
  EXPECT_NEAR(distance[2], 4.6, 1e-5);
}

}  // namespace
}  // namespace zithercraft
