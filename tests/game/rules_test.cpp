// Rules that a game file holds: when they are carried out, what they do, and what C++ rules get.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/overrides.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

// A porter in a yard: a gate to the east, a key to the west, a mat, a crate that is pushed, and a
// bell that nobody can move.
GameSpec yard(const std::string& rules, const std::string& rewards = "") {
  return parse_game(R"(
    name = "yard"
    ticks_per_step = 2
    cutoffs = { steps = 1000 }
    [arena]
    tick = 0.1
    walls = [{ name = "fence", points = [[-20, -9], [20, -9], [20, 9], [-20, 9]], closed = true }]
    zones = [{ name = "mat", shape = { kind = "disc", radius = 1 }, kept_free = false, place = { region = [0, 5, 0, 5] } }]
    items = [{ name = "key", place = { region = [-5, 0, -5, 0] } }]
    [[arena.bodies]]
    name = "porter"
    motion = "free"
    shape = { kind = "disc", radius = 0.4 }
    mover = { kind = "walker", speed = 5, acceleration = 100 }
    meters = [{ name = "breath", low = 0, high = 10, start = 5, vital = true }]
    place = { region = [0, 0, 0, 0] }
    [[arena.bodies]]
    name = "gate"
    shape = { kind = "box", length = 0.4, width = 17.9 }
    place = { region = [3, 0, 3, 0] }
    [[arena.bodies]]
    name = "crate"
    motion = "free"
    drag = 0.0
    shape = { kind = "disc", radius = 0.3 }
    place = { region = [-9, -5, -7, -3] }
    [[arena.bodies]]
    name = "bell"
    shape = { kind = "disc", radius = 0.3 }
    place = { region = [0, -5, 0, -5] }
    [[roles]]
    name = "porter"
    senses = [{ kind = "own_motion" }]
    controls = [{ kind = "dial", name = "ahead" }, { kind = "dial", name = "left" }]
    rewards = [{ name = "time", weight = 0, each_step = "always" })" +
                    (rewards.empty() ? "" : ", " + rewards) + "]\n" + rules);
}

class Yard {
 public:
  explicit Yard(const GameSpec& spec) : lanes_(Game(spec), 1) { lanes_.begin(0, {2, 0, 0}); }
  explicit Yard(const std::string& rules, const std::string& rewards = "")
      : Yard(yard(rules, rewards)) {}

  EntityId one(const char* name) const {
    for (const EntityId id : arena().posed())
      if (arena().entity(id).name == name) return id;
    return {};
  }
  void put(const char* name, float x, float y, double heading = 0) {
    arena().put(lanes_.arena_state(0), one(name), x, y, heading);
  }
  void step(int steps = 1) {
    for (int i = 0; i < steps && lanes_.outcome(0) == Outcome::running; ++i) lanes_.step(0);
  }
  // How often an event of that name came in the last step.
  int told(const std::string& name) const {
    int times = 0;
    for (const Event& event : lanes_.events(0)) times += name_of(lanes_.game(), event) == name;
    return times;
  }
  bool there(const char* name) const { return view().present(one(name)); }
  Pose pose(const char* name) const { return view().pose(one(name)); }
  float breath() const { return view().meter(one("porter"), "breath"); }
  ArenaView view() const { return lanes_.view(0); }
  const Arena& arena() const { return lanes_.game().arena(); }
  Lanes& lanes() { return lanes_; }
  Outcome outcome() const { return lanes_.outcome(0); }

 private:
  Lanes lanes_;
};

// ---- When

TEST(Rules, AKeyOpensAGateAndTermsHearOfIt) {
  Yard y(R"(
    [[rules]]
    name = "key"
    on = { event = "collect", with = ["key"] }
    then = [{ kind = "remove", of = "gate" }, { kind = "emit", event = "opened" }])",
         R"({ name = "opened", weight = 3, on = { event = "custom", named = "opened" } })");
  y.put("porter", 2.3f, 0);
  y.lanes().control(0, 0)[0] = 1.0f;
  y.step(10);
  EXPECT_LT(y.pose("porter").x, 3.0f);  // the gate is shut
  y.put("porter", -5, 0);
  y.step();
  EXPECT_FALSE(y.there("gate"));
  EXPECT_EQ(y.told("opened"), 1);
  EXPECT_EQ(y.lanes().rewards_by_term(0, 0)[1], 3.0f);
  y.put("porter", 2.3f, 0);
  y.step(10);
  EXPECT_GT(y.pose("porter").x, 5.0f);
  EXPECT_EQ(y.lanes().rewards_by_term(0, 0)[1], 0.0f);
}

TEST(Rules, CountTheirEvents) {
  const std::string enters = R"(on = { event = "enter", with = ["mat"] )";
  const auto visit = [](Yard& y) {
    y.put("porter", 0, 5);
    y.step();
    y.put("porter", 0, 0);
    y.step();
  };
  Yard third(R"([[rules]]
    name = "third"
    )" + enters +
             R"(, nth = 3 }
    then = [{ kind = "end", verdict = "success" }])");
  visit(third);
  visit(third);
  EXPECT_EQ(third.outcome(), Outcome::running);
  third.put("porter", 0, 5);
  third.step();
  EXPECT_EQ(third.outcome(), Outcome::success);

  Yard twice(R"([[rules]]
    name = "twice"
    most = 2
    )" + enters +
             R"(}
    then = [{ kind = "change", meter = "breath", by = 1 }])");
  for (int i = 0; i < 4; ++i) visit(twice);
  EXPECT_EQ(twice.breath(), 7.0f);
}

TEST(Rules, WaitUntilAConditionHasLasted) {
  Yard y(R"([[rules]]
    name = "held"
    when = { inside = "mat" }
    lasting = 1.0
    then = [{ kind = "emit", event = "held" }])");
  y.put("porter", 0, 5);
  y.step(4);  // 0.8 s
  y.put("porter", 0, 0);
  y.step();
  y.put("porter", 0, 5);
  int told = 0;
  for (int i = 0; i < 4; ++i, y.step()) told += y.told("held");
  EXPECT_EQ(told, 0);  // it began again
  for (int i = 0; i < 10; ++i, y.step()) told += y.told("held");
  EXPECT_EQ(told, 1);  // once, as long as it goes on
}

TEST(Rules, FollowTheClock) {
  Yard y(R"([[rules]]
    name = "first"
    after = 0
    then = [{ kind = "change", of = "porter", meter = "breath", to = 9 }]
    [[rules]]
    name = "later"
    after = 1.0
    then = [{ kind = "remove", of = "gate" }]
    [[rules]]
    name = "again"
    every = 0.5
    only_while = { meter = "breath", at_least = 6 }
    then = [{ kind = "change", of = "porter", meter = "breath", by = -1 }])");
  EXPECT_EQ(y.breath(), 9.0f);
  y.step(4);
  EXPECT_TRUE(y.there("gate"));
  y.step();
  EXPECT_FALSE(y.there("gate"));
  EXPECT_EQ(y.breath(), 7.0f);
  y.step(20);
  EXPECT_EQ(y.breath(), 5.0f);
}

// Who waits for what nobody did hears of it too.
TEST(Rules, TellEverybodyOfWhatNobodyDid) {
  Yard y(
      R"([[rules]]
    name = "clock"
    every = 1.0
    then = [{ kind = "emit", event = "bell", strength = 2 }]
    [[rules]]
    name = "echo"
    on = { event = "custom", named = "bell" }
    then = [{ kind = "emit", event = "echo" }])",
      R"({ name = "bell", weight = 1, on = { event = "custom", named = "bell", by_strength = true } })");
  y.step(4);
  EXPECT_EQ(y.lanes().rewards_by_term(0, 0)[1], 0.0f);
  y.step();
  EXPECT_EQ(y.lanes().rewards_by_term(0, 0)[1], 2.0f);
  EXPECT_EQ(y.told("echo"), 1);
}

TEST(Rules, AskWhereAndHowAnEventCame) {
  const auto told = [](const std::string& filter, float x, float y, double heading) {
    Yard yard(R"([[rules]]
      name = "bump"
      on = { event = "touch", with = ["bell"], )" +
              filter + R"( }
      then = [{ kind = "emit", event = "bump" }])");
    yard.put("porter", x, y, heading);
    yard.lanes().control(0, 0)[0] = 1.0f;
    int times = 0;
    for (int i = 0; i < 5; ++i) {
      yard.step();
      times += yard.told("bump");
    }
    return times;
  };
  const float south = -5.0f;
  const double pi = std::acos(-1.0);
  // It walks east into the bell, and stands beside it facing north.
  EXPECT_EQ(told("from = \"ahead\"", -2, south, 0), 1);
  EXPECT_EQ(told("from = \"beside\"", -2, south, 0), 0);
  EXPECT_EQ(told("from = \"behind\"", -2, south, 0), 0);
  EXPECT_EQ(told("from = \"beside\"", -0.65f, south, pi / 2), 1);
  EXPECT_EQ(told("from = \"behind\"", -0.65f, south, pi), 1);
  EXPECT_EQ(told("harder_than = 2", -2, south, 0), 1);
  EXPECT_EQ(told("softer_than = 2", -2, south, 0), 0);
  EXPECT_EQ(told("inside = \"mat\"", -2, south, 0), 0);
  EXPECT_EQ(told("meter = \"breath\", at_most = 5", -2, south, 0), 1);
  EXPECT_EQ(told("meter = \"breath\", at_least = 6", -2, south, 0), 0);
}

TEST(Rules, KnowHeights) {
  GameSpec spec = yard("");
  spec.arena.heights = Heights{.floor = Floor{}};
  spec.rules = {{.name = "high", .when = Condition{.above = 2.0}, .then = {Emit{.event = "high"}}},
                {.name = "landed on",
                 .on = EventTrigger{.with = {"crate"}, .from = Approach::below},
                 .then = {Emit{.event = "landed"}}}};
  Yard y(spec);
  const auto drop = [&](float z) {
    y.arena().put(y.lanes().arena_state(0), y.one("crate"), -2, -2, 0, 0);
    y.arena().put(y.lanes().arena_state(0), y.one("porter"), -2, -2, 0, z);
    int high = 0, landed = 0;
    for (int i = 0; i < 10; ++i) {
      y.step();
      high += y.told("high");
      landed += y.told("landed");
    }
    return std::pair(high, landed);
  };
  EXPECT_EQ(drop(1.2f), std::pair(0, 1));
  EXPECT_EQ(drop(4.0f), std::pair(1, 1));
}

// ---- What

TEST(Rules, BringThingsBackOnceThereIsRoom) {
  Yard y(R"([[rules]]
    name = "open"
    after = 0
    then = [{ kind = "remove", of = "gate" }]
    [[rules]]
    name = "shut"
    on = { event = "enter", with = ["mat"] }
    then = [{ kind = "bring_back", of = "gate" }])");
  EXPECT_FALSE(y.there("gate"));
  y.put("crate", 3, 0);
  y.put("porter", 0, 5);
  y.step(3);
  EXPECT_FALSE(y.there("gate"));  // the crate is in the gateway
  y.put("crate", -8, -4);
  y.step();
  EXPECT_TRUE(y.there("gate"));
  EXPECT_EQ(y.told("back"), 1);
}

TEST(Rules, LetNobodyWaitWhoIsTakenOutAgain) {
  Yard y(R"([[rules]]
    name = "open"
    every = 0.2
    then = [{ kind = "remove", of = "gate" }]
    [[rules]]
    name = "shut"
    on = { event = "enter", with = ["mat"] }
    then = [{ kind = "bring_back", of = "gate" }])");
  y.step();
  y.put("crate", 3, 0);
  y.put("porter", 0, 5);
  y.step(2);
  y.put("crate", -8, -4);
  y.step(3);
  EXPECT_FALSE(y.there("gate"));
}

TEST(Rules, ServeAgainAndThrow) {
  Yard y(R"([[rules]]
    name = "serve"
    on = { event = "enter", of = "crate", with = ["mat"] }
    then = [{ kind = "place_again" }, { kind = "throw", speed = 3, towards = "bell" }])");
  y.put("crate", 0, 5);
  y.lanes().step(0);
  const Pose at = y.pose("crate");
  EXPECT_TRUE(at.x >= -9.4f && at.x <= -6.0f && at.y >= -5.4f && at.y <= -2.6f);
  const Velocity v = y.view().velocity(y.one("crate"));
  EXPECT_NEAR(std::hypot(v.x, v.y), 3.0, 1e-4);
  EXPECT_GT(v.x, 2.0f);  // the bell is to the east

  // Any direction, but the same for the same episode.
  const std::string any = R"([[rules]]
    name = "kick"
    every = 0.4
    then = [{ kind = "throw", of = "crate", speed = 2, along = 90, spread = 180 }])";
  Yard one(any), other(any);
  one.step(2);
  other.step(2);
  const Velocity a = one.view().velocity(one.one("crate")),
                 b = other.view().velocity(other.one("crate"));
  EXPECT_EQ(a.x, b.x);
  EXPECT_NEAR(std::hypot(a.x, a.y), 2.0, 1e-4);
  one.step(2);
  EXPECT_NE(one.view().velocity(one.one("crate")).x, a.x);
}

TEST(Rules, SwitchHostility) {
  GameSpec spec = yard(R"([[rules]]
    name = "alarm"
    on = { event = "enter", with = ["mat"] }
    then = [{ kind = "remove", of = "gate" }]
    [[rules]]
    name = "calm"
    after = 3
    then = [{ kind = "emit", event = "calm" }])");
  spec.arena.bodies.push_back({.name = "dog",
                               .motion = Motion::free,
                               .mover = Walker{.speed = 2.0, .acceleration = 50.0},
                               .wanderer = Wanderer{.chases = {"porter"}, .hostile = false},
                               .place = {.region = {-1, -8, -1, -8}}});
  spec.rules[0].then.push_back(SetHostile{.of = "dog"});
  spec.rules[1].then.push_back(SetHostile{.of = "dog", .hostile = false});
  Yard y(spec);
  y.put("porter", 0, 5);
  EXPECT_FALSE(y.arena().hostile(y.lanes().arena_state(0), y.one("dog")));
  y.step();
  EXPECT_TRUE(y.arena().hostile(y.lanes().arena_state(0), y.one("dog")));
  y.put("porter", -1, -4);
  y.step(8);  // it comes
  EXPECT_LT(std::hypot(y.pose("dog").x + 1, y.pose("dog").y + 4), 3.0);
  y.step(8);
  EXPECT_FALSE(y.arena().hostile(y.lanes().arena_state(0), y.one("dog")));
  EXPECT_FALSE(y.arena().hostile(y.lanes().arena_state(0), y.one("porter")));
}

TEST(Rules, AreDoneToEitherPartOfAnEvent) {
  for (const auto& [part, left] : {std::pair{"who", "bell"}, std::pair{"whom", "porter"}}) {
    Yard y(R"([[rules]]
      name = "bump"
      on = { event = "touch", as = "who", with = ["bell"] }
      then = [{ kind = "remove", as = ")" +
           std::string(part) + R"(" }])");
    y.put("porter", -2, -5);
    y.lanes().control(0, 0)[0] = 1.0f;
    y.step(5);
    EXPECT_TRUE(y.there(left)) << part;
    EXPECT_NE(y.there("bell"), y.there("porter")) << part;
  }
}

TEST(Rules, EmptyAVitalMeter) {
  Yard y(R"([[rules]]
    name = "smoke"
    on = { event = "enter", with = ["mat"] }
    then = [{ kind = "change", meter = "breath", by = -20 }]
    [[rules]]
    name = "gone"
    on = { event = "die", as = "who" }
    then = [{ kind = "end", verdict = "failure" }])");
  y.put("porter", 0, 5);
  y.step();
  EXPECT_FALSE(y.there("porter"));
  EXPECT_EQ(y.told("empty"), 1);
  EXPECT_EQ(y.outcome(), Outcome::failure);
}

TEST(Rules, FinishsByVerdictOrWithout) {
  Yard cut(R"([[rules]]
    name = "bell"
    after = 0.4
    then = [{ kind = "end" }])");
  cut.step(2);
  EXPECT_EQ(cut.outcome(), Outcome::cutoff);
  EXPECT_EQ(cut.lanes().ended_by(0), EndedBy::game);
  // A verdict counts more than a cutoff, and failure more than success.
  Yard all(R"([[rules]]
    name = "bell"
    after = 0.3
    then = [{ kind = "end", verdict = "success" }, { kind = "end", verdict = "failure" }, { kind = "end", verdict = "success" }, { kind = "end" }])");
  all.step(2);
  EXPECT_EQ(all.outcome(), Outcome::failure);
}

TEST(Rules, TurnCells) {
  Lanes lanes(Game(parse_game(R"(
    name = "sluice"
    [arena]
    cells = { size = 1, origin = [0, 0], kinds = [{ name = "wall", symbol = "#", solid = true }, { name = "sluice", symbol = "S", solid = true }, { name = "mud", symbol = "m" }], layers = ['''
#######
#  S  #
#######
'''] }
    bodies = [{ name = "eel", motion = "free", shape = { kind = "disc", radius = 0.3 }, mover = { kind = "stepper", faces_move = false }, place = { region = [1.5, 1.5, 1.5, 1.5] } }]
    [[roles]]
    name = "eel"
    senses = [{ kind = "own_motion" }]
    controls = [{ kind = "choice", name = "go", options = [{ name = "stay" }, { name = "east", sets = { ahead = 1 } }] }]
    rewards = [{ name = "time", each_step = "always" }]
    [[rules]]
    name = "open"
    after = 2
    then = [{ kind = "turn_cells", from = "sluice", into = "mud" }]
    [[rules]]
    name = "dry"
    after = 4
    then = [{ kind = "turn_cells", from = "mud" }])")),
              1);
  lanes.begin(0, {1, 0, 0});
  const auto kind = [&] {
    const EntityId cell = lanes.game().arena().cell_at(lanes.arena_state(0), 3, 1);
    return cell ? lanes.game().arena().entity(cell).name : "none";
  };
  const auto steps_for = [&](double seconds) {
    const GameSpec& spec = lanes.game().spec();
    const double each = spec.arena.tick * static_cast<double>(spec.ticks_per_step);
    for (int i = 0; i < static_cast<int>(std::lround(seconds / each)); ++i) {
      lanes.control(0, 0)[0] = 1.0f;
      lanes.step(0);
    }
  };
  steps_for(1.9);
  EXPECT_EQ(kind(), "sluice");
  EXPECT_LT(lanes.view(0).pose(0).x, 3.0f);
  steps_for(2.0);
  EXPECT_EQ(kind(), "mud");
  EXPECT_GT(lanes.view(0).pose(0).x, 3.0f);
  steps_for(1.0);
  EXPECT_EQ(kind(), "none");
}

// ---- As everything else

const char* const busy = R"([[rules]]
    name = "held"
    when = { inside = "mat" }
    lasting = 0.5
    then = [{ kind = "place_again", of = "key" }, { kind = "emit", event = "held", strength = 2 }]
    [[rules]]
    name = "kick"
    every = 0.7
    most = 30
    then = [{ kind = "throw", of = "crate", speed = 4, spread = 180 }]
    [[rules]]
    name = "crate on the mat"
    on = { event = "enter", of = "crate", with = ["mat"], counts = "first" }
    then = [{ kind = "change", of = "porter", meter = "breath", by = 1 }])";

TEST(Rules, AreReadAndWrittenWithoutLoss) {
  const GameSpec spec = yard(busy);
  EXPECT_EQ(parse_game(to_toml(spec)), spec);
  EXPECT_NE(to_toml(spec).find("place_again"), std::string::npos);
}

TEST(Rules, AreSetFromOutside) {
  const GameSpec spec = with_keys(yard(busy), {{"rules[1].most", Value{std::int64_t{3}}}}, "--set");
  EXPECT_EQ(spec.rules[1].most, 3);
}

TEST(Rules, GoOnFromASnapshotAsIfNothingHadHappened) {
  const auto play = [](Yard& y, int from, int to) {
    for (int i = from; i < to; ++i) {
      if (i % 40 == 3) y.put("porter", 0, 5);
      y.step();
    }
  };
  Yard y(busy);
  play(y, 0, 5);  // in the middle of a hold
  std::vector<std::byte> snapshot;
  y.lanes().append_snapshot(0, snapshot);
  play(y, 5, 200);
  Yard other(busy);
  other.lanes().restore_snapshot(0, 0, snapshot);
  play(other, 5, 200);
  const auto a = y.lanes().state(0), b = other.lanes().state(0);
  EXPECT_TRUE(std::equal(a.begin(), a.end(), b.begin(), b.end()));
}

TEST(Rules, InCodeGetTheTicksEventsAndTellTheirOwn) {
  GameSpec spec =
      yard("", R"({ name = "rung", weight = 1, on = { event = "enter", with = ["mat"] } })");
  int last_ticks = 0, ticks = 0;
  spec.rules.push_back({.name = "coded",
                        .numbers = 1,
                        .tick =
                            [&](const RuleView& lane) {
                              ++ticks;
                              last_ticks += lane.last_tick();
                              for (const Event& event : lane.events())
                                if (event.kind == EventKind::enter) {
                                  lane.emit("rung", event.who, event.whom);
                                  lane.change_meter(event.who, "breath", 2);
                                  lane.numbers()[0] += 1;
                                }
                              if (lane.numbers()[0] >= 2) lane.cut_off();
                            },
                        .emits = {"rung"}});
  spec.rules.push_back({.name = "declared",
                        .on = EventTrigger{.event = EventKind::custom, .named = "rung"},
                        .then = {Remove{.of = "gate"}}});
  Yard y(spec);
  y.put("porter", 0, 5);
  y.step();
  EXPECT_EQ(y.told("rung"), 1);
  EXPECT_EQ(y.breath(), 7.0f);
  EXPECT_FALSE(y.there("gate"));
  EXPECT_EQ(ticks, 2);
  EXPECT_EQ(last_ticks, 1);
  y.put("porter", 0, 0);
  y.step();
  y.put("porter", 0, 5);
  y.step();
  EXPECT_EQ(y.outcome(), Outcome::cutoff);
  spec.rules[0].emits.clear();
  spec.rules.pop_back();
  Yard silent(spec);
  silent.put("porter", 0, 5);
  EXPECT_NE(std::string(test::error_of([&] { silent.step(); }).what()).find("emits"),
            std::string::npos);
}

TEST(Rules, InCodeKeepAStructOfTheirOwn) {
  struct Log {
    std::int32_t visits;
    float last_x;
    bool done;
  };
  GameSpec spec = yard("");
  spec.rules.push_back({.name = "log", .tick = [](const RuleView& lane) {
                          Log& log = lane.memory<Log>();
                          for (const Event& event : lane.events())
                            if (event.kind == EventKind::enter) {
                              ++log.visits;
                              log.last_x = event.x;
                            }
                          log.done = log.visits >= 2;
                          if (log.done) lane.end(Verdict::success);
                        }});
  spec.rules.back().keep<Log>();
  const auto visit = [](Yard& y) {
    y.put("porter", 0.25f, 5);
    y.step();
    y.put("porter", 0, 0);
    y.step();
  };
  Yard y(spec);
  visit(y);
  std::vector<std::byte> snapshot;
  y.lanes().append_snapshot(0, snapshot);
  const SeatView seat(y.lanes(), 0, 0, 0);
  EXPECT_EQ(seat.memory<Log>("log").visits, 1);
  EXPECT_EQ(seat.memory<Log>("log").last_x, 0.25f);
  visit(y);
  EXPECT_EQ(y.outcome(), Outcome::success);
  Yard other(spec);
  other.lanes().restore_snapshot(0, 0, snapshot);
  visit(other);
  EXPECT_EQ(other.outcome(), Outcome::success);

  spec.rules.back().numbers = 1;
  Yard small(spec);
  EXPECT_NE(std::string(test::error_of([&] { small.step(); }).what()).find("RuleSpec::keep"),
            std::string::npos);
}

// ---- Mistakes

struct Wrong {
  const char* rule;
  const char* message;
};
void PrintTo(const Wrong& wrong, std::ostream* out) { *out << wrong.rule; }

class BadRule : public ::testing::TestWithParam<Wrong> {};

TEST_P(BadRule, GetsOneClearError) {
  const Error error = test::error_of(
      [&] { Game game(yard(std::string("[[rules]]\nname = \"r\"\n") + GetParam().rule)); });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_NE(std::string(error.what()).find(GetParam().message), std::string::npos) << error.what();
}

INSTANTIATE_TEST_SUITE_P(
    Mistakes, BadRule,
    ::testing::Values(
        Wrong{"after = 1\nwhen = { inside = \"mat\" }\nthen = [{ kind = \"end\" }]",
              "has 2 triggers"},
        Wrong{"then = [{ kind = \"end\" }]", "has 0 triggers"}, Wrong{"after = 1", "does nothing"},
        Wrong{"after = 1\nlasting = 2\nthen = [{ kind = \"end\" }]", "only a condition can last"},
        Wrong{"after = 1\nthen = [{ kind = \"explode\" }]", "unknown kind 'explode'"},
        Wrong{"after = 1\nthen = [{ kind = \"remove\" }]", "nobody is meant"},
        Wrong{"after = 1\nthen = [{ kind = \"remove\", of = \"gat\" }]", "did you mean 'gate'"},
        Wrong{"after = 1\nthen = [{ kind = \"remove\", of = \"fence\" }]", "does not open"},
        Wrong{"after = 1\nthen = [{ kind = \"throw\", of = \"gate\" }]", "is not free to move"},
        Wrong{"after = 1\nthen = [{ kind = \"set_hostile\", of = \"bell\" }]", "is no wanderer"},
        Wrong{"after = 1\nthen = [{ kind = \"give_tag\", of = \"crate\", tag = \"bell\" }]",
              "cannot bear the tag 'bell'"},
        Wrong{"after = 1\nthen = [{ kind = \"give_tag\", of = \"crate\", tag = \"bel\" }]",
              "did you mean 'bell'"},
        Wrong{"after = 1\nthen = [{ kind = \"throw\", of = \"crate\", along = 3, towards = "
              "\"bell\" }]",
              "two directions"},
        Wrong{"after = 1\nthen = [{ kind = \"change\", of = \"porter\", meter = \"breadth\", by = "
              "1 }]",
              "did you mean 'breath'"},
        Wrong{"after = 1\nthen = [{ kind = \"change\", of = \"porter\", meter = \"breath\" }]",
              "exactly one of `by`"},
        Wrong{"after = 1\nthen = [{ kind = \"turn_cells\", from = \"mud\" }]",
              "no kind of cell 'mud'"},
        Wrong{"when = { inside = \"mat\", paired = true }\nthen = [{ kind = \"end\" }]",
              "nothing is paired"},
        Wrong{"when = { }\nthen = [{ kind = \"end\" }]", "the condition is empty"},
        Wrong{"when = { meter = \"breath\" }\nthen = [{ kind = \"end\" }]", "belong together"},
        Wrong{"when = { above = 2 }\nthen = [{ kind = \"end\" }]", "has no height"},
        Wrong{"on = { event = \"custom\", named = \"rung\" }\nthen = [{ kind = \"end\" }]",
              "no rule tells an event 'rung'"},
        Wrong{"on = { event = \"touch\", named = \"rung\" }\nthen = [{ kind = \"end\" }]",
              "only an event that a rule tells"},
        Wrong{"on = { event = \"touch\", from = \"above\" }\nthen = [{ kind = \"end\" }]",
              "without height"}));

TEST(Rules, TellByTheLevelOfAMeter) {
  Yard y(R"(
    [[rules]]
    name = "weigh"
    on = { event = "collect", with = ["key"] }
    then = [{ kind = "emit", event = "weight", meter = "breath" }]
  )");
  y.put("porter", -5, 0);
  y.step();
  ASSERT_EQ(y.told("weight"), 1);
  for (const Event& event : y.lanes().events(0)) {
    if (name_of(y.lanes().game(), event) != "weight") continue;
    EXPECT_EQ(event.strength, 5);
  }
}

// The yard's steps last 0.2 seconds.
TEST(Rules, PutPhasesInForceByTheClock) {
  GameSpec game = yard("");
  game.arena.phases = {{.name = "flood", .set = {{"bodies.crate.mass", 5}}}};
  game.rules = {
      {.name = "flood", .after = 0.4, .every = 1.0, .then = {EnterPhase{.phase = "flood"}}},
      {.name = "ebb", .after = 0.8, .every = 1.0, .then = {EnterPhase{}}}};
  game.roles[0].senses.push_back(OwnState{.name = "self", .phase = true});
  Yard at(game);
  const auto& columns = at.lanes().game().roles()[0].columns;
  const auto column = static_cast<std::size_t>(
      std::find_if(columns.begin(), columns.end(),
                   [](const Column& c) { return c.name == "self.phase.flood"; }) -
      columns.begin());
  ASSERT_LT(column, columns.size());
  std::string course;
  for (int step = 0; step < 12; ++step) {
    at.step();
    const bool flood = at.arena().phase(at.lanes().arena_state(0)) == 1;
    EXPECT_EQ(at.lanes().observation(0, 0)[column], flood ? 1.0f : 0.0f);
    course += flood ? 'F' : '.';
  }
  EXPECT_EQ(course, ".FF...FF...F") << "from 0.4 to 0.8 seconds, and again each second";
  game.rules[0].then = {EnterPhase{.phase = "flod"}};
  EXPECT_NE(std::string(test::error_of([&] { const Game compiled(game); }).what())
                .find("did you mean 'flood'"),
            std::string::npos);
}

TEST(Rules, CutTails) {
  GameSpec game = yard("");
  game.rules = {
      {.name = "cut",
       .on =
           EventTrigger{
               .event = EventKind::touch, .of = "crate", .as = Part::who, .with = {"rope"}},
       .then = {Remove{.as = Part::whom}}}};
  BodySpec rope{.name = "rope", .count = 8, .motion = Motion::carried, .shape = Disc{0.2}};
  rope.tail = Tail{.follows = "porter", .length = "breath", .spacing = 0.5};
  game.arena.bodies.push_back(rope);
  Yard at(game);
  at.put("porter", -15, 0);
  for (int i = 0; i < 3; ++i) {
    at.arena().inputs(at.lanes().arena_state(0), at.one("porter"))[0] = 1;
    at.lanes().control(0, 0)[0] = 1;
    at.step();
  }
  const auto pieces = at.arena().bodies_named("rope");
  const auto there = [&] {
    return std::count_if(pieces.begin(), pieces.end(),
                         [&](EntityId piece) { return at.view().present(piece); });
  };
  ASSERT_EQ(there(), 5);
  at.lanes().control(0, 0)[0] = 0;
  at.step(3);
  const Pose third = at.view().pose(pieces[2]);
  at.put("crate", third.x, third.y + 0.6f);
  at.arena().set_velocity(at.lanes().arena_state(0), at.one("crate"), {0, -2, 0, 0});
  at.step();
  EXPECT_EQ(there(), 2);
  EXPECT_EQ(at.breath(), 2);
}

}  // namespace
}  // namespace zithercraft
