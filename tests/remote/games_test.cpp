// Games in other processes, over real connections: what they play, and what becomes of those that
// misbehave. The games run in threads of this program.

#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <mutex>

#include "remote_games.hpp"
#include "support.hpp"
#include "tests/learn/learning.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/remote/remote_game.hpp"

namespace zithercraft {
namespace {

namespace kit = zithercraft_client;
using test::FarGame;
using test::float_spec;
using test::Mischief;
using test::own_float;

// A host, games that join it, and what was told meanwhile. The host ends before the games.
struct Table {
  explicit Table(RemoteOptions options = {}, const std::optional<GameSpec>& declared = {}) {
    options.on_note = [this](const std::string& note) {
      const std::lock_guard lock(mutex);
      notes.push_back(note);
    };
    options.join_seconds = 20.0;
    host = std::make_shared<RemoteHost>(options, declared);
  }
  ~Table() {
    spec = {};
    host.reset();
  }
  FarGame& join(std::size_t copies, Mischief mischief = {}) {
    return *games.emplace_back(std::make_unique<FarGame>(host->address(), copies, mischief));
  }
  const GameSpec& play() { return spec = remote_game(host); }
  bool noted(const std::string& text) {
    const std::lock_guard lock(mutex);
    return std::any_of(notes.begin(), notes.end(), [&](const std::string& note) {
      return note.find(text) != std::string::npos;
    });
  }

  std::mutex mutex;
  std::vector<std::string> notes;
  std::vector<std::unique_ptr<FarGame>> games;
  std::shared_ptr<RemoteHost> host;
  GameSpec spec;
};

// What a lane senses and is paid through some episodes of random play.
std::vector<float> trace(const GameSpec& spec, std::size_t lanes, std::uint32_t episodes) {
  const Game game(spec);
  const auto environment = make_environment(game, lanes);
  const auto player = random_player(5);
  std::vector<float> seen;
  const auto look = [&](std::size_t lane) {
    for (std::size_t seat = 0; seat < 2; ++seat) {
      const std::size_t row = 2 * lane + seat;
      const auto sensed = environment->observation(0, row);
      seen.insert(seen.end(), sensed.begin(), sensed.end());
      const auto paid = environment->rewards_by_term(0, row);
      if (environment->steps(lane) > 0) seen.insert(seen.end(), paid.begin(), paid.end());
      seen.push_back(environment->present(0, row) ? 1.0f : 0.0f);
    }
    seen.push_back(static_cast<float>(environment->events(lane).size()));
  };
  for (std::uint32_t episode = 0; episode < episodes; ++episode)
    for (std::size_t lane = 0; lane < lanes; ++lane) {
      environment->begin(lane, {7, static_cast<std::uint32_t>(lane), episode});
      look(lane);
      while (environment->outcome(lane) == Outcome::running) {
        player->decide(*environment, 0, lane, 1);
        environment->step(lane);
        look(lane);
      }
      seen.push_back(static_cast<float>(environment->outcome(lane)));
    }
  return seen;
}

TEST(Remote, GamesPlayTheSameBitsAsInThisProgram) {
  Table table;
  table.join(3);
  GameSpec far = table.play();
  GameSpec near = own_float();
  for (const double leaves : {0.0, 15.0}) {
    far.custom->settings["leaves_at"] = near.custom->settings["leaves_at"] = leaves;
    EXPECT_EQ(trace(far, 3, 4), trace(near, 3, 4)) << leaves;
  }
}

PolicyGradientSettings small(std::size_t lanes) {
  return {.policy_layers = {16},
          .memory = 4,
          .lanes = static_cast<std::int64_t>(lanes),
          .horizon = 32,
          .epochs = 2,
          .minibatch = 256};
}

void train(Ppo& learner, std::int64_t until) {
  while (learner.steps() < until) learner.collect(), learner.improve();
}

TEST(RemoteLearning, HasTheSameBitsAsInThisProgramWhateverTheProcessesAndThreads) {
  constexpr std::int64_t steps = 6000;
  std::string near;
  {
    const Game game(own_float());
    WorkerPool pool(1);
    Ppo learner(game, small(8), 3, steps, pool);
    train(learner, steps);
    near = test::bytes_of(learner);
  }
  for (const std::size_t processes : {1u, 4u})
    for (const std::size_t threads : {1u, 3u}) {
      Table table({.instances = processes});
      for (std::size_t p = 0; p < processes; ++p) table.join(8 / processes);
      const Game game(table.play());
      WorkerPool pool(threads);
      Ppo learner(game, small(8), 3, steps, pool);
      train(learner, steps);
      EXPECT_TRUE(test::bytes_of(learner) == near) << processes << " " << threads;
    }
}

TEST(RemoteLearning, GoesOnFromACheckpointAsIfItHadNeverStopped) {
  constexpr std::int64_t steps = 6000;
  Table table;
  table.join(8);
  const Game game(table.play());
  WorkerPool pool(2);
  std::string whole;
  TensorFile paused;
  {
    Ppo learner(game, small(8), 3, steps, pool);
    train(learner, steps / 2);
    learner.store(paused);
    train(learner, steps);
    whole = test::bytes_of(learner);
  }
  Ppo second(game, small(8), 3, steps, pool);
  second.restore(paused);
  train(second, steps);
  EXPECT_TRUE(test::bytes_of(second) == whole);
}

TEST(RemoteLearning, DoesWithoutGamesThatLeaveHangOrSayWhatTheyMustNot) {
  const struct {
    Mischief mischief;
    const char* noted;
  } cases[] = {{{.leaves_after = 400}, "it left"},
               {{.sleeps_after = 400}, "did not answer in time"},
               {{.nothing_finite_after = 400}, "roles[0].observations: a number is not finite"}};
  for (const auto& c : cases) {
    Table table({.instances = 2, .answer_seconds = 0.5});
    table.join(4, c.mischief);
    table.join(4);
    const Game game(table.play());
    WorkerPool pool(2);
    Ppo learner(game, small(8), 3, 8000, pool);
    const auto plain = [&] {
      const CollectReport report = learner.collect();
      learner.improve();
      return report.steps;
    };
    EXPECT_EQ(plain(), 8 * 32 * 2);
    std::int64_t least = 8 * 32 * 2;
    while (learner.steps() < 8000) least = std::min(least, plain());
    EXPECT_TRUE(table.noted(c.noted)) << c.noted;
    EXPECT_EQ(least, 4 * 32 * 2) << "lanes without a game count no steps";
    EXPECT_EQ(table.host->report().dropped, 1u);
    ASSERT_EQ(table.host->report().games.size(), 1u);
    // Those who come later get the lanes.
    table.join(4);
    while (table.host->report().games.size() < 2)
      std::this_thread::sleep_for(std::chrono::milliseconds(5));
    plain();
    EXPECT_EQ(plain(), 8 * 32 * 2);
  }
}

TEST(Remote, LanesThatLoseTheirGameShowNobodyAndPayNothing) {
  Table table({.instances = 2, .answer_seconds = 5.0});
  table.join(4, {.leaves_after = 700});
  table.join(4);
  const Game game(table.play());
  const auto environment = make_environment(game, 8);
  const auto player = random_player(2);
  std::vector<std::size_t> lanes{0, 1, 2, 3, 4, 5, 6, 7};
  for (const std::size_t lane : lanes)
    environment->begin(lane, {1, static_cast<std::uint32_t>(lane), 0});
  std::size_t lost = 0, idle = 0;
  for (int step = 0; step < 400; ++step) {
    std::vector<std::size_t> running;
    for (const std::size_t lane : lanes) {
      if (environment->outcome(lane) != Outcome::running) {
        EpisodeKey next = environment->key(lane);
        ++next.episode;
        environment->begin(lane, next);
      }
      running.push_back(lane);
    }
    player->decide(*environment, 0, 0, 8);
    environment->step_lanes(running);
    for (const std::size_t lane : lanes) {
      lost += environment->lost(lane) ? 1u : 0u;
      idle += environment->idle(lane) ? 1u : 0u;
      if (!environment->idle(lane)) continue;
      EXPECT_EQ(environment->outcome(lane), Outcome::running);
      EXPECT_EQ(environment->steps(lane), 0u);
      for (std::size_t seat = 0; seat < 2; ++seat) {
        EXPECT_FALSE(environment->present(0, 2 * lane + seat));
        EXPECT_EQ(environment->rewards(0)[2 * lane + seat], 0.0f);
        EXPECT_EQ(environment->episode_return(0, 2 * lane + seat), 0.0);
      }
    }
  }
  EXPECT_EQ(lost, 4u);
  EXPECT_GT(idle, 0u);
}

TEST(RemoteLearning, LearnsWhoeverIsReady) {
  Table table({.instances = 4, .free = true});
  for (int i = 0; i < 4; ++i) table.join(4, {.slow = i == 3 ? 1 : 0});
  const Game game(table.play());
  WorkerPool pool(2);
  Ppo learner(game, {.policy_layers = {16}, .horizon = 32}, 1, 100'000, pool);
  const CollectReport first = learner.collect();
  learner.improve();
  EXPECT_LT(first.steps, 16 * 32 * 2) << "nobody waits for the slow one";
  EXPECT_GT(first.steps, 12 * 32);
  train(learner, 100'000);
  const auto player = policy_player(game, 0, learner.policy());
  const auto results = play_episodes(game, {player.get()}, 100, 11, pool);
  const auto good = std::count_if(results.begin(), results.end(), [](const EpisodeResult& e) {
    return e.outcome == Outcome::success;
  });
  EXPECT_GT(good, 150);  // of 200 seats
}

TEST(RemoteLearning, LanesWaitForGamesThatJoinLater) {
  Table table;
  table.join(4);
  const Game game(table.play());
  WorkerPool pool(2);
  Ppo learner(game, small(12), 3, 8000, pool);
  const auto played = [&] {
    const CollectReport report = learner.collect();
    learner.improve();
    return report.steps;
  };
  EXPECT_EQ(played(), 4 * 32 * 2);
  table.join(8);
  while (table.host->report().games.size() < 2)
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
  played();
  EXPECT_EQ(played(), 12 * 32 * 2);
}

TEST(Remote, MoreEpisodesThanCopiesTakeTurns) {
  Table table;
  table.join(2);
  const Game game(table.play());
  WorkerPool pool(2);
  const auto player = random_player(1);
  const auto far = play_episodes(game, {player.get()}, 20, 3, pool);
  const auto near = play_episodes(Game(own_float()), {player.get()}, 20, 3, pool);
  ASSERT_EQ(far.size(), near.size());
  for (std::size_t i = 0; i < far.size(); ++i) {
    EXPECT_EQ(far[i].episode_return, near[i].episode_return);
    EXPECT_EQ(far[i].length, near[i].length);
  }
}

TEST(Remote, TheGamesExpertDecidesWhereItIsAsked) {
  Table table;
  table.join(2);
  WorkerPool pool(1);
  for (const GameSpec& spec : {table.play(), own_float()}) {
    const Game game(spec);
    const auto expert = expert_player(game);
    const auto results = play_episodes(game, {expert.get()}, 20, 3, pool);
    for (const EpisodeResult& e : results) EXPECT_EQ(e.outcome, Outcome::success);
    const auto environment = make_environment(game, 1);
    environment->begin(0, {1, 0, 0});
    environment->let_expert_decide(0, 1);
    environment->control(0, 0)[0] = 0.25f;
    const float before = environment->observation(0, 1)[0];
    environment->step(0);
    EXPECT_EQ(environment->given_controls(0)[0], 0.25f);
    EXPECT_EQ(environment->given_controls(0)[2], std::clamp(-2.0f * before, -1.0f, 1.0f));
  }
}

TEST(Remote, DrawingsAreAskedForAndLastUntilTheNextEpisode) {
  GameSpec declared = float_spec();
  declared.custom->frame = {{-3, -1, 3, 1}};
  Table table({}, declared);
  table.join(1);
  const Game game(table.play());
  const auto environment = make_environment(game, 1);
  environment->begin(0, {1, 0, 0});
  const auto player = random_player(1);
  while (environment->outcome(0) == Outcome::running) {
    player->decide(*environment, 0, 0, 1);
    environment->step(0);
  }
  std::vector<Overlay> drawing;
  environment->draw(0, drawing);
  ASSERT_EQ(drawing.size(), 1u);
  EXPECT_EQ(drawing[0].name, "float");
  EXPECT_EQ(drawing[0].form, Overlay::Form::points);
  EXPECT_EQ(drawing[0].colour, (std::array<std::uint8_t, 3>{200, 60, 40}));
  EXPECT_EQ(drawing[0].numbers[0], environment->observation(0, 0)[0]);
}

// ---- Games that are not let in

std::string refused(Table& table, kit::Declaration declaration) {
  FarGame game(table.host->address(), std::move(declaration));
  return game.said();
}

TEST(RemoteRefusals, SayWhatTheTwoSidesDoNotAgreeOn) {
  using test::far_float;
  const auto with = [](const std::string& from, const std::string& to) {
    auto d = far_float(1);
    const auto at = d.json.find(from);
    EXPECT_NE(at, std::string::npos) << from;
    d.json.replace(at, from.size(), to);
    return d;
  };
  Table table({}, float_spec());
  const struct {
    kit::Declaration declaration;
    const char* why;
  } cases[] = {
      {with("\"seats\": 2", "\"seats\": 3"), "role 0 is hand (seats: 2) here"},
      {with("\"high\": 3.0", "\"high\": 4.0"),
       "float.place (-3 to 3) here and float.place (-3 to 4)"},
      {with("\"width\": 4", "\"width\": 8"), "screen (4 x 4) here and screen (8 x 4) there"},
      {with("\"pull\"", "\"push\""), "control 0 is pull (-1 to 1) here and push (-1 to 1) there"},
      {with("\"brakes\"", "\"brake\""), "term 1 is brakes here and brake there"},
      {with("\"held\"", "\"hold\""), "event 0 is held here and hold there"},
      {with("\"leaves_at\"", "\"leaves\""), "setting 0 is leaves_at here and leaves there"},
      {with("\"expert\": true", "\"expert\": false"), "expert 0 is there here and missing there"},
      {with("\"weight\": 0.1", "\"weigt\": 0.1"), "weight"},
      {with("\"seats\": 2", "\"seats\": null"), "null is no value of a game"},
      {with("\"float\", \"about\"", "\"boat\", \"about\""), "two names: 'float' and 'boat'"},
  };
  for (const auto& c : cases) {
    const std::string why = refused(table, c.declaration);
    EXPECT_NE(why.find(c.why), std::string::npos) << why;
  }
  kit::Declaration other = far_float(1);
  other.name = "boat";
  other.json.clear();
  EXPECT_NE(refused(table, other).find("the game is 'boat', and 'float' is played here"),
            std::string::npos);
  EXPECT_TRUE(table.host->report().games.empty());
  // Weights are the trainer's affair, and a name alone is enough where a file says the rest.
  FarGame fine(table.host->address(), with("\"weight\": 0.1", "\"weight\": 5.0"));
  kit::Declaration named = far_float(1);
  named.json.clear();
  FarGame named_only(table.host->address(), named);
  while (table.host->report().games.size() < 2)
    std::this_thread::sleep_for(std::chrono::milliseconds(5));
  EXPECT_EQ(table.host->wait().roles[0].rewards[0].weight, 0.1);
  table.host.reset();
}

TEST(RemoteRefusals, AGameThatSaysItsNameAloneNeedsAFile) {
  Table table;
  kit::Declaration named = test::far_float(1);
  named.json.clear();
  EXPECT_NE(refused(table, named).find("says its name alone"), std::string::npos);
}

TEST(RemoteRefusals, WithoutTheTokenNobodyJoins) {
  Table table({.token = "herring"});
  for (const std::string token : {"", "?token=", "?token=herrinG", "?token=herring1"}) {
    std::string address = table.host->address();
    address.resize(address.find('?'));
    FarGame game(address + token, 1);
    EXPECT_NE(game.said().find("403"), std::string::npos) << token;
  }
  table.join(1);
  EXPECT_EQ(table.play().name, "float");
}

TEST(RemoteRefusals, OptionsThatCannotBeUsedAreErrors) {
  const auto fails = [](RemoteOptions options, const char* problem) {
    const Error error = test::error_of([&] { const RemoteHost host(options); });
    EXPECT_NE(std::string(error.what()).find(problem), std::string::npos) << error.what();
  };
  fails({.address = "0.0.0.0"}, "anybody that reaches this machine could join");
  fails({.address = "harbour"}, "'harbour' is no address of a machine");
  fails({.token = "a&b"}, "the token cannot be part of an address");
  fails({.instances = 0}, "there is no such number of games");
  fails({.answer_seconds = 0.0}, "no game can answer in that time");
  fails({.page = "no-such.html"}, "there is no such page");
  const RemoteHost first{RemoteOptions{}};
  const std::string port = first.address().substr(first.address().rfind(':') + 1);
  fails({.port = static_cast<std::uint16_t>(std::stoi(port))}, "games cannot join there");
}

TEST(RemoteRefusals, WhoWaitsInVainIsToldWhy) {
  RemoteOptions options;
  options.join_seconds = 1.5;
  options.launch = "echo the winch is stuck; exit 3";
  RemoteHost host(options);
  const Error error = test::error_of([&] { host.wait(); });
  const std::string text = error.what();
  EXPECT_NE(text.find("0 of 1 games joined within 2 s"), std::string::npos) << text;
  EXPECT_NE(text.find("ended with status 3"), std::string::npos) << text;
  EXPECT_NE(text.find("the winch is stuck"), std::string::npos) << text;
}

TEST(RemoteRefusals, AGameThatWasChangedIsNotPlayedByThoseThatPlayTheOldOne) {
  Table table;
  table.join(2);
  GameSpec more = table.play();
  more.roles[0].seats = 3;
  more.arena = {};  // which stood in for two
  const Error error = test::error_of([&] { make_environment(Game(more), 1); });
  EXPECT_NE(std::string(error.what()).find("role 0 is hand (seats: 3) here"), std::string::npos)
      << error.what();
}

}  // namespace
}  // namespace zithercraft
