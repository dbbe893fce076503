// Settings that follow from the length of a training and from the game.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

#include "learning.hpp"
#include "opposed_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/method.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

PolicyGradientSettings settled_for(const Game& game, std::int64_t steps,
                                   const PolicyGradientSettings& settings = {}) {
  return settled(settings, game, steps, usual_players(game, 1));
}

TEST(Settle, LeavesAloneWhatIsSet) {
  const PolicyGradientSettings own{.memory_span = 7,
                                   .lanes = 3,
                                   .horizon = 7,
                                   .discount = 0.5,
                                   .epochs = 2,
                                   .minibatch = 5,
                                   .entropy_weight = 0.0,
                                   .last_entropy_weight = 0.1,
                                   .first_stddev = 0.1,
                                   .against_past = 0.3,
                                   .against_hardest = 0.1,
                                   .snapshot_every = 11};
  EXPECT_EQ(settled_for(Game(test::mooring()), 1'000'000, own), own);
}

// Of dials up to four times more in trainings that are neither short nor long.
TEST(Settle, MakesAboutAsManyGradientStepsAsItsLengthAsksFor) {
  const Game game(test::mooring());
  for (const std::int64_t steps : {50'000, 100'000, 300'000, 1'000'000, 3'000'000, 10'000'000}) {
    const PolicyGradientSettings s = settled_for(game, steps);
    const double more =
        steps < 5'000'000 ? std::pow(std::max(1.0, static_cast<double>(steps) / 5e5), 0.6) : 1.0;
    const double gradients = static_cast<double>(*s.epochs) * static_cast<double>(steps) /
                             static_cast<double>(*s.minibatch) / more;
    EXPECT_GT(gradients, 4000) << steps;
    EXPECT_LT(gradients, 9000) << steps;
    const std::int64_t rollout = *s.lanes * *s.horizon;
    EXPECT_GE(steps / rollout, 35) << steps;
    EXPECT_LE(rollout, 32768) << steps;
    EXPECT_GE(rollout, 4 * *s.minibatch) << steps;
  }
}

TEST(Settle, LooksAsFarAheadAsAnEpisodeLasts) {
  GameSpec game = test::mooring();
  for (const auto& [steps, ahead] :
       std::vector<std::pair<std::int64_t, double>>{{20, 100}, {300, 300}, {5000, 500}}) {
    game.cutoffs.steps = steps;
    EXPECT_DOUBLE_EQ(*settled_for(Game(game), 1'000'000).discount, 1 - 1 / ahead) << steps;
  }
}

TEST(Settle, TakesPicturesInLargerStepsAndKeepsHalfAGigabyteOfThem) {
  const auto looking = [](std::int64_t side) {
    GameSpec game = test::mooring();
    game.roles[0].senses.push_back(Camera{
        .name = "view", .width = side, .height = side, .across = 20, .signal = {.history = 3}});
    return Game(game);
  };
  const auto layers = [&](std::int64_t side) {
    return plan_networks(looking(side).roles()[0], {}).first.pictures.at(0).layers;
  };
  using Layers = std::vector<ConvolutionLayer>;
  EXPECT_EQ(layers(21), (Layers{{16, 4, 2}, {32, 3, 2}}));
  EXPECT_EQ(layers(42), (Layers{{16, 6, 3}, {32, 4, 2}}));
  EXPECT_EQ(layers(84), (Layers{{16, 8, 4}, {32, 4, 2}}));
  EXPECT_EQ(layers(160).size(), 3u);

  const Game game = looking(84);
  const PolicyGradientSettings s = settled_for(game, 3'000'000),
                               without = settled_for(Game(test::mooring()), 3'000'000);
  EXPECT_LE(*s.lanes * *s.horizon * std::int64_t{4 * 84 * 84 * 4}, std::int64_t{1} << 29);
  EXPECT_GE(*s.lanes, 16);
  EXPECT_GT(*without.lanes, *s.lanes);
  EXPECT_EQ(*s.epochs, 3);
  EXPECT_EQ(*without.epochs, 4);
}

// A training tells what an update keeps where it is much, and refuses more than there is.
TEST(Settle, TellsWhatMemoryIsNeededAndRefusesTooMuch) {
  const Game small(test::mooring());
  WorkerPool pool(1);
  const LearningMethod method = ppo_method();
  const auto context = [&](const LearnerSettings& settings) {
    return LearnerContext{small, settings, 1, {1'000'000, 0}, usual_players(small, 1), pool};
  };
  const LearnerSettings usual = PolicyGradientSettings{},
                        much = PolicyGradientSettings{.lanes = 4096, .horizon = 1024},
                        too_much = PolicyGradientSettings{.lanes = 65536, .horizon = 65536};
  EXPECT_TRUE(method.forecast(context(usual)).empty());
  const auto told = method.forecast(context(much));
  ASSERT_EQ(told.size(), 1u);
  EXPECT_NE(told[0].find("4096 lanes of 1024 steps"), std::string::npos) << told[0];
  EXPECT_NE(told[0].find(" GB"), std::string::npos) << told[0];
  for (const auto& attempt : {std::function<void()>([&] { method.forecast(context(too_much)); }),
                              std::function<void()>([&] { method.make(context(too_much)); })}) {
    const auto error = test::error_of(attempt);
    EXPECT_EQ(error.kind(), ErrorKind::refused);
    EXPECT_NE(error.fix().find("lanes="), std::string::npos) << error.what();
  }
}

// tanh begins saturated behind the sums of a picture.
TEST(Settle, ReadsPicturesThroughRectifiers) {
  const auto activation_of = [](const Role& role, const PolicyGradientSettings& settings) {
    return plan_networks(role, settings).first.activation;
  };
  const Game fogbank(load_game(test::project_folder() / "demos/fogbank.toml"));
  const Game mooring(test::mooring());
  EXPECT_EQ(activation_of(fogbank.roles()[0], {}), Activation::relu);
  EXPECT_EQ(activation_of(mooring.roles()[0], {}), Activation::tanh);
  EXPECT_EQ(activation_of(fogbank.roles()[0], {.pictures = std::vector<ConvolutionLayer>{}}),
            Activation::tanh)
      << "pixels as columns";
  EXPECT_EQ(activation_of(fogbank.roles()[0], {.activation = Activation::silu}), Activation::silu);
}

TEST(Settle, GoesByWhatIsControlled) {
  const PolicyGradientSettings dials = settled_for(Game(test::mooring()), 300'000);
  GameSpec choosing = test::mooring();
  choosing.roles[0].keys.clear();
  choosing.roles[0].controls = {Choice{.name = "throttle", .options = {{.name = "ahead"}}},
                                Choice{.name = "rudder", .options = {{.name = "left"}}}};
  for (auto& control : choosing.roles[0].controls)
    std::get<Choice>(control).options.push_back({.name = "none"});
  const PolicyGradientSettings choices = settled_for(Game(choosing), 300'000);
  EXPECT_GT(*dials.minibatch, *choices.minibatch);
  EXPECT_LT(*dials.epochs, *choices.epochs);
  EXPECT_GT(*dials.entropy_weight, *choices.entropy_weight);
}

TEST(Settle, StaysUndecidedForLongerInShortTrainingsWithDials) {
  const Game game(test::mooring());
  const auto weight = [&](std::int64_t steps) { return *settled_for(game, steps).entropy_weight; };
  EXPECT_EQ(weight(500'000), 0.02);
  EXPECT_NEAR(weight(1'000'000), 0.02 - 0.015 * std::log10(2.0), 1e-9);
  EXPECT_NEAR(weight(5'000'000), 0.005, 1e-9);
}

TEST(Settle, LetsOpposedSidesThatChooseStayUndecidedAndMeetTheirPast) {
  const Game game(test::one_step({2, {1, -1, -1, 1}}));
  const PolicyGradientSettings s =
      settled(PolicyGradientSettings{}, game, 1'000'000, std::vector<RolePlayer>(2));
  EXPECT_EQ(s.against_past, 0.75);
  EXPECT_EQ(s.against_hardest, 0.0);
  EXPECT_EQ(s.snapshot_every, 20'000);
  EXPECT_EQ(s.entropy_weight, 0.1);
  EXPECT_EQ(s.last_entropy_weight, 0.05);
  EXPECT_NEAR(1'000'000.0 / static_cast<double>(2 * *s.lanes * *s.horizon), 200, 60);
  // Who learns alone has nobody to mix against; what is set leaves room for the other share.
  EXPECT_EQ(settled(PolicyGradientSettings{}, game, 1'000'000, usual_players(game, 1))
                .last_entropy_weight,
            0.0);
  const Game pushing(load_game(test::project_folder() / "demos/barge.toml"));
  const auto shares = settled(PolicyGradientSettings{.against_past = 0.9}, pushing, 1'000'000,
                              std::vector<RolePlayer>(pushing.roles().size()));
  EXPECT_NEAR(*shares.against_hardest, 0.1, 1e-12);
}

TEST(Settle, TriesDialsFromEndToEndInShortTrainings) {
  const Game game(test::mooring());
  const auto spread = [&](std::int64_t steps) { return *settled_for(game, steps).first_stddev; };
  EXPECT_EQ(spread(20'000), 1.5);
  EXPECT_EQ(spread(500'000), 1.5);
  EXPECT_NEAR(spread(1'000'000), 1.5 - 0.9 * std::log10(2.0), 1e-9);
  EXPECT_NEAR(spread(5'000'000), 0.6, 1e-9);
  EXPECT_NEAR(spread(50'000'000), 0.6, 1e-9);
}

TEST(Settle, FitsTheSpanOfAMemory) {
  for (const std::int64_t span : {5, 24, 32, 48})
    EXPECT_EQ(
        *settled_for(Game(test::mooring()), 50'000, {.memory = 8, .memory_span = span}).horizon %
            span,
        0)
        << span;
}

TEST(Settle, RemembersThroughAnEpisode) {
  const auto span = [](std::int64_t episode, const PolicyGradientSettings& settings) {
    GameSpec spec = test::mooring();
    spec.cutoffs.steps = episode;
    return *settled_for(Game(spec), 500'000, settings).memory_span;
  };
  EXPECT_EQ(span(20, {.memory = 8}), 32);
  EXPECT_EQ(span(41, {.memory = 8}), 64);
  EXPECT_EQ(span(600, {.memory = 8}), 64);
  EXPECT_EQ(span(600, {.memory = 8, .horizon = 96}), 48) << "it divides the horizon";
  EXPECT_EQ(span(600, {.memory = 8, .horizon = 50}), 50);
}

// A learner whose settings were left open is the one whose settings were written out.
TEST(Settle, IsWhatTheLearnerDoes) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  const auto trained = [&](const PolicyGradientSettings& settings) {
    Ppo learner(game, settings, 1, 60'000, pool);
    learner.collect();
    learner.improve();
    TensorFile file;
    learner.store(file);
    const test::TemporaryFolder folder;
    file.save(folder / "a");
    return test::read_file(folder / "a");
  };
  EXPECT_EQ(trained({}), trained(settled_for(game, 60'000)));
}

}  // namespace
}  // namespace zithercraft
