// What becomes of controls on their way to the body: dead zones, rates, letting go, the arena's
// directions, options that are forbidden.

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
namespace {

std::string yard(const std::string& controls,
                 const std::string& mover =
                     R"({ kind = "walker", speed = 2, acceleration = 100, turn_rate = 90 })") {
  return R"(
    name = "yard"
    ticks_per_step = 4
    [arena]
    tick = 0.05
    walls = [{ name = "fence", points = [[-50, -50], [50, -50], [50, 50], [-50, 50]], closed = true }]
    [[arena.bodies]]
    name = "dog"
    motion = "free"
    mover = )" +
         mover + R"(
    meters = [{ name = "breath", high = 1, start = 1 }]
    launchers = [{ name = "ball", reload = 1.0, life = 0.5 }]
    [[roles]]
    name = "dog"
    senses = [{ kind = "own_motion" }]
    controls = [)" +
         controls + "]\n";
}

class Dog {
 public:
  explicit Dog(const std::string& controls) : lanes_(Game(parse_game(yard(controls))), 1) {
    lanes_.begin(0, {});
  }

  /// One step; returns the input of that name after each of its ticks.
  std::vector<float> decide(const std::vector<float>& controls, const std::string& input) {
    for (std::size_t c = 0; c < controls.size(); ++c) lanes_.control(0, 0)[c] = controls[c];
    const auto names = lanes_.game().arena().inputs_of(0);
    const auto number =
        static_cast<std::size_t>(std::find(names.begin(), names.end(), input) - names.begin());
    std::vector<float> seen;
    const std::vector<std::byte> before(lanes_.state(0).begin(), lanes_.state(0).end());
    lanes_.play_ticks(
        0, [&] { seen.push_back(lanes_.game().arena().inputs(lanes_.arena_state(0), 0)[number]); });
    lanes_.restore(0, before);
    lanes_.step(0);
    return seen;
  }
  Pose pose() const { return lanes_.view(0).pose(0); }
  Velocity velocity() const { return lanes_.view(0).velocity(0); }
  Lanes& lanes() { return lanes_; }

 private:
  Lanes lanes_;
};

using Ticks = std::vector<float>;

TEST(Dial, HasADeadZone) {
  Dog dog(R"({ kind = "dial", name = "ahead", low = -0.5, high = 1, dead_zone = 0.2 })");
  EXPECT_EQ(dog.decide({0.15f}, "ahead")[0], 0);
  EXPECT_EQ(dog.decide({-0.2f}, "ahead")[0], 0);
  EXPECT_NEAR(dog.decide({0.6f}, "ahead")[0], 0.5, 1e-6);
  EXPECT_NEAR(dog.decide({1.0f}, "ahead")[0], 1.0, 1e-6);
  EXPECT_NEAR(dog.decide({-0.5f}, "ahead")[0], -0.5, 1e-6);
  EXPECT_NEAR(dog.decide({-0.35f}, "ahead")[0], -0.25, 1e-6);
}

TEST(Dial, MovesItsInputAtItsRate) {
  Dog dog(R"({ kind = "dial", name = "ahead", rate = 4 })");
  const auto rising = dog.decide({0.7f}, "ahead");
  ASSERT_EQ(rising.size(), 4u);
  const float expected[] = {0.2f, 0.4f, 0.6f, 0.7f};
  for (std::size_t i = 0; i < 4; ++i) EXPECT_NEAR(rising[i], expected[i], 1e-6);
  EXPECT_NEAR(dog.decide({-1.0f}, "ahead")[3], -0.1, 1e-6);
}

TEST(Controls, LetGoAfterATickIfTheyDoNotHold) {
  Dog dog(R"({ kind = "dial", name = "ahead", holds = false },
             { kind = "choice", name = "turn", options = [{ name = "no" }, { name = "left", value = 1 }], holds = false })");
  EXPECT_EQ(dog.decide({0.5f, 1}, "ahead"), (Ticks{0.5f, 0, 0, 0}));
  EXPECT_EQ(dog.decide({0.5f, 1}, "turn"), (Ticks{1, 0, 0, 0}));
}

TEST(Controls, GoTheArenasWayAtEveryHeading) {
  for (const double heading : {0.0, 100.0, -170.0}) {
    Dog dog(
        R"({ kind = "choice", name = "go", options = [{ name = "inside" }, { name = "north", sets = { north = 1 } },
               { name = "south_west", sets = { north = -0.7, east = -0.7 } } ] }, { kind = "dial", name = "turn" })");
    dog.lanes().game().arena().put(dog.lanes().arena_state(0), 0, 0, 0, heading * 3.14159265 / 180);
    for (int d = 0; d < 5; ++d) dog.decide({1, 1}, "ahead");
    EXPECT_NEAR(dog.pose().x, 0, 0.02) << heading;
    EXPECT_GT(dog.pose().y, 1.5) << heading;
    EXPECT_NE(dog.pose().heading, static_cast<float>(heading * 3.14159265 / 180))
        << "it turned all the way";
    for (int d = 0; d < 3; ++d) dog.decide({2, 1}, "ahead");
    EXPECT_NEAR(dog.velocity().x, -1.4, 0.05);
    EXPECT_NEAR(dog.velocity().y, -1.4, 0.05);
  }
}

constexpr const char* gun = R"({ kind = "choice", name = "gun", drives = "ball.fire", options = [
  { name = "wait" }, { name = "fire", value = 1, allowed_when = { reloaded = "ball" } } ] },
  { kind = "choice", name = "pace", drives = "ahead", options = [
  { name = "walk", value = 0.3 }, { name = "run", value = 1, allowed_when = { meter = "breath", above = 0.5 } } ] })";

TEST(AllowedWhen, ForbidOptionsAndTellTheAgent) {
  Dog dog(gun);
  const auto& columns = dog.lanes().game().roles()[0].columns;
  ASSERT_EQ(columns.size(), 5u);
  EXPECT_EQ(columns[3].name, "may.gun.fire");
  EXPECT_EQ(columns[4].name, "may.pace.run");
  EXPECT_EQ(columns[3].unit, mask_unit);
  EXPECT_EQ(dog.lanes().observation(0, 0)[3], 1);
  EXPECT_TRUE(dog.lanes().allowed(0, 0, 0, 1));
  dog.decide({1, 1}, "ahead");
  int launched = 0, forbidden = 0;
  for (const Event& e : dog.lanes().events(0)) launched += e.kind == EventKind::launch;
  EXPECT_EQ(launched, 1);
  for (int d = 0; d < 10; ++d) {
    const bool may = dog.lanes().observation(0, 0)[3] == 1;
    forbidden += !may;
    EXPECT_EQ(dog.lanes().allowed(0, 0, 0, 1), may);
    EXPECT_EQ(dog.decide({1, 0}, "ball.fire")[0], may ? 1 : 0)
        << "what is forbidden counts as the first option";
  }
  EXPECT_EQ(forbidden, 9) << "ready again a tick into the sixth step after each shot";
  dog.lanes().game().arena().set_meter(dog.lanes().arena_state(0), 0, "breath", 0.4f);
  dog.decide({0, 0}, "ahead");
  EXPECT_EQ(dog.lanes().observation(0, 0)[4], 0);
  EXPECT_NEAR(dog.decide({0, 1}, "ahead")[0], 0.3, 1e-6);
}

TEST(AllowedWhen, KeepPlayersToWhatIsAllowed) {
  const Game game(parse_game(yard(gun)));
  Lanes lanes(game, 8);
  const auto player = random_player(3);
  for (std::size_t lane = 0; lane < 8; ++lane)
    lanes.begin(lane, {3, static_cast<std::uint32_t>(lane), 0});
  int fired = 0, waited = 0;
  for (int d = 0; d < 60; ++d) {
    player->decide(lanes, 0, 0, 8);
    for (std::size_t lane = 0; lane < 8; ++lane) {
      const auto option = static_cast<std::size_t>(lanes.control(0, lane)[0]);
      ASSERT_TRUE(lanes.allowed(0, lane, 0, option));
      (option == 1 ? fired : waited) += 1;
      lanes.step(lane);
    }
  }
  EXPECT_GT(fired, 40);
  EXPECT_GT(waited, 200);
}

TEST(Controls, RefuseWhatMakesNoSense) {
  const std::pair<const char*, const char*> cases[] = {
      {R"({ kind = "dial", name = "ahead", rate = 2, holds = false })",
       "an input that is let go after a tick cannot move slowly"},
      {R"({ kind = "dial", name = "north", rate = 2 })",
       "moves in the arena's directions have no rate"},
      {R"({ kind = "dial", name = "ahead", rate = 2 }, { kind = "dial", name = "north" })",
       "moved slowly in its own directions"},
      {R"({ kind = "dial", name = "up" })", "the body has no input 'up'"},
      {R"({ kind = "choice", name = "ahead", options = [{ name = "a", allowed_when = { meter = "breath", above = 0 } }, { name = "b" }] })",
       "the first option of a choice cannot be forbidden"},
      {R"({ kind = "choice", name = "ahead", options = [{ name = "a" }, { name = "b", allowed_when = {} }] })",
       "there is no condition"},
      {R"({ kind = "choice", name = "ahead", options = [{ name = "a" }, { name = "b", allowed_when = { meter = "breath" } }] })",
       "a need of a meter has a meter and `above` or `below`"},
      {R"({ kind = "choice", name = "ahead", options = [{ name = "a" }, { name = "b", allowed_when = { reloaded = "bal" } }] })",
       "has no launcher 'bal'"},
      {R"({ kind = "choice", name = "ahead", options = [{ name = "a" }, { name = "b", allowed_when = { stands = true } }] })",
       "this needs an arena with height"}};
  for (const auto& [controls, problem] : cases) {
    const Error error = test::error_of([&, text = controls] { parse_game(yard(text)); });
    EXPECT_NE(error.problem().find(problem), std::string::npos) << controls << ": " << error.what();
  }
}

}  // namespace
}  // namespace zithercraft
