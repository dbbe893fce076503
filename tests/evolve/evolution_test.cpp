// Evolution of a game's policies.

#include "zithercraft/evolve/evolution.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "opposed_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/play.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

constexpr EvolutionMethod methods[] = {EvolutionMethod::genetic, EvolutionMethod::topology,
                                       EvolutionMethod::cma, EvolutionMethod::es};

// Small enough for a test.
EvolutionSettings small(EvolutionMethod method) {
  EvolutionSettings s{.method = method, .policy_layers = {8}, .episodes = 3, .final_episodes = 6};
  s.genetic.population = s.strategy.population = 40;
  s.topology.population = 40;
  s.genetic.elites = 2;
  return s;
}

std::string bytes_of(const Evolution& evolution) {
  const test::TemporaryFolder folder;
  TensorFile file;
  evolution.store(file);
  file.save(folder / "x");
  return test::read_file(folder / "x");
}

constexpr Budget lasting(std::int64_t generations) { return {.updates = generations}; }

// What the last generation brought to each population.
std::vector<GenerationReport> evolve(Evolution& evolution, int generations = 1) {
  for (int g = 0; g < generations; ++g) {
    evolution.collect();
    evolution.improve();
  }
  return evolution.reports();
}

double success_of(const Game& game, const Policy& policy, WorkerPool& pool) {
  const Lineup lineup(game, policy_player(game, 0, policy));
  double sum = 0;
  const auto results =
      play_episodes(game, lineup.const_players(), 300, derived_seed(99, "evolution test"), pool);
  for (const EpisodeResult& e : results) sum += e.outcome == Outcome::success ? 1.0 / 300 : 0.0;
  return sum;
}

TEST(Evolution, LearningByEachMethodBringsTheDuckHome) {
  const Game game(test::duck_pond());
  for (const EvolutionMethod method : methods) {
    WorkerPool pool(2);
    EvolutionSettings settings = small(method);
    settings.genetic.population = settings.topology.population = 100;
    settings.strategy = {
        .population = 100, .stddev = 0.3, .learning_rate = 0.2, .last_learning_rate = 0.05};
    Evolution evolution(game, settings, 1, lasting(20), pool);
    const int generations = method == EvolutionMethod::cma ? 150 : 40;
    evolve(evolution, generations);
    EXPECT_GT(success_of(game, evolution.policy(), pool), 0.8)
        << "method " << static_cast<int>(method);
  }
}

TEST(Evolution, ImprovesByWhatWasCollectedAndByNothingElse) {
  const Game game(test::mooring());
  WorkerPool pool(1);
  Evolution evolution(game, small(EvolutionMethod::es), 1, lasting(5), pool);
  const auto improve = [&] { return test::error_of([&] { evolution.improve(); }).kind(); };
  EXPECT_EQ(improve(), ErrorKind::usage);
  evolve(evolution);
  EXPECT_EQ(improve(), ErrorKind::usage);
  EXPECT_EQ(test::error_of([&] { Evolution(game, {}, 1, Budget{}, pool); }).kind(),
            ErrorKind::usage);
}

TEST(Evolution, PlaysOneEpisodeEachWhereAllBeginAlikeAndMoreInLongTrainings) {
  const auto settled_for = [](const GameSpec& spec, std::int64_t steps) {
    const Game game(spec);
    return settled({.method = EvolutionMethod::es}, game, {.steps = steps}, usual_players(game, 1));
  };
  GameSpec varied = test::mooring();
  EXPECT_EQ(settled_for(varied, 1'000'000).episodes, 1);
  EXPECT_EQ(settled_for(varied, 20'000'000).episodes, 4);
  EXPECT_EQ(settled_for(varied, 20'000'000).final_episodes, 16);
  EXPECT_EQ(settled_for(varied, 20'000'000).strategy.population, 256);
  EXPECT_LT(settled_for(varied, 300'000).strategy.population, 100);
  GameSpec still = test::one_step({2, {1, -1, -1, 1}});
  EXPECT_EQ(settled_for(still, 20'000'000).episodes, 1);
  EXPECT_EQ(settled_for(still, 20'000'000).final_episodes, 1);
}

TEST(Evolution, SameBitsOnAnyNumberOfThreads) {
  const Game game(test::duck_pond());
  for (const EvolutionMethod method : methods) {
    std::string first;
    for (const std::size_t threads : {1u, 2u, 3u}) {
      WorkerPool pool(threads);
      EvolutionSettings settings = small(method);
      settings.sampled = method == EvolutionMethod::es;
      Evolution evolution(game, settings, 7, lasting(3), pool);
      evolve(evolution, 3);
      if (first.empty()) first = bytes_of(evolution);
      EXPECT_EQ(bytes_of(evolution), first)
          << "method " << static_cast<int>(method) << " threads " << threads;
    }
  }
}

TEST(Evolution, GoesOnAfterAPauseAsIfThereHadBeenNone) {
  const Game game(test::duck_pond());
  for (const EvolutionMethod method : methods) {
    WorkerPool pool(2);
    EvolutionSettings settings = small(method);
    settings.novelty = 0.3;
    settings.topology.recurrent_links = 0.3;
    settings.memory = method == EvolutionMethod::genetic ? 4 : 0;
    Evolution through(game, settings, 3, lasting(6), pool),
        after(game, settings, 3, lasting(6), pool);
    evolve(through, 3);
    TensorFile file;
    through.store(file);
    after.restore(file);
    evolve(through, 3);
    evolve(after, 3);
    EXPECT_EQ(bytes_of(through), bytes_of(after)) << "method " << static_cast<int>(method);
    EXPECT_EQ(after.updates(), 6);
  }
}

TEST(Evolution, EverybodyMeetsTheSameEpisodes) {
  // All idle individuals have the same fitness.
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  EvolutionSettings settings = small(EvolutionMethod::genetic);
  settings.fitness = "length";
  Evolution evolution(game, settings, 3, lasting(20), pool);
  evolution.set_fitness(
      seat_fitness([](const SeatView& seat) { return static_cast<double>(seat.episode().lane); }));
  for (int g = 0; g < 2; ++g) {
    const GenerationReport report = evolve(evolution)[0];
    EXPECT_EQ(report.stddev, 0.0);
    EXPECT_DOUBLE_EQ(report.best, 1.0);  // the mean of episodes 0, 1 and 2
  }
}

// What leads plays on as the policy that comes out: the same controls, to the last bit, so that the
// same episodes bring the same.
TEST(Evolution, EverybodyThatLeadsDecidesExactlyAsItWasJudged) {
  const Game game(test::mooring());
  WorkerPool pool(2);
  constexpr std::uint64_t seed = 5;
  for (const EvolutionMethod method : methods)
    for (const std::int64_t memory : {0, 4}) {
      EvolutionSettings settings = small(method);
      settings.memory = method == EvolutionMethod::topology ? 0 : memory;
      settings.topology.recurrent_links = memory > 0 ? 0.5 : 0.0;
      Evolution evolution(game, settings, seed, lasting(20), pool);
      for (std::uint32_t generation = 1; generation <= 3; ++generation) {
        evolve(evolution);
        const Lineup lineup(game, policy_player(game, 0, evolution.policy(0)));
        TensorFile file;
        evolution.store(file);
        Evolution stored(game, settings, seed, lasting(20), pool);
        stored.restore(file);
        stored.collect();
        const auto& judged = stored.reports()[0].leader;
        ASSERT_EQ(judged.size(), 6u);
        for (std::uint32_t t = 0; t < judged.size(); ++t) {
          EpisodeResult played;
          play_one(game, lineup.players(),
                   {derived_seed(seed, "evolution"), (1u << 20) + t, generation},
                   [&](const Environment& environment) {
                     if (environment.outcome(0) != Outcome::running)
                       played = episode_result(environment, 0, 0);
                   });
          EXPECT_EQ(played.episode_return, judged[t].episode_return) << generation;
          EXPECT_EQ(played.length, judged[t].length) << generation;
        }
      }
    }
}

TEST(Evolution, SampledActionsAreDrawnAlikeForEverybody) {
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  const auto first = [&](bool sampled) {
    EvolutionSettings settings = small(EvolutionMethod::cma);
    settings.covariance.first_stddev = 1e-12;  // all are the same
    settings.sampled = sampled;
    Evolution evolution(game, settings, 3, lasting(20), pool);
    evolve(evolution);  // the first generation also finds out how large columns are
    return evolve(evolution)[0];
  };
  const GenerationReport greedy = first(false), drawn = first(true);
  EXPECT_LT(drawn.stddev, 1e-6);
  EXPECT_GT(std::fabs(drawn.mean - greedy.mean), 1e-4);
}

TEST(Evolution, FitnessIsAnyMetric) {
  const Game game(test::duck_pond());
  const auto first = [&](const std::string& fitness) {
    WorkerPool pool(1);
    EvolutionSettings settings = small(EvolutionMethod::genetic);
    settings.fitness = fitness;
    Evolution evolution(game, settings, 3, lasting(20), pool);
    return evolve(evolution)[0];
  };
  EXPECT_NEAR(first("term.hurry").best, -0.01 * 0.5 * 60, 0.35);
  EXPECT_LE(first("success").best, 1.0);
  EXPECT_GE(first("success").lower, 0.0);
  EXPECT_DOUBLE_EQ(first("length").best, 60.0);
  const Error error = test::error_of([&] { first("term.hury"); });
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_NE(std::string(error.what()).find("hurry"), std::string::npos) << error.what();
  EXPECT_EQ(test::error_of([&] { first("glory"); }).kind(), ErrorKind::spec);
}

TEST(Evolution, NumbersThatAreNoneNameIndividualAndTerm) {
  GameSpec spec = test::duck_pond();
  spec.role("duck").rewards.push_back({.name = "cracked", .each_step = [](const SeatView& seat) {
                                         return seat.pose().x > 2.0f ? std::nan("") : 0.0;
                                       }});
  WorkerPool pool(2);
  Evolution evolution(Game(spec), small(EvolutionMethod::genetic), 3, lasting(20), pool);
  const Error error = test::error_of([&] { evolve(evolution, 5); });
  EXPECT_EQ(error.kind(), ErrorKind::numbers);
  EXPECT_NE(std::string(error.what()).find("individual"), std::string::npos) << error.what();
  EXPECT_NE(std::string(error.what()).find("cracked"), std::string::npos) << error.what();

  Evolution own(Game(test::duck_pond()), small(EvolutionMethod::genetic), 3, lasting(20), pool);
  own.set_fitness(seat_fitness([](const SeatView&) { return std::nan(""); }));
  EXPECT_NE(std::string(test::error_of([&] { evolve(own); }).what()).find("individual 0"),
            std::string::npos);
}

TEST(Evolution, NoveltyLooksElsewhere) {
  const Game game(test::duck_pond());
  // With nothing to be good at: how far apart the individuals of the last generation end.
  const auto ended_apart = [&](double novelty) {
    WorkerPool pool(1);
    EvolutionSettings settings = small(EvolutionMethod::genetic);
    settings.novelty = novelty;
    settings.fresh_episodes = false;
    settings.neighbours = 5;
    Evolution evolution(game, settings, 5, lasting(20), pool);
    std::vector<Pose> places;
    evolution.set_fitness(seat_fitness([&](const SeatView& seat) {
      if (seat.episode().lane == 0) places.push_back(seat.pose());
      return 0.0;
    }));
    evolve(evolution, 14);
    places.clear();
    evolve(evolution);
    double sum = 0;
    for (const Pose& a : places)
      for (const Pose& b : places)
        sum += static_cast<double>(std::hypot(a.x - b.x, a.y - b.y)) /
               static_cast<double>(places.size() * places.size());
    return sum;
  };
  EXPECT_GT(ended_apart(1.0), 1.2 * ended_apart(0.0));
}

TEST(Evolution, LearningGoesOnFromATrainedPolicy) {
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  Ppo ppo(game, {.policy_layers = {16}, .lanes = 64, .horizon = 64, .minibatch = 1024}, 1, 400'000,
          pool);
  while (ppo.steps() < 400'000) {
    ppo.collect();
    ppo.improve();
  }
  const double before = success_of(game, ppo.policy(), pool);
  TensorFile checkpoint;
  ppo.store(checkpoint);
  EvolutionSettings settings = small(EvolutionMethod::genetic);
  settings.genetic.mutation_strength = settings.genetic.last_mutation_strength = 0.02;
  settings.final_episodes = 64;
  Evolution evolution(game, settings, 2, lasting(20), pool);
  evolution.continue_from(checkpoint);
  EXPECT_EQ(evolution.signature(0).policy.hidden, std::vector<std::size_t>{16});
  evolve(evolution, 2);
  EXPECT_GT(before, 0.4);
  EXPECT_GT(success_of(game, evolution.policy(), pool), before - 0.15);

  // After a pause too it has the old policy's plan.
  TensorFile paused;
  evolution.store(paused);
  Evolution after(game, settings, 2, lasting(20), pool);
  after.restore(paused);
  evolve(evolution);
  evolve(after);
  EXPECT_EQ(bytes_of(evolution), bytes_of(after));

  Evolution grown(game, small(EvolutionMethod::topology), 2, lasting(20), pool);
  EXPECT_EQ(test::error_of([&] { grown.continue_from(checkpoint); }).kind(), ErrorKind::refused);
  evolve(grown, 2);
  TensorFile kept;
  grown.store(kept);
  Evolution further(game, small(EvolutionMethod::topology), 4, lasting(20), pool);
  further.continue_from(kept);
  evolve(further);
}

TEST(Evolution, FirstLinksAreThoseThatAreNamed) {
  const Game game(test::duck_pond());
  WorkerPool pool(1);
  EvolutionSettings settings = small(EvolutionMethod::topology);
  settings.topology.new_node = settings.topology.new_link = settings.topology.switch_link = 0.0;
  settings.first_links = {"compass.left > turn.left", "bias > bend", "bend > turn.right"};
  Evolution evolution(game, settings, 1, lasting(20), pool);
  const GenerationReport report = evolve(evolution)[0];
  EXPECT_DOUBLE_EQ(report.links, 3.0);
  EXPECT_DOUBLE_EQ(report.hidden, 1.0);
  const Policy policy = evolution.policy();
  ASSERT_NE(policy.graph(), nullptr);
  EXPECT_EQ(policy.graph()->links.size(), 3u);

  const auto error_with = [&](const std::string& link) {
    settings.first_links = {link};
    return std::string(
        test::error_of([&] { Evolution(game, settings, 1, lasting(20), pool); }).what());
  };
  EXPECT_NE(error_with("compas.left > turn.left").find("compas.left"), std::string::npos);
  EXPECT_NE(error_with("compass.left to turn.left").find("FROM > TO"), std::string::npos);
  EXPECT_NE(error_with("turn.left > turn.right").find("begins at an output"), std::string::npos);
  EXPECT_NE(error_with("bias > compass.left").find("ends at a column"), std::string::npos);
}

// Two boats race for one buoy: the first to touch it wins.
GameSpec race() {
  return parse_game(R"(
    name = "race"
    [arena]
    zones = [{ name = "buoy", shape = { kind = "disc", radius = 1.0 }, place = { region = [-1, -6, 1, 6] } }]
    walls = [{ name = "quay", points = [[-9, -9], [9, -9], [9, 9], [-9, 9]], closed = true }]
    [[arena.bodies]]
    name = "red"
    side = "red"
    motion = "free"
    mover = { kind = "boat", thrust = 2.0, rudder_wash = 3.0 }
    place = { region = [-8, -6, -6, 6], heading = [-30, 30] }
    [[arena.bodies]]
    name = "blue"
    side = "blue"
    motion = "free"
    mover = { kind = "boat", thrust = 2.0, rudder_wash = 3.0 }
    place = { region = [6, -6, 8, 6], heading = [150, 210] }
    [[roles]]
    name = "red"
    senses = [{ kind = "compass", to = "buoy", reach = 20 }, { kind = "own_motion" }]
    controls = [{ kind = "dial", name = "throttle", drives = "throttle", low = 0.0, high = 1.0 },
                { kind = "dial", name = "rudder", drives = "rudder" }]
    rewards = [{ name = "won", when = { inside = "buoy" }, ends = "success" },
               { name = "nearer", weight = 0.1, progress = { to = "buoy" } }]
    [[roles]]
    name = "blue"
    senses = [{ kind = "compass", to = "buoy", reach = 20 }, { kind = "own_motion" }]
    controls = [{ kind = "dial", name = "throttle", drives = "throttle", low = 0.0, high = 1.0 },
                { kind = "dial", name = "rudder", drives = "rudder" }]
    rewards = [{ name = "won", when = { inside = "buoy" }, ends = "success" },
               { name = "nearer", weight = 0.1, progress = { to = "buoy" } }]
    [cutoffs]
    steps = 80
  )",
                    "race");
}

TEST(Evolution, LearningOfOpposedSidesIsAgainstEachOthersChampions) {
  const Game game(race());
  WorkerPool pool(2);
  EvolutionSettings settings = small(EvolutionMethod::genetic);
  settings.hall_of_fame_size = 4;
  Evolution evolution(game, settings, 1, lasting(20), pool, nullptr, std::vector<RolePlayer>(2));
  ASSERT_EQ(evolution.policy_of(0), 0u);
  ASSERT_EQ(evolution.policy_of(1), 1u);
  for (int g = 0; g < 20; ++g) {
    const auto reports = evolve(evolution);
    ASSERT_EQ(reports.size(), 2u);
  }
  // Champions beat those who drift.
  for (const std::size_t role : {0u, 1u}) {
    const auto champion = policy_player(game, role, evolution.policy(role));
    const auto other = random_player(4);
    const std::vector<const Player*> players =
        role == 0 ? std::vector<const Player*>{champion.get(), other.get()}
                  : std::vector<const Player*>{other.get(), champion.get()};
    const auto results = play_all_roles(game, players, 100, 5, pool);
    double won = 0;
    for (const EpisodeResult& e : results[role]) won += e.outcome == Outcome::success ? 0.01 : 0.0;
    EXPECT_GT(won, 0.6) << "role " << role;
  }
  // A pause changes nothing here either.
  Evolution after(game, settings, 1, lasting(20), pool, nullptr, std::vector<RolePlayer>(2));
  TensorFile file;
  evolution.store(file);
  after.restore(file);
  evolve(evolution);
  evolve(after);
  EXPECT_EQ(bytes_of(evolution), bytes_of(after));
}

TEST(Evolution, LargeNetworksAreMadeAFewAtATimeAndMemoryDoesNotGrow) {
  const Game game(test::duck_pond());
  WorkerPool pool(2);
  EvolutionSettings settings = small(EvolutionMethod::genetic);
  settings.policy_layers = {700, 700};  // half a million weights
  settings.genetic.population = 24;
  settings.genetic.parents = 0.1;
  settings.episodes = 1;
  settings.final_episodes = 1;
  Evolution evolution(game, settings, 1, lasting(20), pool);
  evolve(evolution, 2);
  const auto file_size = bytes_of(evolution).size();
  evolve(evolution, 2);
  // Parents and elites, the leader and its policy.
  EXPECT_LT(bytes_of(evolution).size(), 2 * file_size);
  EXPECT_LT(file_size, 12u * 500'000 * 4);
}

}  // namespace
}  // namespace zithercraft
