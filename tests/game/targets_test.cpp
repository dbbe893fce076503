// Choosing one among those whom a crowd lists: the choice, what it drives, what rules hear of
// it, and what a crowd tells of others.

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// Three terns on the x axis, at 0, 2 and 5, of which the last is of another side; and a fish.
GameSpec colony(const std::string& controls, const std::string& rules = "",
                const std::string& crowd = "") {
  return parse_game(R"(
    name = "colony"
    ticks_per_step = 2
    cutoffs = { steps = 100 }
    [arena]
    tick = 0.1
    items = [{ name = "fish", place = { region = [0, 9, 0, 9] } }]
    [[arena.bodies]]
    name = "tern"
    side = "grey"
    motion = "free"
    mover = { kind = "walker", speed = 1, acceleration = 100 }
    shape = { kind = "disc", radius = 0.3 }
    meters = [{ name = "warmth", low = 0, high = 10, start = 5 }, { name = "fish", low = 0, high = 4, start = 1 }]
    launchers = [{ name = "call", swing = 90, reload = 0, life = 1 }]
    place = { region = [0, 0, 0, 0], heading = [90, 90] }
    [[arena.bodies]]
    name = "mate"
    tag = "bird"
    side = "grey"
    motion = "free"
    mover = { kind = "walker" }
    shape = { kind = "disc", radius = 0.3 }
    meters = [{ name = "warmth", low = 0, high = 10, start = 8 }]
    place = { region = [2, 0, 2, 0] }
    [[arena.bodies]]
    name = "gull"
    tag = "bird"
    side = "white"
    motion = "free"
    mover = { kind = "walker" }
    shape = { kind = "disc", radius = 0.3 }
    place = { region = [5, 0, 5, 0] }
    [[roles]]
    name = "tern"
    senses = [{ kind = "crowd", name = "birds", of = ["bird"], nearest = 4, reach = 10)" +
                    crowd + R"( }]
    controls = [)" + controls +
                    R"(]
    rewards = [{ name = "time", weight = 0, each_step = "always" }]
    [[roles]]
    name = "mate"
    senses = [{ kind = "crowd", name = "terns", of = ["tern"], nearest = 2, reach = 10, target = true, meters = ["warmth"] }]
    controls = [{ kind = "dial", name = "ahead" }]
    rewards = [{ name = "time", weight = 0, each_step = "always" }]
)" + rules);
}

const std::string mob = R"({ kind = "target", name = "mob", among = "birds" })";

class Colony {
 public:
  explicit Colony(const GameSpec& spec) : lanes_(Game(spec), 1) { lanes_.begin(0, {1, 0, 0}); }
  void choose(float option) {
    lanes_.control(0, 0)[0] = option;
    lanes_.step(0);
  }
  EntityId one(const char* name) const { return lanes_.game().arena().bodies_named(name).front(); }
  float meter(const char* body, const char* name) const {
    return lanes_.view(0).meter(one(body), name);
  }
  float sensed(std::size_t role, const std::string& name) const {
    const auto& columns = lanes_.game().roles()[role].columns;
    for (std::size_t c = 0; c < columns.size(); ++c)
      if (columns[c].name == name) return lanes_.observation(role, 0)[c];
    ADD_FAILURE() << "no column " << name;
    return NAN;
  }
  // Whom the seat's events of that name are about, in the last step.
  std::vector<EntityId> told(const std::string& name) const {
    std::vector<EntityId> list;
    for (const Event& e : lanes_.events(0))
      if (name_of(lanes_.game(), e) == name) list.push_back(e.whom);
    return list;
  }
  Lanes& lanes() { return lanes_; }

 private:
  Lanes lanes_;
};

TEST(Targets, AreChosenByTheirPlaceInTheCrowd) {
  Colony c(colony(mob));
  EXPECT_EQ(c.lanes().game().roles()[0].controls[0].options,
            (std::vector<std::string>{"nobody", "1", "2", "3", "4"}));
  c.choose(1);
  EXPECT_EQ(c.told("mob"), std::vector{c.one("mate")});
  c.choose(2);
  EXPECT_EQ(c.told("mob"), std::vector{c.one("gull")});
  c.choose(0);
  EXPECT_TRUE(c.told("mob").empty());
  c.choose(3);
  EXPECT_TRUE(c.told("mob").empty()) << "an empty place counts as nobody";
}

TEST(Targets, AreMaskedForPlayers) {
  Colony c(colony(mob));
  const std::vector<bool> allowed{true, true, true, false, false};
  for (std::size_t option = 0; option < allowed.size(); ++option)
    EXPECT_EQ(c.lanes().allowed(0, 0, 0, option), allowed[option]) << option;
}

TEST(Targets, AreWhatRulesWaitFor) {
  Colony c(colony(mob, R"(
    [[rules]]
    name = "robbery"
    on = { event = "custom", named = "mob", as = "who", with = ["bird"] }
    then = [
      { kind = "change", as = "whom", meter = "warmth", by = -1 },
      { kind = "change", meter = "warmth", by = -0.5, by_meter = "fish" },
    ]
  )"));
  c.choose(1);
  EXPECT_FLOAT_EQ(c.meter("mate", "warmth"), 7) << "once per step, not per tick";
  EXPECT_FLOAT_EQ(c.meter("tern", "warmth"), 4.5f) << "by as many fish as it has";
  c.choose(2);  // the gull has no warmth to lose
  EXPECT_FLOAT_EQ(c.meter("mate", "warmth"), 7);
  EXPECT_FLOAT_EQ(c.meter("tern", "warmth"), 4);
}

TEST(Targets, AreAimedAtAndFollowed) {
  Colony c(colony(
      R"({ kind = "target", name = "mob", among = "birds", launcher = "call", follows = true })"));
  c.choose(2);
  const auto names = c.lanes().game().arena().inputs_of(c.one("tern"));
  const auto inputs = c.lanes().game().arena().inputs(c.lanes().arena_state(0), c.one("tern"));
  const auto input = [&](const char* name) {
    return inputs[static_cast<std::size_t>(std::find(names.begin(), names.end(), name) -
                                           names.begin())];
  };
  EXPECT_FLOAT_EQ(input("call.fire"), 1);
  EXPECT_FLOAT_EQ(input("call.bearing"), -1) << "the gull lies a quarter to the right";
  EXPECT_NEAR(input("left"), -1, 1e-5);
  EXPECT_NEAR(input("ahead"), 0, 1e-5);
  EXPECT_GT(c.lanes().view(0).pose(c.one("tern")).x, 0.1f);
  c.choose(0);
  EXPECT_FLOAT_EQ(input("call.fire"), 0);
  EXPECT_FLOAT_EQ(input("left"), 0);
}

TEST(Targets, AreKnownToTheOneChosen) {
  Colony c(colony(mob));
  EXPECT_EQ(c.sensed(1, "terns[0].targets_me"), 0.0f);
  c.choose(1);
  EXPECT_EQ(c.sensed(1, "terns[0].targets_me"), 1.0f);
  const std::span<const std::byte> now = c.lanes().state(0);
  const std::vector<std::byte> kept(now.begin(), now.end());
  c.choose(2);
  EXPECT_EQ(c.sensed(1, "terns[0].targets_me"), 0.0f);
  c.lanes().restore(0, kept);
  EXPECT_EQ(c.sensed(1, "terns[0].targets_me"), 1.0f) << "it is part of the state";
}

TEST(Crowds, TellMetersAndSides) {
  Colony c(colony(mob, "", R"(, meters = ["warmth"], side = true)"));
  EXPECT_FLOAT_EQ(c.sensed(0, "birds[0].warmth"), 0.8f);
  EXPECT_FLOAT_EQ(c.sensed(0, "birds[0].own_side"), 1);
  EXPECT_FLOAT_EQ(c.sensed(0, "birds[1].warmth"), 0) << "the gull has none";
  EXPECT_FLOAT_EQ(c.sensed(0, "birds[1].own_side"), 0);
  EXPECT_FLOAT_EQ(c.sensed(0, "birds[2].own_side"), 0) << "nobody is there";
  EXPECT_FLOAT_EQ(c.sensed(1, "terns[0].warmth"), 0.5f);
}

TEST(Targets, NameWhatIsWrong) {
  const auto fix = [](const std::string& controls, const std::string& crowd = "") {
    return std::string(
        test::error_of([&] { const Game game(colony(controls, "", crowd)); }).what());
  };
  EXPECT_NE(
      fix(R"({ kind = "target", name = "mob", among = "bird" })").find("did you mean 'birds'"),
      std::string::npos);
  EXPECT_NE(fix(R"({ kind = "target", name = "mob", among = "birds", launcher = "cal" })")
                .find("did you mean 'call'"),
            std::string::npos);
  EXPECT_NE(fix(mob, R"(, meters = ["cold"])").find("nobody of the crowd has a meter 'cold'"),
            std::string::npos);
}

// Four boats in a row, a metre apart.
GameSpec pairs(std::int64_t count, const std::string& sense) {
  return parse_game(R"(
    name = "pairs"
    cutoffs = { steps = 100 }
    [arena]
    [[arena.bodies]]
    name = "boat"
    count = )" + std::to_string(count) +
                    R"(
    motion = "free"
    mover = { kind = "walker" }
    shape = { kind = "disc", radius = 0.3 }
    place = { region = [0, 0, 30, 0] }
    [[roles]]
    name = "boat"
    senses = [)" + sense +
                    R"(]
    controls = [{ kind = "dial", name = "ahead" }]
    rewards = [{ name = "time", weight = 0, each_step = "always" }]
)");
}

TEST(Partners, ArePairsOfSeats) {
  Lanes lanes(Game(pairs(4, R"(
      { kind = "compass", name = "to", to = "boat", whose = "partner", reach = 100 },
      { kind = "crowd", name = "mate", of = ["boat"], whose = "partner", nearest = 3, reach = 100 }
  )")),
              1);
  lanes.begin(0, {4, 0, 0});
  const Arena& arena = lanes.game().arena();
  const auto& boats = lanes.game().roles()[0].seats;
  for (std::size_t seat = 0; seat < 4; ++seat) {
    const auto x = [&](std::size_t of) { return arena.pose(lanes.arena_state(0), boats[of]).x; };
    const float apart = std::fabs(x(seat ^ 1u) - x(seat)) / 100;
    const auto seen = lanes.observation(0, seat);
    EXPECT_FLOAT_EQ(seen[2], apart) << seat;
    EXPECT_FLOAT_EQ(seen[3 + 3], apart) << seat;
    EXPECT_EQ(seen[3], 1.0f);
    EXPECT_EQ(seen[3 + 6], 0.0f) << "nobody else is listed";
  }
}

TEST(Partners, NeedAnEvenNumberOfSeats) {
  const auto error = test::error_of(
      [] { Game(pairs(3, R"({ kind = "compass", to = "boat", whose = "partner" })")); });
  EXPECT_NE(std::string(error.what()).find("of 3 seats one has no partner"), std::string::npos)
      << error.what();
}

}  // namespace
}  // namespace zithercraft
