// What rules change for good: walls that open, tags that bodies are given; and what events tell of
// where the two were.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// Three runners on a quay of whom one can be made the catcher, a flap of wood across it, and a
// hound that chases whoever is no catcher.
GameSpec quay(const std::string& rules) {
  return parse_game(R"(
    name = "quay"
    ticks_per_step = 1
    cutoffs = { steps = 400 }
    [arena]
    tick = 0.1
    walls = [
      { name = "flap", points = [[0, -9], [0, 9]], opens = true },
      { name = "rail", points = [[-20, -9], [20, -9]] },
    ]
    [[arena.bodies]]
    name = "runner"
    may_bear = ["catcher", "safe"]
    count = 3
    motion = "free"
    shape = { kind = "disc", radius = 0.4 }
    mover = { kind = "walker", speed = 5, acceleration = 100 }
    meters = [{ name = "score", low = 0, high = 10, start = 0 }]
    place = { region = [-18, -8, 18, 8] }
    [[arena.bodies]]
    name = "hound"
    motion = "free"
    shape = { kind = "disc", radius = 0.3 }
    kills = ["safe"]
    mover = { kind = "walker", speed = 2, acceleration = 100 }
    wanderer = { chases = ["runner"], sight = 40 }
    place = { region = [-18, 8, 18, 8.5] }
    [[roles]]
    name = "runner"
    senses = [
      { kind = "ray_fan", name = "rays", rays = 3, arc = 60, reach = 10, sees = ["runner", "catcher", "flap"] },
      { kind = "compass", name = "it", to = "catcher", reach = 20 },
      { kind = "crowd", name = "others", of = ["runner", "catcher"], nearest = 2, reach = 30 },
    ]
    controls = [{ kind = "dial", name = "ahead" }, { kind = "dial", name = "left" }]
    rewards = [
      { name = "near", weight = 1, when = { of = "catcher", near = "flap_side", within = 1 } },
      { name = "met", weight = 1, on = { event = "touch", with = ["catcher"] } },
    ]
    [[arena.zones]]
    name = "flap_side"
    kept_free = false
    place = { region = [5, 0, 5, 0] }
    )" + rules);
}

const char* const catching = R"(
    [[rules]]
    name = "caught"
    on = { event = "touch", of = "catcher", with = ["runner"] }
    then = [
      { kind = "give_tag", as = "whom", tag = "catcher" },
      { kind = "give_tag" },
      { kind = "change", meter = "score", by = 1 },
    ])";

class Quay {
 public:
  explicit Quay(const std::string& rules) : lanes_(Game(quay(rules)), 1) {
    lanes_.begin(0, {5, 0, 0});
    for (std::size_t i = 0; i < 3; ++i) put(runner(i), -10.0f - 2.0f * static_cast<float>(i), -5);
    put(hound(), -18, 8);
  }
  static EntityId runner(std::size_t i) { return EntityId(i); }
  static EntityId hound() { return 3; }
  void put(EntityId body, float x, float y, double heading = 0.0) {
    arena().put(state(), body, x, y, heading);
  }
  void give(EntityId body, const char* tag) {
    arena().give_tag(state(), body, arena().tag(tag, ""));
  }
  std::string tag(EntityId body) const { return arena().tags()[view().tag_of(body)]; }
  float column(std::size_t seat, const std::string& name) {
    const auto& columns = lanes_.game().roles()[0].columns;
    const auto at = std::find_if(columns.begin(), columns.end(),
                                 [&](const Column& column) { return column.name == name; });
    EXPECT_NE(at, columns.end()) << name;
    return lanes_.observations(
        0)[seat * columns.size() + static_cast<std::size_t>(at - columns.begin())];
  }
  void step(int steps = 1) {
    for (int i = 0; i < steps; ++i) lanes_.step(0);
  }
  EntityId flap() const {
    for (const EntityId id : arena().ids())
      if (arena().entity(id).name == "flap") return id;
    return {};
  }
  const Arena& arena() const { return lanes_.game().arena(); }
  std::byte* state() { return lanes_.arena_state(0); }
  ArenaView view() const { return lanes_.view(0); }
  Lanes& lanes() { return lanes_; }

 private:
  Lanes lanes_;
};

// ---- Walls

const char* const flapping = R"(
    [[rules]]
    name = "open"
    after = 1.0
    then = [{ kind = "remove", of = "flap" }]
    [[rules]]
    name = "shut"
    after = 3.0
    then = [{ kind = "bring_back", of = "flap" }])";

TEST(OpeningWalls, LetThroughWhatTheyStoppedAndAreNotSeen) {
  Quay q(flapping);
  q.put(q.runner(0), -2, 0);
  q.step();
  EXPECT_NEAR(q.column(0, "rays[1].flap"), 1.0f, 0.0f);
  q.lanes().control(0, 0)[0] = 1.0f;
  q.step(7);
  EXPECT_LT(q.view().pose(q.runner(0)).x, -0.25f);
  q.step(4);
  EXPECT_FALSE(q.view().present(q.flap()));
  EXPECT_GT(q.view().pose(q.runner(0)).x, 0.0f);
  const auto& lanes = q.lanes();
  EXPECT_TRUE(q.view().line_of_sight({-3, 0, 0}, {3, 0, 0},
                                     TagSet::of(lanes.game().arena().tag("flap", ""))));
}

TEST(OpeningWalls, ShutOnceNobodyStandsInThem) {
  Quay q(flapping);
  q.step(12);
  q.put(q.runner(0), 0, 0);
  q.step(30);
  EXPECT_FALSE(q.view().present(q.flap()));
  q.put(q.runner(0), -3, 0);
  q.step();
  EXPECT_TRUE(q.view().present(q.flap()));
  std::vector<EntityId> found;
  q.view().overlaps(Disc{.radius = 1.0}, {0, 2, 0}, 0, TagSet::all(), found);
  EXPECT_NE(std::find(found.begin(), found.end(), q.flap()), found.end());
}

TEST(OpeningWalls, StandAgainInTheNextEpisode) {
  Quay q(flapping);
  q.step(15);
  EXPECT_FALSE(q.view().present(q.flap()));
  q.lanes().begin(0, {5, 0, 1});
  EXPECT_TRUE(q.view().present(q.flap()));
}

TEST(OpeningWalls, AreFoundByEventsToo) {
  Quay q(R"(
    [[rules]]
    name = "push"
    on = { event = "touch", with = ["flap"], from = "ahead" }
    then = [{ kind = "remove", as = "whom" }])");
  const auto push = [&](double heading) {
    q.lanes().begin(0, {5, 0, 0});
    q.put(q.runner(0), -0.6f, 0, heading);
    q.lanes().control(0, 0)[0] = heading == 0.0 ? 1.0f : -1.0f;
    q.step(3);
    return !q.view().present(q.flap());
  };
  EXPECT_TRUE(push(0));
  EXPECT_FALSE(push(std::acos(-1.0)));  // it backs into it
}

// ---- Tags

TEST(GivenTags, GoOnToWhomeverIsCaught) {
  Quay q(catching);
  EXPECT_EQ(q.tag(q.runner(0)), "runner");
  q.give(q.runner(1), "catcher");
  q.put(q.runner(0), -10, -5);
  q.put(q.runner(1), -10.75f, -5);
  q.step();
  EXPECT_EQ(q.tag(q.runner(0)), "catcher");
  EXPECT_EQ(q.tag(q.runner(1)), "runner");
  EXPECT_EQ(q.view().meter(q.runner(1), "score"), 1.0f);
  q.lanes().begin(0, {5, 0, 1});
  EXPECT_EQ(q.tag(q.runner(0)), "runner");
}

TEST(GivenTags, AreWhatSensesTermsAndConditionsGoBy) {
  Quay q("");
  q.put(q.runner(0), -10, 0);
  q.put(q.runner(1), -6, 0);
  q.put(q.runner(2), -10, 3);
  q.step();
  EXPECT_EQ(q.column(0, "rays[1].runner"), 1.0f);
  EXPECT_EQ(q.column(0, "it.distance"), 1.0f);  // nobody is the catcher
  EXPECT_EQ(q.column(0, "others[0].runner"), 1.0f);
  q.give(q.runner(1), "catcher");
  q.give(q.runner(2), "safe");
  q.step();
  EXPECT_EQ(q.column(0, "rays[1].runner"), 0.0f);
  EXPECT_EQ(q.column(0, "rays[1].catcher"), 1.0f);
  EXPECT_NEAR(q.column(0, "it.distance"), 4.0f / 20.0f, 1e-5f);
  EXPECT_EQ(q.column(1, "it.distance"), 1.0f);  // its own body does not count
  EXPECT_EQ(q.column(0, "others[0].catcher"), 1.0f);
  EXPECT_EQ(q.column(0, "others[1].here"), 0.0f);  // a safe one is of neither tag
  EXPECT_EQ(q.lanes().rewards_by_term(0, 0)[0], 0.0f);
  q.put(q.runner(1), 5, 0);
  q.step();
  EXPECT_EQ(q.lanes().rewards_by_term(0, 0)[0], 1.0f);
  q.give(q.runner(1), "runner");
  q.step();
  EXPECT_EQ(q.lanes().rewards_by_term(0, 0)[0], 0.0f);
}

TEST(GivenTags, AreWhatWanderersAndDeathsGoBy) {
  Quay q("");
  q.put(q.runner(0), -10, 5);
  q.put(q.runner(1), -10, -8);
  q.put(q.runner(2), -11, -8);
  q.put(q.hound(), -14, 5);
  for (std::size_t i = 0; i < 3; ++i) q.give(q.runner(i), "catcher");
  const float before = q.view().pose(q.hound()).x;
  q.step(3);
  EXPECT_TRUE(q.view().present(q.runner(0)));
  for (std::size_t i = 0; i < 3; ++i) q.give(q.runner(i), "runner");
  q.step(12);
  EXPECT_GT(q.view().pose(q.hound()).x, before + 1.0f);
  q.give(q.runner(0), "safe");  // a word that bodes ill here
  q.put(q.hound(), -10.65f, 5);
  q.step(2);
  EXPECT_FALSE(q.view().present(q.runner(0)));
}

TEST(GivenTags, AreSeenByCamerasAndGoOnFromASnapshot) {
  GameSpec spec = quay(catching);
  spec.roles[0].senses.push_back(Camera{.name = "picture",
                                        .from = CameraFrom::above,
                                        .width = 15,
                                        .height = 15,
                                        .across = 6,
                                        .grey = true,
                                        .sees = {"catcher"}});
  Lanes lanes(Game(spec), 1);
  lanes.begin(0, {5, 0, 0});
  const Arena& arena = lanes.game().arena();
  arena.put(lanes.arena_state(0), 0, -10, 0, 0);
  arena.put(lanes.arena_state(0), 1, -8, 0, 0);
  const auto brightness = [&] {
    lanes.step(0);
    const auto all = lanes.observations(0).first(lanes.game().roles()[0].columns.size());
    const auto picture = all.last(15 * 15);
    return *std::max_element(picture.begin(), picture.end());
  };
  const float without = brightness();
  arena.give_tag(lanes.arena_state(0), 1, arena.tag("catcher", ""));
  EXPECT_GT(brightness(), without);
  std::vector<std::byte> snapshot;
  lanes.append_snapshot(0, snapshot);
  Lanes other(Game(spec), 1);
  other.restore_snapshot(0, 0, snapshot);
  EXPECT_EQ(other.view(0).tag_of(1), arena.tag("catcher", ""));
}

TEST(GivenTags, AreRefusedWhereTheyMakeNoSense) {
  const auto refused = [](const std::string& from, const std::string& to, const char* message) {
    std::string text = to_toml(quay(catching));
    std::replace(text.begin(), text.end(), '\'', '"');
    const auto at = text.find(from);
    ASSERT_NE(at, std::string::npos) << from << text;
    text.replace(at, from.size(), to);
    const Error error = test::error_of([&] { Game game(parse_game(text)); });
    EXPECT_NE(std::string(error.what()).find(message), std::string::npos) << error.what();
  };
  refused("\"catcher\", \"safe\"", "\"catcher\", \"catcher\"", "named twice");
  refused("\"catcher\", \"safe\"", "\"catcher\", \"\"", "the tag is empty");
  Error error = test::error_of([] {
    GameSpec spec = quay("");
    std::get<Compass>(spec.roles[0].senses[1]).paired = true;
    Game game(spec);
  });
  EXPECT_NE(std::string(error.what()).find("nothing is paired by it"), std::string::npos);
  error = test::error_of([] {
    GameSpec spec = quay("");
    spec.roles[0].rewards.push_back(
        {.name = "sum", .change = MeterTrigger{.of = "catcher", .meter = "score"}});
    Game game(spec);
  });
  EXPECT_NE(std::string(error.what()).find("its meters have no sum"), std::string::npos);
}

// ---- Events

TEST(Events, TellWhereTheTwoWere) {
  Quay q("");
  const auto met = [&](double heading_a, double heading_b) {
    q.lanes().begin(0, {5, 0, 0});
    q.put(q.hound(), 15, 8);
    q.put(q.runner(2), 15, -8);
    q.put(q.runner(0), -10, 0, heading_a);
    q.put(q.runner(1), -9.25f, 0, heading_b);
    q.step();
    for (const Event& event : q.lanes().events(0))
      if (event.kind == EventKind::touch && event.who == q.runner(0))
        return in_words(event.by_who) + "/" + in_words(event.by_whom);
    return std::string("nothing");
  };
  const double quarter = 0.5 * std::acos(-1.0);
  EXPECT_EQ(met(0, 0), "ahead/behind");
  EXPECT_EQ(met(quarter, quarter), "right/left");
  EXPECT_EQ(met(2 * quarter, -quarter), "behind/right");
}

TEST(Events, TellHeights) {
  GameSpec spec = quay("");
  spec.arena.heights = Heights{.floor = Floor{}};
  Lanes lanes(Game(spec), 1);
  lanes.begin(0, {5, 0, 0});
  const Arena& arena = lanes.game().arena();
  arena.put(lanes.arena_state(0), 0, -10, 0, 0, 1.1f);
  arena.put(lanes.arena_state(0), 1, -10, 0, 0, 0);
  bool told = false;
  for (int i = 0; i < 5; ++i) {
    lanes.step(0);
    for (const Event& event : lanes.events(0))
      if (event.kind == EventKind::touch && event.who == EntityId(0) && event.whom == EntityId(1)) {
        told = true;
        EXPECT_NEAR(event.z, 1.0f, 0.05f);
        EXPECT_EQ(event.by_who.rise, Rise::below);
        EXPECT_EQ(event.by_whom.rise, Rise::above);
      }
  }
  EXPECT_TRUE(told);
}

}  // namespace
}  // namespace zithercraft
