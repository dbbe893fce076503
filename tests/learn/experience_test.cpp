// What is kept of the steps that were played, and what is drawn from it.

#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <vector>

#include "learn/values/experience.hpp"
#include "learn/values/sum_tree.hpp"
#include "support.hpp"
#include "textbook_problems.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {
using namespace test;
using namespace learn_internal;

// Senses of which the first number says which step they are of.
std::vector<float> moment(float number) { return {number, 0.0f, 0.0f, 0.0f}; }

float moment_at(const Experience& experience, std::size_t place) {
  std::vector<float> room(4);
  return experience.senses(place, room)[0];
}

// Steps of one row: an episode that ends by a verdict after 4, one that is cut off after 3, and the
// beginning of a third. Each step is rewarded by its number, from 1.
Experience three_episodes(std::size_t kept = 100) {
  const Game game(pole_on_a_cart());
  Experience experience(game.roles()[0], 1, kept);
  float number = 0.0f;
  const auto act = [&] {
    const float action = static_cast<float>(std::fmod(++number, 2.0f));
    experience.act(0, moment(number), {&action, 1});
    experience.reward(0, number, 0.9);
  };
  for (int i = 0; i < 4; ++i) act();
  experience.end(0, {});
  for (int i = 0; i < 3; ++i) act();
  experience.end(0, moment(100.0f));
  for (int i = 0; i < 2; ++i) act();
  experience.take_stock([](std::size_t, bool) {});
  return experience;
}

std::map<int, std::size_t> places_of(const Experience& experience) {
  std::map<int, std::size_t> places;
  for (std::size_t place = 0; place < experience.places(); ++place)
    if (experience.learnable(place)) places[static_cast<int>(moment_at(experience, place))] = place;
  return places;
}

TEST(Experience, SumsRewardsOfSeveralStepsByHand) {
  const Experience experience = three_episodes();
  const auto places = places_of(experience);
  // The last step of all waits for what comes of it.
  ASSERT_EQ(places.size(), 8u);
  EXPECT_EQ(experience.transitions(), 8u);
  EXPECT_FALSE(places.contains(9));

  const auto transition = [&](int number, std::size_t steps) {
    return experience.transition_at(places.at(number), steps, 0.5);
  };
  EXPECT_FLOAT_EQ(transition(1, 1).reward, 1.0f);
  EXPECT_FLOAT_EQ(transition(1, 1).discount, 0.5f);
  EXPECT_EQ(moment_at(experience, transition(1, 1).next), 2.0f);
  EXPECT_FLOAT_EQ(transition(1, 3).reward, 1.0f + 0.5f * 2.0f + 0.25f * 3.0f);
  EXPECT_FLOAT_EQ(transition(1, 3).discount, 0.125f);
  EXPECT_EQ(moment_at(experience, transition(1, 3).next), 4.0f);
  // Nothing follows a verdict.
  EXPECT_FLOAT_EQ(transition(3, 3).reward, 3.0f + 0.5f * 4.0f);
  EXPECT_EQ(transition(3, 3).discount, 0.0f);
  // What follows a cutoff is the episode's last moment.
  EXPECT_FLOAT_EQ(transition(6, 5).reward, 6.0f + 0.5f * 7.0f);
  EXPECT_FLOAT_EQ(transition(6, 5).discount, 0.25f);
  EXPECT_EQ(moment_at(experience, transition(6, 5).next), 100.0f);
  // The newest step is only what those before it led to.
  EXPECT_FLOAT_EQ(transition(8, 5).reward, 8.0f);
  EXPECT_FLOAT_EQ(transition(8, 5).discount, 0.5f);
  EXPECT_EQ(moment_at(experience, transition(8, 5).next), 9.0f);
}

TEST(Experience, ForgetsTheOldestFirst) {
  const Experience experience = three_episodes(5);
  const auto places = places_of(experience);
  // Of five places one holds the last moment of the second episode, and one the step that waits.
  ASSERT_EQ(places.size(), 3u);
  EXPECT_EQ(places.begin()->first, 6);
  EXPECT_EQ(experience.transitions(), 3u);
}

TEST(Experience, DrawsAllStepsAlike) {
  const Experience experience = three_episodes();
  std::map<int, int> drawn;
  RandomStream random(1, 2, 3, Purpose::shuffle);
  constexpr int draws = 80'000;
  for (int i = 0; i < draws; ++i)
    ++drawn[static_cast<int>(moment_at(experience, experience.draw(random)))];
  ASSERT_EQ(drawn.size(), 8u);
  // Four standard deviations of 10,000 draws.
  for (const auto& [number, times] : drawn) EXPECT_NEAR(times, draws / 8, 400) << number;
}

TEST(Experience, WhatWasLostOrWillNotGoOnTeachesNothing) {
  const Game game(pole_on_a_cart());
  Experience experience(game.roles()[0], 1, 100);
  const float action = 0.0f;
  const auto act = [&](float number) { experience.act(0, moment(number), {&action, 1}); };
  act(1), act(2);
  experience.lose(0);
  act(3), act(4), act(5);
  experience.abandon(0);
  act(6), act(7);
  experience.take_stock([](std::size_t, bool) {});
  std::vector<int> numbers;
  for (const auto& [number, place] : places_of(experience)) numbers.push_back(number);
  EXPECT_EQ(numbers, (std::vector<int>{3, 4, 6}));
  // Of the step that was abandoned only its moment is known.
  const auto places = places_of(experience);
  EXPECT_EQ(moment_at(experience, experience.transition_at(places.at(3), 5, 0.5).next), 5.0f);
}

// Senses with a history are put together from the steps before, as the game tells them.
TEST(Experience, PutsHistoriesTogetherAsTheyWereSensed) {
  GameSpec spec = load_game(project_folder() / "demos/fogbank.toml");
  const Game game(spec);
  const Role& role = game.roles()[0];
  ASSERT_TRUE(std::any_of(role.columns.begin(), role.columns.end(),
                          [](const Column& c) { return c.age > 0; }));
  Lanes lanes(game, 1);
  lanes.begin(0, {7, 0, 0});
  const std::size_t seats = lanes.seats(0);
  Experience experience(role, seats, 60 * seats);
  std::vector<std::vector<float>> sensed;
  for (int step = 0; step < 150; ++step) {
    RandomStream random(3, 0, static_cast<std::uint32_t>(step), Purpose::decide);
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const auto control = lanes.control(0, seat);
      for (std::size_t c = 0; c < control.size(); ++c)
        control[c] = static_cast<float>(
            random.below(static_cast<std::uint32_t>(role.controls[c].options.size())));
    }
    const auto senses = lanes.observation(0, 0);
    sensed.emplace_back(senses.begin(), senses.end());
    for (std::size_t seat = 0; seat < seats; ++seat)
      experience.act(seat, lanes.observation(0, seat), lanes.control(0, seat));
    lanes.step(0);
    if (lanes.outcome(0) == Outcome::running) continue;
    for (std::size_t seat = 0; seat < seats; ++seat) experience.end(seat, {});
    lanes.begin(0, {7, 0, static_cast<std::uint32_t>(step + 1)});
  }
  experience.take_stock([](std::size_t, bool) {});
  std::size_t found = 0;
  std::vector<float> room(role.columns.size());
  for (std::size_t place = 0; place < experience.places() / seats; ++place) {
    if (!experience.learnable(place)) continue;
    const auto senses = experience.senses(place, room);
    const auto near = [&](const std::vector<float>& was) {
      for (std::size_t c = 0; c < was.size(); ++c)
        if (std::fabs(was[c] - senses[c]) > 0.003f) return false;  // pixels are bytes
      return true;
    };
    EXPECT_TRUE(std::any_of(sensed.begin(), sensed.end(), near)) << place;
    ++found;
  }
  EXPECT_GT(found, 40u);
}

TEST(Experience, TakesLittleMemory) {
  GameSpec spec = pole_on_a_cart();
  auto& sense = std::get<CustomSense>(spec.roles[0].senses[0]);
  while (sense.columns.size() < 50)
    sense.columns.push_back({.name = "more_" + std::to_string(sense.columns.size())});
  const Game game(spec);
  EXPECT_LE(Experience::bytes_for(game.roles()[0], 1'000'000), 300'000'000u);
}

TEST(Experience, ComesBackAsItWasStored) {
  const Experience experience = three_episodes(7);
  TensorFile file;
  experience.store(file);
  const Game game(pole_on_a_cart());
  Experience back(game.roles()[0], 1, 7);
  back.restore(file);
  back.take_stock([](std::size_t, bool) {});
  EXPECT_EQ(places_of(back), places_of(experience));
  for (const auto& [number, place] : places_of(back)) {
    const Transition a = experience.transition_at(place, 3, 0.9),
                     b = back.transition_at(place, 3, 0.9);
    EXPECT_EQ(a.reward, b.reward);
    EXPECT_EQ(a.discount, b.discount);
    EXPECT_EQ(a.next, b.next);
  }
  Experience other(game.roles()[0], 1, 9);
  EXPECT_THROW(other.restore(file), Error);
  auto counts = file.integers("experience.counts");
  counts[3] = 1'000'000'000;
  file.put("experience.counts", std::span<const std::int64_t>(counts));
  EXPECT_THROW(back.restore(file), Error);
}

// Two rows, of which one is played three times as often.
void play_some(Experience& experience, std::size_t steps, float& number) {
  for (std::size_t step = 0; step < steps; ++step)
    for (std::size_t row = 0; row < 2; ++row) {
      if (row == 1 && step % 3 != 0) continue;
      const float action = static_cast<float>(std::fmod(++number, 2.0f));
      const std::vector<float> memory{number, -number}, others{number, 1.0f, number};
      experience.remember(row, memory);
      experience.act(row, moment(number), {&action, 1});
      experience.see_others(row, others);
      experience.reward(row, number, 0.9);
      if (step % 7 == 6) experience.end(row, step % 2 == 0 ? moment(-number) : moment(0), others);
    }
  experience.take_stock([](std::size_t, bool) {});
  experience.seal();
}

std::string text_of(const Experience& experience, const TemporaryFolder& folder) {
  TensorFile file;
  experience.store(file);
  file.save(folder / "whole");
  return read_file(folder / "whole");
}

TEST(Experience, IsKeptInPiecesThatNeverChange) {
  const TemporaryFolder folder;
  const Game game(pole_on_a_cart());
  const KeptBesides besides{.others = 3, .memory = 2, .span = 4};
  Experience experience(game.roles()[0], 2, 640, besides);
  std::map<std::string, std::filesystem::path> pieces;
  float number = 0.0f;
  std::size_t most_anew = 0, steps_in_pieces = 0;
  for (int rollout = 0; rollout < 200; ++rollout) {
    play_some(experience, 10, number);
    TensorFile file;
    file.set_keeper([&](const std::string& place, const std::function<TensorFile()>& make) {
      if (pieces.contains(place)) return true;
      pieces[place] = folder / ("piece" + std::to_string(pieces.size()));
      const TensorFile piece = make();
      steps_in_pieces += piece.shape("numbers")[0];
      piece.save(pieces[place]);
      return true;
    });
    experience.store(file);
    most_anew = std::max(most_anew, file.shape("experience.numbers")[0]);
    if (rollout % 13 != 0) continue;
    for (const auto& [place, path] : pieces) file.link_part(place, path);
    Experience back(game.roles()[0], 2, 640, besides);
    back.restore(file);
    ASSERT_TRUE(text_of(back, folder) == text_of(experience, folder)) << rollout;
  }
  EXPECT_GT(pieces.size(), 80u);
  // A row that is played rarely still holds steps of pieces that were given up.
  EXPECT_LE(most_anew, 640u / 3) << "what every checkpoint writes again";
  EXPECT_GT(steps_in_pieces, 2000u);

  // Numbers that make no sense, and pieces that are not there.
  TensorFile file;
  experience.store(file);
  auto numbers = file.integers("experience.pieces");
  numbers[1] = 1'000'000;
  file.put("experience.pieces", std::span<const std::int64_t>(numbers));
  Experience back(game.roles()[0], 2, 640, besides);
  EXPECT_EQ(error_of([&] { back.restore(file); }).kind(), ErrorKind::refused);
  TensorFile without;
  without.set_keeper([](const auto&, const auto&) { return true; });
  experience.store(without);
  EXPECT_EQ(error_of([&] { back.restore(without); }).kind(), ErrorKind::file);
}

// ---- Draws in proportion to weights

TEST(SumTree, DrawsInProportionToWeights) {
  SumTree tree(5);
  const std::vector<double> weights{1.0, 0.0, 3.0, 0.5, 5.5};
  for (std::size_t i = 0; i < weights.size(); ++i) tree.set(i, weights[i]);
  EXPECT_DOUBLE_EQ(tree.total(), 10.0);
  std::vector<int> drawn(8);
  constexpr int draws = 100'000;
  RandomStream random(4, 5, 6, Purpose::shuffle);
  for (int i = 0; i < draws; ++i)
    ++drawn[tree.at(tree.total() * static_cast<double>(random.uniform()))];
  for (std::size_t i = 0; i < weights.size(); ++i) {
    const double share = weights[i] / 10.0;
    EXPECT_NEAR(drawn[i], draws * share, 4.0 * std::sqrt(draws * share * (1.0 - share)) + 1e-9)
        << i;
  }
  tree.set(4, 0.0);
  EXPECT_DOUBLE_EQ(tree.total(), 4.5);
  EXPECT_EQ(tree.at(4.4999999), 3u);
}

// Weights of 1 / (n p) make up for drawing some more often than others: means stay what they are.
TEST(SumTree, WeightsMakeUpForDrawingSomeMoreOften) {
  constexpr std::size_t n = 64;
  SumTree tree(n);
  std::vector<double> numbers;
  double mean = 0.0;
  RandomStream random(7, 8, 9, Purpose::shuffle);
  for (std::size_t i = 0; i < n; ++i) {
    numbers.push_back(static_cast<double>(random.normal()));
    mean += numbers[i] / n;
    tree.set(i, 0.1 + static_cast<double>(random.uniform()));
  }
  double sum = 0.0, squares = 0.0;
  constexpr int draws = 200'000;
  for (int i = 0; i < draws; ++i) {
    const std::size_t thing = tree.at(tree.total() * static_cast<double>(random.uniform()));
    const double weighed = numbers[thing] * tree.total() / (n * tree.weight(thing));
    sum += weighed;
    squares += weighed * weighed;
  }
  const double stddev = std::sqrt(squares / draws - std::pow(sum / draws, 2.0));
  EXPECT_NEAR(sum / draws, mean, 4.0 * stddev / std::sqrt(static_cast<double>(draws)));
}

}  // namespace
}  // namespace zithercraft
