// Reward terms beside events: exact shaping, caps, scopes, meters, misses, places, and the ledger
// that adds up.

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {

GameSpec field(const std::string& terms, const std::string& roles = "") {
  return parse_game(R"(
    name = "field"
    ticks_per_step = 2
    cutoffs = { steps = 1000 }
    [arena]
    tick = 0.1
    walls = [{ name = "hedge", points = [[-20, -20], [20, -20], [20, 20], [-20, 20]], closed = true }]
    zones = [{ name = "nest", side = "red", kept_free = false, place = { region = [5, 0, 5, 0] } },
             { name = "pond", kept_free = false, place = { region = [-5, 0, -5, 0] } }]
    [[arena.bodies]]
    name = "hen"
    count = 2
    side = "red"
    motion = "free"
    shape = { kind = "disc", radius = 0.3 }
    mover = { kind = "walker", speed = 5, acceleration = 100 }
    meters = [{ name = "grain", low = -100, high = 100, start = 0 }]
    launchers = [{ name = "egg", speed = 10, life = 1, targets = ["post"], reload = 0.5 }]
    place = { region = [-1, -1, 1, 1] }
    [[arena.bodies]]
    name = "fox"
    side = "grey"
    motion = "free"
    shape = { kind = "disc", radius = 0.3 }
    mover = { kind = "walker", speed = 5, acceleration = 100 }
    place = { region = [-8, -8, -7, -7] }
    [[arena.bodies]]
    name = "post"
    place = { region = [10, 10, 10, 10] }
    [[roles]]
    name = "hen"
    senses = [{ kind = "own_motion" }]
    controls = [{ kind = "dial", name = "ahead" }, { kind = "dial", name = "left" }, { kind = "dial", name = "fire", drives = "egg.fire" }]
    rewards = [)" + terms +
                    "]\n" + roles);
}

class Field {
 public:
  explicit Field(const GameSpec& spec) : lanes_(Game(spec), 1) { lanes_.begin(0, {2, 0, 0}); }
  explicit Field(const std::string& terms) : Field(field(terms)) {}

  void put(std::size_t hen, float x, float y) {
    lanes_.game().arena().put(state(), EntityId(hen), x, y, 0);
  }
  float pay(std::size_t hen = 0, std::size_t term = 0) {
    lanes_.step(0);
    return lanes_.rewards_by_term(0, hen)[term];
  }
  std::byte* state() { return lanes_.arena_state(0); }
  Lanes& lanes() { return lanes_; }

 private:
  Lanes lanes_;
};

TEST(Terms, GoingBackAndForthPaysExactlyNothing) {
  for (const char* weight : {"1.0", "0.37", "-2.9", "0.0001"}) {
    Field f(R"({ name = "to_nest", weight = )" + std::string(weight) +
            R"(, progress = { to = "nest" } })");
    float most = 0;
    RandomStream random(7, 0, 0, Purpose::user);
    const Pose home = f.lanes().game().arena().pose(f.state(), 0);
    for (int round = 0; round < 40; ++round) {
      for (int step = 0; step < 5; ++step) {
        f.put(0, static_cast<float>(random.between(-15, 15)),
              static_cast<float>(random.between(-15, 15)));
        most = std::max(most, std::fabs(f.pay()));
      }
      f.put(0, home.x, home.y);
      f.pay();
      EXPECT_EQ(f.lanes().ledger(0, 0)[0], 0.0) << "weight " << weight << ", round " << round;
    }
    EXPECT_GT(most, 0.0f);
    f.put(0, 5, 0);
    f.pay();
    EXPECT_NEAR(f.lanes().ledger(0, 0)[0], std::stod(weight), 2e-6 * std::fabs(std::stod(weight)));
  }
}

TEST(Terms, AreCapped) {
  Field f(
      R"({ name = "alive", weight = 3, each_step = "always", most_per_step = 2, most_per_episode = 5 },
             { name = "cost", weight = -1, each_step = "always", most_per_episode = 2.5 })");
  const float alive[] = {2, 2, 1, 0, 0}, cost[] = {-1, -1, -0.5, 0, 0};
  for (int d = 0; d < 5; ++d) {
    EXPECT_EQ(f.pay(), alive[d]);
    EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[1], cost[d]);
  }
  EXPECT_EQ(f.lanes().episode_return(0, 0), 2.5);
}

TEST(Terms, PayBySecond) {
  Field f(R"({ name = "time", weight = -1, each_second = "always" })");
  EXPECT_NEAR(f.pay(), -0.2, 1e-7) << "two ticks of a tenth of a second";
}

TEST(Terms, AreSharedBySideOrByEveryone) {
  const std::string fox = R"(
    [[roles]]
    name = "fox"
    senses = [{ kind = "own_motion" }]
    controls = [{ kind = "dial", name = "ahead" }]
    rewards = [{ name = "all", weight = 2, when = { inside = "pond" }, scope = "everyone" },
               { name = "team", when = { inside = "pond" }, scope = "side" }]
  )";
  Field f(field(R"({ name = "own", when = { inside = "pond" } },
                   { name = "team", when = { inside = "pond" }, scope = "side" },
                   { name = "all", when = { inside = "pond" }, scope = "everyone" })",
                fox));
  f.put(0, -5, 0);
  f.put(2, -5, 0.2f);  // the fox
  f.lanes().step(0);
  EXPECT_EQ(std::vector<float>(f.lanes().rewards_by_term(0, 0).begin(),
                               f.lanes().rewards_by_term(0, 0).end()),
            (std::vector<float>{1, 1, 2}));
  EXPECT_EQ(std::vector<float>(f.lanes().rewards_by_term(0, 1).begin(),
                               f.lanes().rewards_by_term(0, 1).end()),
            (std::vector<float>{0, 1, 2}));
  EXPECT_EQ(std::vector<float>(f.lanes().rewards_by_term(1, 0).begin(),
                               f.lanes().rewards_by_term(1, 0).end()),
            (std::vector<float>{4, 1}))
      << "weights are each role's own";
}

TEST(Terms, BlendTheOwnWithTheShared) {
  Field f(R"({ name = "quarter", when = { inside = "pond" }, scope = "side", blend = 0.25 },
             { name = "none", when = { inside = "pond" }, scope = "side", blend = 0 })");
  f.put(0, -5, 0);
  f.lanes().step(0);
  EXPECT_EQ(std::vector<float>(f.lanes().rewards_by_term(0, 0).begin(),
                               f.lanes().rewards_by_term(0, 0).end()),
            (std::vector<float>{1, 1}));
  EXPECT_EQ(std::vector<float>(f.lanes().rewards_by_term(0, 1).begin(),
                               f.lanes().rewards_by_term(0, 1).end()),
            (std::vector<float>{0.25, 0}));
  const Error error =
      test::error_of([] { Field(R"({ name = "own", when = { inside = "pond" }, blend = 0.5 })"); });
  EXPECT_NE(error.problem().find("nothing to blend"), std::string::npos) << error.what();
}

TEST(Terms, FirstTimesOnly) {
  Field f(R"({ name = "every", on = { event = "enter", as = "who" } },
             { name = "first", on = { event = "enter", as = "who", counts = "first" } },
             { name = "each", on = { event = "enter", as = "who", counts = "first_of_each" } },
             { name = "third", on = { event = "enter", as = "who", nth = 3 } },
             { name = "second_other", on = { event = "enter", as = "who", counts = "first_of_each", nth = 2 } },
             { name = "fifth", on = { event = "enter", as = "who", nth = 5 } })");
  const auto visit = [&](float x) {
    f.put(0, x, 0);
    f.lanes().step(0);
  };
  for (int round = 0; round < 2; ++round)
    for (const float x : {5.0f, 0.0f, -5.0f, 0.0f}) visit(x);
  EXPECT_EQ(f.lanes().ledger(0, 0)[0], 4);
  EXPECT_EQ(f.lanes().ledger(0, 0)[1], 1);
  EXPECT_EQ(f.lanes().ledger(0, 0)[2], 2);
  EXPECT_EQ(f.lanes().ledger(0, 0)[3], 1);
  EXPECT_EQ(f.lanes().ledger(0, 0)[4], 1);
  EXPECT_EQ(f.lanes().ledger(0, 0)[5], 0);
}

TEST(Terms, PayTheChangeOfAMeter) {
  Field f(R"({ name = "own", weight = 0.5, change = { meter = "grain" } },
             { name = "all", change = { of = "hen", meter = "grain" } })");
  const Arena& arena = f.lanes().game().arena();
  arena.set_meter(f.state(), 0, "grain", 4);
  arena.set_meter(f.state(), 1, "grain", 1);
  EXPECT_EQ(f.pay(0, 0), 2);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[1], 5);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 1)[0], 0.5);
  arena.set_meter(f.state(), 0, "grain", -6);
  EXPECT_EQ(f.pay(0, 0), -5);
  EXPECT_EQ(f.pay(0, 0), 0);
}

TEST(Terms, PayForNearMissesInSumOrTheBest) {
  Field f(R"({ name = "sum", near_miss = { to = "post", within = 4 } },
             { name = "best", near_miss = { to = "post", within = 4, over = "best" } })");
  double sum = 0, best = 0;
  int shots = 0;
  // From the west of the post: the miss is how far to the side the hen stands.
  for (const float side : {3.0f, 1.0f, 2.0f, 0.9f, 30.0f}) {
    f.put(0, 4, 10 - side > -15 ? 10 - side : -15);
    f.lanes().control(0, 0)[2] = 1;
    for (int d = 0; d < 8; ++d) {
      f.lanes().step(0);
      f.lanes().control(0, 0)[2] = 0;
      for (const Event& e : f.lanes().events(0)) {
        if (e.kind != EventKind::pass) continue;
        const double close = std::max(0.0, 1 - static_cast<double>(e.strength) / 4);
        sum += close;
        best = std::max(best, close);
        ++shots;
      }
    }
    EXPECT_NEAR(f.lanes().ledger(0, 0)[0], sum, 1e-5);
    EXPECT_NEAR(f.lanes().ledger(0, 0)[1], best, 1e-5);
  }
  EXPECT_EQ(shots, 5);
  EXPECT_GT(sum, best);
  EXPECT_GT(best, 0.7);
}

TEST(Terms, PayForNewPlaces) {
  Field f(R"({ name = "new", visits = { square = 2 } })");
  f.put(0, 0.5f, 0.5f);
  f.pay();
  const double before = f.lanes().ledger(0, 0)[0];
  for (const float x : {3.0f, 1.0f, 3.5f, 2.1f, -0.5f, 1.9f}) {
    f.put(0, x, 0.5f);
    f.pay();
  }
  EXPECT_EQ(f.lanes().ledger(0, 0)[0] - before, 2) << "from 2 to 4 and from -2 to 0";
}

TEST(Terms, PayWhileNearOrTouching) {
  Field f(R"({ name = "near", when = { near = "post", within = 3 } },
             { name = "touch", when = { touching = ["post"] } },
             { name = "fast", when = { faster_than = 2 } })");
  f.put(0, 5, 10);
  f.lanes().step(0);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[0], 0);
  f.put(0, 7.5f, 10);
  f.lanes().control(0, 0)[0] = 1;
  f.lanes().step(0);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[0], 1);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[2], 1);
  for (int d = 0; d < 6; ++d) f.lanes().step(0);
  EXPECT_EQ(f.lanes().rewards_by_term(0, 0)[1], 1) << "it walked against the post";
  EXPECT_EQ(f.lanes().rewards_by_term(0, 1)[1], 0);
}

// The rewards of all steps add up to the ledger, and the ledger to the return, to the last bit.
TEST(Terms, TheLedgerIsExact) {
  Lanes lanes(Game(field(R"(
      { name = "progress", weight = 0.3, progress = { to = "nest" }, scope = "side" },
      { name = "new", weight = 0.013, visits = { square = 1 }, most_per_episode = 0.2 },
      { name = "near", weight = -0.07, when = { near = "fox", within = 8 }, scope = "everyone" },
      { name = "egg", weight = -0.011, on = { event = "launch" }, most_per_step = 0.01 },
      { name = "time", weight = -0.003, each_second = "always" })")),
              4);
  const auto player = random_player(1);
  for (std::size_t lane = 0; lane < 4; ++lane)
    lanes.begin(lane, {1, static_cast<std::uint32_t>(lane), 0});
  std::vector<std::vector<double>> sums(8, std::vector<double>(5));
  for (int d = 0; d < 500; ++d) {
    player->decide(lanes, 0, 0, 4);
    for (std::size_t lane = 0; lane < 4; ++lane) lanes.step(lane);
    for (std::size_t row = 0; row < 8; ++row) {
      double reward = 0;
      for (std::size_t t = 0; t < 5; ++t) {
        sums[row][t] += static_cast<double>(lanes.rewards_by_term(0, row)[t]);
        reward += static_cast<double>(lanes.rewards_by_term(0, row)[t]);
        ASSERT_EQ(sums[row][t], lanes.ledger(0, row)[t]);
      }
      ASSERT_EQ(lanes.rewards(0)[row], static_cast<float>(reward));
      ASSERT_EQ(std::accumulate(sums[row].begin(), sums[row].end(), 0.0),
                lanes.episode_return(0, row));
    }
  }
  for (std::size_t t = 0; t < 5; ++t) EXPECT_NE(sums[0][t], 0) << t;
}

TEST(Terms, RefuseWhatMakesNoSense) {
  const std::pair<const char*, const char*> cases[] = {
      {R"({ name = "a", change = { meter = "grai" } })", "has no meter 'grai'"},
      {R"({ name = "a", near_miss = { to = "fox" } })",
       "no launcher of the body reports the closest approach of its shots to 'fox'"},
      {R"({ name = "a", when = {} })", "the condition is empty"},
      {R"({ name = "a", when = { near = "post", within = 0 } })", "0 is too small"},
      {R"({ name = "a", each_step = "always", each_second = "always" })", "has 2 triggers"},
      {R"({ name = "a", visits = {}, ends = "success" })",
       "can end an episode"},
      {R"({ name = "a", on = { event = "enter", counts = "once" } })", "unknown value 'once'"}};
  for (const auto& [term, problem] : cases) {
    const Error error = test::error_of([&, text = term] { field(text); });
    EXPECT_NE(error.problem().find(problem), std::string::npos) << term << ": " << error.what();
  }
}

}  // namespace
}  // namespace zithercraft
