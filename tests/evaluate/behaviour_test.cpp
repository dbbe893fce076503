#include "zithercraft/evaluate/behaviour.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft {
namespace {

GameSpec demo(const std::string& name) {
  return load_game(test::project_folder() / ("demos/" + name + ".toml"));
}

BehaviourTable behaviour(const GameSpec& game, const std::vector<std::string>& names,
                         const BehaviourOptions& options) {
  std::vector<PlayerSource> players;
  for (const auto& name : names) players.push_back(PlayerSource::find(name));
  return measure_behaviour(game, players, options);
}

std::size_t number_of(const BehaviourTable& t, const std::string& measure) {
  const auto found = std::find(t.measures.begin(), t.measures.end(), measure);
  EXPECT_NE(found, t.measures.end()) << measure;
  return static_cast<std::size_t>(found - t.measures.begin());
}
double mean(const BehaviourTable& t, std::size_t player, const std::string& measure) {
  return t.rows.at(player).values.at(number_of(t, measure)).mean;
}

TEST(Behaviour, CountsWhatSeatsDoToEachOther) {
  const GameSpec spec = demo("salvage");
  const BehaviourTable t = behaviour(spec, {"script"}, {.episodes = 20, .seed = 3, .threads = 2});
  EXPECT_EQ(t.episodes, 20);
  // The same episodes, counted by hand.
  const Game game(spec);
  double light = 0, together = 0, mixed = 0, speed = 0, looks = 0;
  for (std::uint32_t e = 0; e < 20; ++e) {
    const Lineup lineup(game, script_player(game, 0));
    play_one(
        game, lineup.players(), {derived_seed(3, "score"), 0, e}, [&](const Environment& lanes) {
          const auto events = lanes.events(0);
          const auto tag = [&](EntityId entity) {
            return game.arena().tags()[game.arena().entity(entity).tag];
          };
          for (const Event& event : events) {
            if (event.kind != EventKind::collect) continue;
            if (tag(event.whom) == "light") {
              light += 1;
              continue;
            }
            const bool rival = std::any_of(events.begin(), events.end(), [&](const Event& other) {
              return other.kind == EventKind::collect && other.whom == event.whom &&
                     other.tick == event.tick && tag(other.who) != tag(event.who);
            });
            (rival ? mixed : together) += 1;
          }
          if (lanes.steps(0) == 0) return;
          for (const Role& role : game.roles())
            for (const EntityId body : role.seats) {
              const Velocity v = game.arena().velocity(lanes.recorded(0).data(), body);
              speed += std::hypot(static_cast<double>(v.x), static_cast<double>(v.y));
              looks += 1;
            }
        });
  }
  ASSERT_GT(light, 0);
  ASSERT_GT(mixed + together, 0);
  EXPECT_NEAR(mean(t, 0, "collect light"), light / 80, 1e-9);
  const auto counted = [&](const std::string& name) {
    return std::find(t.measures.begin(), t.measures.end(), name) == t.measures.end()
               ? 0.0
               : mean(t, 0, name);
  };
  EXPECT_NEAR(counted("collect heavy with rival"), mixed / 80, 1e-9);
  EXPECT_NEAR(counted("collect heavy with mate"), together / 80, 1e-9);
  EXPECT_NEAR(mean(t, 0, "speed, m/s"), speed / looks, 1e-6);
}

// Every tern takes what random play brings it; the same seats are counted by hand.
TEST(Behaviour, TellsBySharesWhatSeatsLiveBy) {
  const GameSpec spec = demo("skerries");
  const BehaviourOptions options{
      .episodes = 2,
      .seed = 3,
      .ways = {{"mob tern", 3.0}, {"collect fish", 100.0}, {"sing", 1.0}},
      .region = 24.0,
      .threads = 2};
  const BehaviourTable t = behaviour(spec, {"random"}, options);
  const Game game(spec);
  const std::size_t seats = game.roles()[0].seats.size();
  double fishers = 0, mobbers = 0, moved = 0, looks = 0;
  for (std::uint32_t e = 0; e < 2; ++e) {
    std::vector<double> fish(seats), mobbed(seats);
    std::vector<std::optional<Pose>> before(seats);
    const Lineup lineup(game, random_player(derived_seed(3, "tern")));
    play_one(game, lineup.players(), {derived_seed(3, "score"), 0, e},
             [&](const Environment& lanes) {
               for (const Event& event : lanes.events(0)) {
                 if (event.kind == EventKind::collect) fish[event.who.index()] += 100;
                 if (event.kind == EventKind::custom && name_of(game, event) == "mob")
                   mobbed[event.who.index()] += 3;
               }
               if (lanes.steps(0) == 0) return;
               const std::byte* state = lanes.recorded(0).data();
               for (std::size_t s = 0; s < seats; ++s) {
                 const EntityId tern = game.roles()[0].seats[s];
                 if (!game.arena().present(state, tern)) {
                   before[s].reset();
                   continue;
                 }
                 const Pose at = game.arena().pose(state, tern);
                 if (before[s]) {
                   moved += std::hypot(static_cast<double>(at.x - before[s]->x),
                                       static_cast<double>(at.y - before[s]->y));
                   looks += 1;
                 }
                 before[s] = at;
               }
             });
    for (std::size_t s = 0; s < seats; ++s) {
      if (mobbed[s] >= fish[s] && mobbed[s] > 0) {
        mobbers += 1;
      } else if (fish[s] > 0) {
        fishers += 1;
      }
    }
  }
  const double all = 2.0 * static_cast<double>(seats);
  ASSERT_GT(mobbers, 0);
  ASSERT_GT(fishers, 0);
  EXPECT_NEAR(mean(t, 0, "lives by mob tern"), mobbers / all, 1e-9);
  EXPECT_NEAR(mean(t, 0, "lives by collect fish"), fishers / all, 1e-9);
  EXPECT_NEAR(mean(t, 0, "lives by none of these"), 1 - (mobbers + fishers) / all, 1e-9);
  EXPECT_EQ(t.never_done, std::vector<std::string>{"sing"});
  for (const char* region : {"(12, 12)", "(12, 36)", "(36, 12)", "(36, 36)"}) {
    double sum = 0;
    for (const std::string way : {"mob tern", "collect fish", "sing", "none of these"})
      sum += mean(t, 0, "lives by " + way + ", around " + region);
    EXPECT_NEAR(sum, 1.0, 1e-9) << region;
  }
  EXPECT_GT(mean(t, 0, "speed, m/s"), 0.0) << "steps from cell to cell count";
  EXPECT_NEAR(mean(t, 0, "speed, m/s"), moved / looks / 0.25, 0.05);
  EXPECT_GT(mean(t, 0, "life, steps"), 1.0);
}

TEST(Behaviour, TellsWhatTheOthersDoWhenSomebodyElseSitsThere) {
  const GameSpec game = demo("lanternboat");
  const BehaviourOptions options{.seat = "collector", .episodes = 40, .seed = 4, .threads = 1};
  const BehaviourTable t = behaviour(game, {"script", "script", "random"}, options);
  // Nothing differs from oneself.
  for (const Interval& d : t.rows[1].differences)
    EXPECT_TRUE(d.mean == 0.0 && d.low == 0.0 && d.high == 0.0);
  EXPECT_EQ(t.rows[1].elsewhere, 0.0);
  EXPECT_EQ(std::count(t.measures.begin(), t.measures.end(), "touch collector"), 1)
      << "the others, in the seat's name";
  EXPECT_EQ(std::count(t.measures.begin(), t.measures.end(), "collect lantern"), 0)
      << "what the seat does itself";
  const Interval& length = t.rows[2].differences[number_of(t, "length, steps")];
  EXPECT_NEAR(length.mean, mean(t, 2, "length, steps") - mean(t, 0, "length, steps"), 1e-9);
  EXPECT_GT(t.rows[2].elsewhere, 0.0);

  BehaviourOptions threads = options;
  threads.threads = 3;
  EXPECT_EQ(behaviour(game, {"script", "script", "random"}, threads).to_json(), t.to_json());
}

TEST(Behaviour, OneSeatOfSeveralCanBeTaken) {
  const BehaviourTable t = behaviour(demo("lanternboat"), {"script", "random"},
                                     {.seat = "blocker:2", .episodes = 10, .seed = 4});
  EXPECT_EQ(std::count(t.measures.begin(), t.measures.end(), "collector: speed, m/s"), 1);
  EXPECT_EQ(std::count(t.measures.begin(), t.measures.end(), "blocker: distance to blocker, m"), 1);
  EXPECT_GT(mean(t, 1, "blocker: distance to blocker, m"), 0.0);
}

TEST(Behaviour, RolesCanBePlayedAlone) {
  const GameSpec game = demo("barge");
  const BehaviourTable t =
      behaviour(game, {"script", "random"},
                {.as = "north_tug", .others = "random", .episodes = 20, .seed = 4});
  EXPECT_GT(mean(t, 0, "success"), 0.9);
  EXPECT_LT(mean(t, 1, "success"), 0.2);
  EXPECT_GT(mean(t, 0, "brings barge into a rival's zone"), 0.2)
      << "by one of the three tugs, or by several";
  EXPECT_GT(t.rows[1].elsewhere, t.rows[1].elsewhere_by_chance);
  EXPECT_GT(t.rows[1].elsewhere_by_chance, 0.0);
}

// The others meet a recorded person as they did then, if they are who they were.
TEST(Behaviour, RecordedEpisodesAreMetAgain) {
  const test::TemporaryFolder folder;
  const GameSpec spec = demo("lanternboat");
  const Game game(spec);
  {
    ReplayWriter writer(folder / "person.zrep", game,
                        {spec.name, to_toml(spec), {"person", "script"}, 1, "test"});
    const Lineup lineup(game, random_player(77));
    for (const std::uint32_t e : {5u, 2u, 11u})
      play_one(game, lineup.players(), {99, 3, e},
               [&](const Environment& lanes) { writer.add(lanes, 0); });
    writer.finish();
  }
  const std::string person = (folder / "person.zrep").string();
  const BehaviourTable t =
      behaviour(spec, {person, "script"}, {.seat = "collector", .episodes = 500});
  EXPECT_EQ(t.episodes, 3) << "those that were recorded";
  EXPECT_EQ(t.replayed_differently, 0);
  Replay replay(person);
  double steps = 0;
  for (const auto& e : replay.episodes()) steps += e.moments - 1;
  EXPECT_NEAR(mean(t, 0, "length, steps"), steps / 3, 1e-9);
  EXPECT_EQ(
      behaviour(spec, {person}, {.seat = "collector", .others = "random"}).replayed_differently, 3);
}

TEST(Behaviour, RefusesWhatMakesNoSense) {
  const auto says = [](const char* game, const BehaviourOptions& options) {
    return std::string(test::error_of([&] { behaviour(demo(game), {"random"}, options); }).what());
  };
  EXPECT_NE(says("lanternboat", {.seat = "colector"}).find("'collector'"), std::string::npos);
  EXPECT_NE(says("lanternboat", {.seat = "blocker:4"}).find("the role has 3"), std::string::npos);
  EXPECT_NE(says("lanternboat", {.others = "script"}).find("take a seat"), std::string::npos);
  EXPECT_NE(says("lanternboat", {.seat = "blocker", .as = "blocker"}).find("at once"),
            std::string::npos);
  EXPECT_NE(says("mooring", {.seat = "skiff"}).find("no other seat"), std::string::npos);
  EXPECT_NE(says("mooring", {.region = 4.0}).find("name ways"), std::string::npos);
  EXPECT_NE(says("mooring", {.ways = {{"touch hull", 0.0}}}).find("above 0"), std::string::npos);
  EXPECT_NE(says("mooring", {.square = 0.0}).find("square"), std::string::npos);
  EXPECT_EQ(test::error_of([] { measure_behaviour(demo("mooring"), {}); }).kind(),
            ErrorKind::usage);
}

TEST(Behaviour, CoursesCountOnlyWhatIntervalsTellApart) {
  const auto course = [](const std::vector<double>& means, double half) {
    std::vector<Interval> values;
    for (const double m : means) values.push_back({m, m - half, m + half});
    return course_of(values);
  };
  EXPECT_EQ(course({1, 1.1, 0.9, 1.05}, 0.2), "steady");
  EXPECT_EQ(course({1, 2, 3}, 0.1), "rises");
  EXPECT_EQ(course({3, 2.9, 1}, 0.1), "falls");
  EXPECT_EQ(course({1, 1.3, 1.6, 1.9, 2.2}, 0.2), "rises")
      << "step by step, none of which would count alone";
  EXPECT_EQ(course({1, 3, 2.9, 1}, 0.1), "rises, then falls");
  EXPECT_EQ(course({1, 3, 1, 3, 1}, 0.1), "turns 3 times");
  EXPECT_EQ(course({}, 0.1), "steady");
}

}  // namespace
}  // namespace zithercraft
