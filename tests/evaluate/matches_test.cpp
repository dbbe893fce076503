#include "zithercraft/evaluate/matches.hpp"

#include <gtest/gtest.h>

#include "opposed_games.hpp"
#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evaluate/best_response.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

GameSpec demo(const std::string& name) {
  return load_game(test::project_folder() / ("demos/" + name + ".toml"));
}

const PolicyGradientSettings small{
    .policy_layers = {16}, .lanes = 16, .horizon = 32, .minibatch = 512, .snapshot_every = 2000};

// Trained for a moment: what plays is not the point.
class Matches : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new test::TemporaryFolder;
    train(demo("barge"),
          {.folder = *folder / "tugs", .steps = 8000, .checkpoint_every = 2000, .learner = small});
    train(demo("lanternboat"), {.folder = *folder / "collector", .steps = 2000, .learner = small});
    train(demo("lanternboat"), {.folder = *folder / "all",
                                .steps = 2000,
                                .learner = small,
                                .roles = {{.role = "blocker", .learner = {{"epochs", 1}}}}});
  }
  static void TearDownTestSuite() { delete folder; }
  static PlayerSource player(const std::string& name) {
    return PlayerSource::find(name.find('/') == std::string::npos && name != "script" &&
                                      name != "random"
                                  ? (*folder / name).string()
                                  : name);
  }
  static MatchTable match(const std::string& game, const std::vector<std::string>& names,
                          MatchOptions options) {
    std::vector<PlayerSource> players;
    for (const auto& name : names) players.push_back(player(name));
    return play_matches(demo(game), players, options);
  }
  static inline test::TemporaryFolder* folder = nullptr;
};

TEST_F(Matches, SeatPlayersOnBothSidesOnTheSameEpisodes) {
  const MatchTable t = match("barge", {"script", "random", "tugs"}, {.episodes = 20, .seed = 5});
  EXPECT_EQ(t.sides, (std::vector<std::string>{"north", "east"}));
  ASSERT_EQ(t.pairings.size(), 3u);
  const Pairing& p = t.pairings[0];  // script against random
  EXPECT_EQ(p.tally.played(), 40.0);
  EXPECT_EQ(p.by_side[0].played(), 20.0);
  EXPECT_GE(p.tally.wins, 36.0);
  EXPECT_GE(p.by_side[1].wins, 18.0);
  EXPECT_GT(p.a_return.mean, 3.0);
  EXPECT_LT(p.b_return.mean, -3.0);
  EXPECT_EQ(p.a_terms.size(), 4u);
  EXPECT_EQ(t.ratings[0].points, 0.0);
  EXPECT_LT(t.ratings[1].high(), 0.0);
  EXPECT_TRUE(t.notable.empty());
  // A score plays the first side, against the script, on the same episodes.
  const Score s = evaluate(zithercraft::Run::open(*folder / "tugs"),
                           {.episodes = 20, .seed = 5, .against = {}});
  EXPECT_NEAR(
      20 * s.players[0].success.mean,
      match("barge", {"tugs", "script"}, {.episodes = 20, .seed = 5}).pairings[0].by_side[0].wins,
      1e-9);
  EXPECT_EQ(match("barge", {"script", "random", "tugs"}, {.episodes = 20, .seed = 5, .threads = 1})
                .to_json(),
            t.to_json());
}

TEST_F(Matches, AgainstOneselfAreEven) {
  const MatchTable t = match("barge", {"script", "script"}, {.episodes = 30});
  EXPECT_EQ(t.pairings[0].tally.wins,
            t.pairings[0].tally.losses);  // each seating is the other one's mirror image
  EXPECT_EQ(t.pairings[0].share.mean, 0.5);
}

TEST_F(Matches, SeatOnlyWhoKnowsTheRole) {
  const MatchTable t = match("lanternboat", {"collector", "script"}, {.episodes = 10});
  EXPECT_EQ(t.pairings[0].by_side[0].played(), 10.0);
  EXPECT_EQ(t.pairings[0].by_side[1].played(), 0.0);
  const MatchTable both = match("lanternboat", {"all", "script"}, {.episodes = 10});
  EXPECT_EQ(both.pairings[0].by_side[1].played(), 10.0);
  const Error nobody = test::error_of([] {
    match("lanternboat", {"collector", "collector"}, {.episodes = 1});
  });
  EXPECT_EQ(nobody.kind(), ErrorKind::refused);
  EXPECT_NE(std::string(nobody.what()).find("no policy for the role 'blocker'"), std::string::npos)
      << nobody.what();
  EXPECT_EQ(test::error_of([] {
              match("mooring", {"script", "random"}, {});
            }).kind(),
            ErrorKind::refused);
  EXPECT_EQ(test::error_of([] { match("barge", {"script"}, {}); }).kind(), ErrorKind::usage);
  EXPECT_EQ(test::error_of([] {
              match("barge", {"script", "random"}, {.episodes = 0});
            }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([] { PlayerSource::find("nobody"); }).kind(), ErrorKind::usage);
}

TEST_F(Matches, KeepTheMostNotableEpisodesAsReplays) {
  const MatchTable t =
      match("barge", {"script", "random"}, {.episodes = 10, .replays = *folder / "notable"});
  ASSERT_GE(t.notable.size(), 2u);
  for (const NotableEpisode& e : t.notable) {
    const Replay replay(e.replay);
    ASSERT_EQ(replay.episodes().size(), 1u);
    EXPECT_TRUE(check_replay(e.replay).passed());
    if (e.why == "longest") {
      EXPECT_LE(replay.episodes()[0].moments, 601u);
    } else {
      EXPECT_NE(replay.episodes()[0].outcome, Outcome::cutoff);
    }
  }
}

TEST_F(Matches, DecideByReturnsWhereAskedTo) {
  const auto draws = [](DecidedBy by) {
    return match("barge", {"tugs", "random"}, {.episodes = 10, .decided_by = by})
        .pairings[0]
        .tally.draws;
  };
  EXPECT_GT(draws(DecidedBy::verdict), 0.0);
  EXPECT_LT(draws(DecidedBy::returns), draws(DecidedBy::verdict));
}

TEST_F(Matches, PlayCheckpointsAndRecordings) {
  const auto run = zithercraft::Run::open(*folder / "tugs");
  const auto all = checkpoint_players(run);
  ASSERT_EQ(all.size(), run.checkpoint_names().size());
  EXPECT_EQ(all.back().name(), run.folder().string() + ":" + run.checkpoint_names().back());
  EXPECT_EQ(play_matches(demo("barge"), all, {.episodes = 2}).players.size(), all.size());

  // A recording plays what was recorded: against the same opponent, the same episodes.
  record(run, *folder / "tugs.zrep", {.episodes = 3, .seed = 9});
  const Game game(demo("barge"));
  const PlayerSource recorded = PlayerSource::find((*folder / "tugs.zrep").string());
  EXPECT_EQ(recorded.objection(game, 0), "");
  const auto west = recorded.player(game, 0, ActionMode::greedy, 0),
             east = recorded.player(game, 1, ActionMode::greedy, 0);
  Replay replay(*folder / "tugs.zrep");
  for (std::uint32_t e = 0; e < 3; ++e) {
    std::uint32_t moments = 0;
    Outcome outcome = Outcome::running;
    play_one(game, {west.get(), east.get()}, {derived_seed(9, "score"), 0, e},
             [&](const Environment& lanes) {
               ++moments;
               outcome = lanes.outcome(0);
               const auto state = lanes.recorded(0);
               const auto& then = replay.moment(e, lanes.steps(0)).state;
               ASSERT_TRUE(std::equal(state.begin(), state.end(), then.begin(), then.end()))
                   << e << ", " << moments;
             });
    EXPECT_EQ(moments, replay.episodes()[e].moments);
    EXPECT_EQ(outcome, replay.episodes()[e].outcome);
  }
  EXPECT_EQ(recorded.game()->name, "barge");
  EXPECT_NE(recorded.objection(Game(demo("lanternboat")), 0), "");
}

TEST_F(Matches, OfTrainingsSayWhoPlaysTheRoles) {
  const auto all = zithercraft::Run::open(*folder / "all");
  ASSERT_EQ(all.settings().roles.size(), 1u);
  EXPECT_EQ(all.settings().roles[0].role, "blocker");
  const auto refused = [&](std::vector<RoleTraining> roles) {
    const Error error = test::error_of([&] {
      train(
          demo("lanternboat"),
          {.folder = *folder / "wrong", .steps = 100, .learner = small, .roles = std::move(roles)});
    });
    return std::string(error.what());
  };
  EXPECT_NE(refused({{.role = "bloker"}}).find("did you mean 'blocker'"), std::string::npos);
  EXPECT_NE(refused({{.role = "blocker", .played_by = "nobody"}}).find("no player is called"),
            std::string::npos);
  EXPECT_NE(refused({{.role = "blocker", .played_by = "script", .learner = {{"epochs", 1}}}})
                .find("does not learn"),
            std::string::npos);
  const Error other = test::error_of([&] {
    train(
        demo("lanternboat"),
        {.folder = *folder / "all", .steps = 4000, .learner = small, .existing = Existing::resume});
  });
  EXPECT_EQ(other.kind(), ErrorKind::refused);
  // A frozen policy of another run plays the blockers, and the collector learns.
  train(demo("lanternboat"),
        {.folder = *folder / "against frozen",
         .steps = 1000,
         .learner = small,
         .roles = {{.role = "blocker", .played_by = (*folder / "all").string()}}});
  EXPECT_TRUE(zithercraft::Run::open(*folder / "against frozen").finished());
}

// ---- best responses

TEST(BestResponse, GainsWhatCalculationSays) {
  // Against uniform play the first option of the first side brings 1, the second of the second 1/2.
  const test::Payoffs payoffs{2, {3, -1, 0, 0}};
  const Exploitability found = exploitability(test::one_step(payoffs), PlayerSource::find("random"),
                                              {.steps = 30'000, .episodes = 4000, .seed = 2});
  ASSERT_EQ(found.responses.size(), 2u);
  EXPECT_EQ(found.responses[0].side, "first");
  EXPECT_NEAR(found.responses[0].player_return.mean, 0.5, 0.1);
  EXPECT_NEAR(found.responses[0].return_against.mean, 1.0, 0.1);
  EXPECT_NEAR(found.responses[1].gain.mean, 1.0, 0.1);
  EXPECT_NEAR(found.sum.mean, 1.5, 0.15);
  EXPECT_TRUE(found.sum.holds(1.5));
  EXPECT_NE(found.to_json().find("\"exploitability\""), std::string::npos);
}

TEST(BestResponse, NeedsTwoSidesAndSomethingToDo) {
  const PlayerSource random = PlayerSource::find("random");
  const auto kind = [&](const std::string& game, BestResponseOptions options) {
    return test::error_of([&] { exploitability(demo(game), random, options); }).kind();
  };
  EXPECT_EQ(kind("mooring", {}), ErrorKind::refused);
  EXPECT_EQ(kind("barge", {.steps = 0}), ErrorKind::usage);
  EXPECT_EQ(kind("barge", {.episodes = 0}), ErrorKind::usage);
}

TEST_F(Matches, ARunPlaysAsItsMixtureOrItsAverage) {
  const auto returns = [&](TrainedAs as) {
    const std::vector<PlayerSource> players{PlayerSource::find((*folder / "tugs").string(), as),
                                            player("random")};
    return play_matches(demo("barge"), players, {.episodes = 10}).pairings[0].a_return.mean;
  };
  const double latest = returns(TrainedAs::latest), mixture = returns(TrainedAs::mixture),
               average = returns(TrainedAs::average);
  EXPECT_NE(latest, mixture);
  EXPECT_NE(mixture, average);
  EXPECT_EQ(mixture, returns(TrainedAs::mixture));
  EXPECT_EQ(average, returns(TrainedAs::average));
  const PlayerSource alone =
      PlayerSource::find((*folder / "collector").string(), TrainedAs::mixture);
  EXPECT_NE(alone.objection(Game(demo("lanternboat")), 0).find("no past policies"),
            std::string::npos);
}

}  // namespace
}  // namespace zithercraft
