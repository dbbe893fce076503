#include "zithercraft/record/replay.hpp"

#include <gtest/gtest.h>

#include <cstring>

#include "custom_games.hpp"
#include "support.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

void record_random(const std::filesystem::path& path, const GameSpec& spec,
                   std::uint32_t episodes) {
  const Game game(spec);
  const auto player = random_player(2);
  ReplayWriter writer(path, game, {spec.name, to_toml(spec), {"random"}, 42, "test"});
  for (std::uint32_t e = 0; e < episodes; ++e)
    play_one(game, {player.get()}, {6, 0, e}, [&](const Environment& lanes) {
      const std::vector<float> values(game.roles()[0].seats.size(),
                                      static_cast<float>(lanes.steps(0)));
      writer.add(lanes, 0, {.values = values});
    });
  writer.finish();
}

class ReplayFile : public ::testing::Test {
 protected:
  ReplayFile() { record_random(path, test::mooring(), 4); }
  test::TemporaryFolder folder;
  const std::filesystem::path path = folder / "a.zrep";
};

TEST_F(ReplayFile, HoldsWhatWasPlayed) {
  Replay replay(path);
  EXPECT_EQ(replay.info().game, "mooring");
  EXPECT_EQ(replay.info().players, std::vector<std::string>{"random"});
  EXPECT_EQ(replay.info().seed, 42u);
  EXPECT_EQ(replay.game().spec(), test::mooring());
  EXPECT_TRUE(replay.whole());
  ASSERT_EQ(replay.episodes().size(), 4u);
  const auto player = random_player(2);
  for (std::uint32_t e = 0; e < 4; ++e) {
    play_one(replay.game(), {player.get()}, {6, 0, e}, [&](const Environment& lanes) {
      const Moment& m = replay.moment(e, lanes.steps(0));
      EXPECT_EQ(m.outcome, lanes.outcome(0));
      EXPECT_EQ(std::memcmp(m.state.data(), lanes.recorded(0).data(), m.state.size()), 0);
      EXPECT_TRUE(std::ranges::equal(m.roles[0].observations, lanes.observations(0)));
      EXPECT_EQ(m.roles[0].values[0], static_cast<float>(lanes.steps(0)));
      EXPECT_TRUE(std::ranges::equal(m.events, lanes.events(0)));
      if (m.step > 0) {
        EXPECT_TRUE(std::ranges::equal(m.roles[0].controls, lanes.given_controls(0)));
        EXPECT_TRUE(std::ranges::equal(m.roles[0].rewards, lanes.rewards_by_term(0, 0)));
      }
      if (lanes.outcome(0) != Outcome::running) {
        EXPECT_EQ(replay.episodes()[e].moments, m.step + 1);
      }
    });
  }
  EXPECT_EQ(test::error_of([&] { replay.moment(9, 0); }).kind(), ErrorKind::usage);
}

TEST_F(ReplayFile, PlaysAgainBitForBit) {
  const ReplayCheck check = check_replay(path);
  EXPECT_TRUE(check.passed()) << check.difference;
  EXPECT_EQ(check.episodes, 4u);
  EXPECT_GT(check.steps, 100u);
  EXPECT_TRUE(check.rewards_compared);
}

TEST_F(ReplayFile, ACheckFindsAnotherCourseOfEvents) {
  // The same match, but one control was changed on its way into the file.
  const Game game(test::mooring());
  const auto player = random_player(2);
  ReplayWriter writer(folder / "b.zrep", game,
                      {"mooring", to_toml(game.spec()), {"random"}, 1, "test"});
  Lanes lanes(game, 1);
  lanes.begin(0, {6, 0, 0});
  writer.add(lanes, 0);
  for (int d = 1; d <= 10; ++d) {
    player->decide(lanes, 0, 0, 1);
    lanes.step(0);
    if (d == 4) lanes.control(0, 0)[1] += 0.001f;
    writer.add(lanes, 0);
  }
  writer.finish();
  const ReplayCheck check = check_replay(folder / "b.zrep");
  EXPECT_FALSE(check.passed());
  EXPECT_EQ(check.difference, "episode 0, step 4: the state differs in 'heading'");
}

TEST_F(ReplayFile, KeepsProbabilitiesAndOverlays) {
  const Game game(test::duck_pond());
  const std::vector<Overlay> drawn{{.name = "way",
                                    .label = "this way",
                                    .form = Overlay::Form::line,
                                    .colour = {1, 2, 3},
                                    .numbers = {1, 2, 0, 4, 5, 0}},
                                   {.name = "hot", .form = Overlay::Form::tint, .numbers = {0}}};
  const std::vector<float> probabilities{0.25f, 0.75f, 0.5f, 0.25f, 0.25f};
  ReplayWriter writer(folder / "b.zrep", game,
                      {"pond", to_toml(game.spec()), {"random"}, 1, "test"});
  Lanes lanes(game, 1);
  lanes.begin(0, {6, 0, 0});
  writer.add(lanes, 0, {.probabilities = probabilities});
  lanes.step(0);
  for (const Overlay& o : drawn) writer.draw(o);
  writer.add(lanes, 0);
  writer.finish();
  Replay replay(folder / "b.zrep");
  EXPECT_EQ(replay.moment(0, 0).roles[0].probabilities, probabilities);
  EXPECT_EQ(replay.moment(0, 1).roles[0].probabilities, std::vector<float>(5));
  EXPECT_TRUE(replay.moment(0, 0).overlays.empty());
  EXPECT_EQ(replay.moment(0, 1).overlays, drawn);
}

TEST_F(ReplayFile, TruncationLosesOnlyTheLastChunk) {
  const std::string good = test::read_file(path);
  Replay whole(path);
  std::uint64_t all = 0;
  for (const auto& e : whole.episodes()) all += e.moments;
  std::uint64_t before = 0;
  for (const double share : {0.5, 0.7, 0.9, 0.97, 0.9999}) {
    const auto cut = static_cast<std::size_t>(share * static_cast<double>(good.size()));
    test::write_file(path, good.substr(0, cut));
    Replay replay(path);
    EXPECT_FALSE(replay.whole());
    std::uint64_t left = 0;
    for (std::size_t e = 0; e < replay.episodes().size(); ++e)
      for (std::uint32_t d = 0; d < replay.episodes()[e].moments; ++d, ++left)
        EXPECT_EQ(replay.moment(e, d).step, d);
    EXPECT_GE(left, before);
    EXPECT_GE(static_cast<double>(left), share * static_cast<double>(all) - 2 * 64);
    before = left;
    const ReplayCheck check = check_replay(path);
    EXPECT_FALSE(check.passed());
    EXPECT_EQ(check.difference, "");  // what is left plays again exactly
  }
  EXPECT_EQ(before, all);  // only the index was cut
}

TEST_F(ReplayFile, FlippedBitsAreNoticed) {
  const std::string good = test::read_file(path);
  int damaged = 0;
  for (std::size_t i = 0; i < good.size(); i += 97) {
    std::string bad = good;
    bad[i] = static_cast<char>(bad[i] ^ (1 << (i % 8)));
    test::write_file(path, bad);
    try {
      // A hurt index is found again from the chunks.
      EXPECT_FALSE(check_replay(path).passed()) << "byte " << i;
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::file) << error.what();
      ++damaged;
    }
  }
  EXPECT_GT(damaged, 100);
  std::string bad = good;
  bad[good.size() / 2] = static_cast<char>(bad[good.size() / 2] ^ 4);
  test::write_file(path, bad);
  EXPECT_NE(test::error_of([&] { check_replay(path); })
                .problem()
                .find("the replay is damaged: the checksum of chunk"),
            std::string::npos);
}

TEST_F(ReplayFile, OtherFilesAndPlacesAreRefused) {
  test::write_file(folder / "b.zrep", "not a replay at all, but long enough to hold a header");
  EXPECT_EQ(test::error_of([&] { Replay r(folder / "b.zrep"); }).problem(), "this is not a replay");
  test::write_file(folder / "c.zrep", "");
  EXPECT_EQ(test::error_of([&] { Replay r(folder / "c.zrep"); }).kind(), ErrorKind::file);
  EXPECT_EQ(test::error_of([&] { Replay r(folder / "none.zrep"); }).kind(), ErrorKind::file);
  EXPECT_EQ(
      test::error_of([&] { record_random(folder / "no/place.zrep", test::mooring(), 1); }).kind(),
      ErrorKind::file);
}

TEST_F(ReplayFile, WhatWasWrittenBeforeACrashCanBeRead) {
  const Game game(test::mooring());
  {
    ReplayWriter writer(folder / "d.zrep", game,
                        {"mooring", to_toml(game.spec()), {"random"}, 1, "test"});
    const auto player = random_player(2);
    for (std::uint32_t e = 0; e < 3; ++e)
      play_one(game, {player.get()}, {6, 0, e},
               [&](const Environment& lanes) { writer.add(lanes, 0); });
  }  // never finished
  EXPECT_FALSE(std::filesystem::exists(folder / "d.zrep"));
  Replay replay(folder / "d.zrep.part");
  EXPECT_FALSE(replay.whole());
  EXPECT_GE(replay.episodes().size(), 2u);
}

TEST(ReplayOfCustomTerms, IsCheckedButForTheirRewards) {
  const test::TemporaryFolder folder;
  GameSpec spec = test::duck_pond();
  spec.role("duck").rewards.push_back({.name = "splash", .each_step = [](const SeatView& seat) {
                                         return static_cast<double>(seat.speed());
                                       }});
  record_random(folder / "a.zrep", spec, 2);
  const ReplayCheck check = check_replay(folder / "a.zrep");
  EXPECT_TRUE(check.passed()) << check.difference;
  EXPECT_FALSE(check.rewards_compared);
}

TEST(ReplayWriting, EstimatesThatDoNotFitTheSeatsAreRefused) {
  const test::TemporaryFolder folder;
  const Game game(test::winch());
  ReplayWriter writer(folder / "a.zrep", game, {"winch", to_toml(game.spec()), {"random"}, 1, "t"});
  const auto environment = make_environment(game, 1);
  environment->begin(0, {1, 0, 0});
  const std::vector<float> one(1), two(2), seven(7);
  EXPECT_EQ(test::error_of([&] { writer.add(*environment, 0, {.values = one}); }).problem(),
            "1 values are given for seats that have 2");
  EXPECT_EQ(test::error_of([&] {
              writer.add(*environment, 0, {two, seven});
            }).kind(),
            ErrorKind::usage);
  writer.add(*environment, 0, {two, std::vector<float>(8)});
  writer.finish();
  EXPECT_EQ(Replay(folder / "a.zrep").episodes().size(), 1u);
}

// ---- Custom games

TEST(CustomReplay, HoldsWhatWasSensedPaidAndDrawn) {
  const test::TemporaryFolder folder;
  const auto path = folder / "winch.zrep";
  record_random(path, test::winch(), 3);
  Replay replay(path);
  EXPECT_FALSE(replay.game().complete());
  ASSERT_EQ(replay.episodes().size(), 3u);
  const Game game(test::winch());
  const auto player = random_player(2);
  for (std::uint32_t e = 0; e < 3; ++e)
    play_one(game, {player.get()}, {6, 0, e}, [&](const Environment& lanes) {
      const Moment& m = replay.moment(e, lanes.steps(0));
      EXPECT_TRUE(std::ranges::equal(m.roles[0].observations, lanes.observations(0)));
      EXPECT_TRUE(std::ranges::equal(m.events, lanes.events(0)));
      std::vector<Overlay> drawing;
      lanes.draw(0, drawing);
      EXPECT_EQ(m.overlays, drawing);
      EXPECT_EQ(replay.ticks(e, m.step), std::vector<std::vector<std::byte>>{m.state});
      if (m.step > 0) {
        EXPECT_EQ(m.roles[0].rewards[0], lanes.rewards_by_term(0, 0)[0]);
      }
    });
  EXPECT_EQ(replay.moment(2, 0).overlays.front().form, Overlay::Form::picture);
  EXPECT_EQ(episode_key(replay.moment(2, 0)).episode, 2u);
}

TEST(CustomReplay, IsPlayedAgainWhereItsProgramIs) {
  const test::TemporaryFolder folder;
  const auto path = folder / "winch.zrep";
  record_random(path, test::winch(), 2);
  EXPECT_NE(test::error_of([&] { check_replay(path); })
                .problem()
                .find("the code of the custom game is not in this program"),
            std::string::npos);
  GameSpec known = test::winch();
  known.name = "winch that is known";
  add_game(known);
  record_random(path, known, 2);
  const ReplayCheck check = check_replay(path);
  EXPECT_TRUE(check.passed()) << check.difference;
  EXPECT_TRUE(check.rewards_compared);
  EXPECT_GT(check.steps, 20u);

  GameSpec other = test::winch({.ignores_the_rope = true});
  other.name = known.name;  // another game under the same name
  record_random(path, other, 1);
  EXPECT_NE(check_replay(path).difference.find("differs"), std::string::npos);
}

}  // namespace
}  // namespace zithercraft
