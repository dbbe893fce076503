// Studies: plans, runs, and what is read off them.

#include "zithercraft/experiment/study.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <cmath>

#include "support.hpp"
#include "zithercraft/experiment/ablation.hpp"
#include "zithercraft/experiment/comparison.hpp"
#include "zithercraft/experiment/measure.hpp"
#include "zithercraft/experiment/sweep.hpp"

namespace zithercraft {
namespace {

const PolicyGradientSettings small{
    .policy_layers = {16}, .value_layers = {16}, .lanes = 16, .horizon = 32, .minibatch = 256};

// Enough to learn the pond well.
const PolicyGradientSettings thorough{.lanes = 64, .horizon = 64, .minibatch = 1024};

StudyPlan pond_plan() {
  StudyPlan plan{.name = "pond",
                 .games = {test::duck_pond()},
                 .seeds = {1, 2},
                 .steps = 8000,
                 .learner = small};
  plan.variants = {{.name = "as it is"}, {.name = "in a hurry", .set = {{"term.hurry", -0.1}}}};
  plan.episodes = 20;
  plan.measures = {"success", "return", "length", "term.hurry"};
  return plan;
}

std::vector<std::vector<double>> values_of(const Study& study) {
  std::vector<std::vector<double>> list;
  for (const StudyRun& run : study.runs()) list.push_back(run.measured);
  return list;
}

// ---- plans

TEST(StudyPlan, IsReadBackAsItWasWritten) {
  StudyPlan plan = pond_plan();
  plan.variants.push_back(
      {.name = "other", .learner = {{"epochs", 1}}, .without = {"term.nearer", "sense.compass"}});
  const StudyPlan back = parse_resolved_plan(to_toml(plan), "text");
  EXPECT_EQ(to_toml(back), to_toml(plan));
  EXPECT_EQ(back.variants, plan.variants);
  EXPECT_EQ(refusal_to_extend(plan, back), "");
}

TEST(StudyPlan, IsCheckedBeforeTheFirstTraining) {
  const auto problem = [](auto change) {
    StudyPlan plan = pond_plan();
    change(plan);
    return std::string(test::error_of([&] { check_plan(plan); }).what());
  };
  EXPECT_NE(problem([](auto& p) {
              p.variants[1].set = {{"term.hury", 1}};
            }).find("did you mean 'hurry'"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) {
              p.variants[1].learner = {{"epoch", 1}};
            }).find("did you mean 'epochs'"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) { p.variants[1].name = "as it is"; }).find("is listed twice"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) {
              p.variants[0].without = {"sense.compas"};
            }).find("did you mean 'compass'"),
            std::string::npos);
  EXPECT_NE(
      problem([](auto& p) { p.variants[0].without = {"wall.bank"}; }).find("cannot be left out"),
      std::string::npos);
  EXPECT_NE(problem([](auto& p) { p.measures = {"sucess"}; }).find("did you mean 'success'"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) { p.measures = {"events.home"}; }).find("does not pay on an event"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) { p.seeds = {}; }).find("seeds"), std::string::npos);
  EXPECT_NE(problem([](auto& p) {
              p.seeds = {4, 4};
            }).find("'4' is listed twice"),
            std::string::npos);
  EXPECT_NE(problem([](auto& p) { p.games.clear(); }).find("games"), std::string::npos);
}

TEST(StudyPlan, TrainsEveryVariantByEveryMethod) {
  const test::TemporaryFolder folder;
  const auto plan = [&](const std::string& variants) {
    test::write_file(folder / "plan.toml", "games = [\"pond\"]\n" + variants + R"(
      [[methods]]
      name = "hasty"
      learner = { epochs = 1, discount = 0.9 }
      [[methods]]
      name = "patient"
      learner = { epochs = 8 }
    )");
    return load_plan(folder / "plan.toml", [](const std::string&) { return test::duck_pond(); });
  };
  const StudyPlan plain = plan("");
  ASSERT_EQ(plain.variants.size(), 2u);
  EXPECT_EQ(plain.variants[1].name, "patient");
  const StudyPlan both = plan(
      R"(variants = [{ name = "as it is" }, { name = "far", learner = { discount = 0.99 } }])");
  ASSERT_EQ(both.variants.size(), 4u);
  EXPECT_EQ(both.variants[2].name, "far, hasty");
  const auto of_variant = [&](std::size_t number) {
    return learner_of(both, both.variants[number]).as<PolicyGradientSettings>();
  };
  EXPECT_EQ(of_variant(2).discount, 0.99);
  EXPECT_EQ(of_variant(2).epochs, 1);
  EXPECT_EQ(of_variant(3).epochs, 8);
}

TEST(StudyPlan, ComparesThoseWhoLearnAloneWithThoseWhoAreTaught) {
  const test::TemporaryFolder folder;
  const auto plan_with = [&](const std::string& teachers) {
    test::write_file(folder / "plan.toml", R"(
      games = ["mooring"]
      seeds = [1]
      steps = 4000
      episodes = 4
      teacher_episodes = 3
      methods = [
        { name = "alone" },
        { name = "taught", method = "clone", learner = { policy_layers = [8] })" +
                                               teachers + R"( },
      ]
    )");
    return load_plan(folder / "plan.toml", [](const std::string&) { return test::mooring(); });
  };
  EXPECT_NE(std::string(test::error_of([&] { plan_with(""); }).what()).find("needs a teacher"),
            std::string::npos);
  const StudyPlan plan = plan_with(", teachers = [\"script\"]");
  EXPECT_EQ(to_toml(parse_resolved_plan(to_toml(plan), "text")), to_toml(plan));
  const Study study = run_study(plan, {.folder = folder / "s", .threads = 1});
  ASSERT_EQ(study.count(StudyRunStatus::done), 2u);
  for (const StudyRun& run : study.runs())
    EXPECT_EQ(Run::open(study.run_folder(run)).settings().teachers.size(),
              run.variant == "taught" ? 1u : 0u);
}

TEST(StudyPlan, ComparesGradientsWithEvolutions) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "plan.toml", R"(
    games = ["pond"]
    method = "es"
    learner = { population = 20 }
    methods = [
      { name = "by the plan", learner = { episodes = 3 } },
      { name = "by growth", method = "topology", learner = { new_node = 0.1 } },
      { name = "by gradients", method = "ppo", learner = { epochs = 2 } },
    ]
  )");
  const auto find = [](const std::string&) { return test::duck_pond(); };
  const StudyPlan plan = load_plan(folder / "plan.toml", find);
  const LearnerSettings of_es = learner_of(plan, plan.variants[0]),
                        of_growth = learner_of(plan, plan.variants[1]),
                        of_gradients = learner_of(plan, plan.variants[2]);
  EXPECT_EQ(of_es.method(), "es");
  EXPECT_EQ(of_growth.method(), "topology");
  EXPECT_EQ(of_gradients.method(), "ppo");
  const auto &es = of_es.as<EvolutionSettings>(), &growth = of_growth.as<EvolutionSettings>();
  EXPECT_EQ(es.strategy.population, 20);
  EXPECT_EQ(es.episodes, 3);
  EXPECT_EQ(growth.topology.new_node, 0.1);
  EXPECT_EQ(growth.topology.population,
            TopologySettings{}.population);  // the plan's is of its own method
  EXPECT_EQ(of_gradients.as<PolicyGradientSettings>().epochs, 2);

  const StudyPlan back = parse_resolved_plan(to_toml(plan), "text");
  EXPECT_EQ(to_toml(back), to_toml(plan));
  EXPECT_EQ(back.variants, plan.variants);
  StudyPlan other = plan;
  other.learner = EvolutionSettings{.method = EvolutionMethod::es};
  EXPECT_NE(refusal_to_extend(plan, other).find("population"), std::string::npos);
  other.learner = PolicyGradientSettings{};
  EXPECT_NE(refusal_to_extend(plan, other), "");

  const auto problem = [&](const std::string& text) {
    test::write_file(folder / "wrong.toml", "games = [\"pond\"]\n" + text);
    return std::string(test::error_of([&] { load_plan(folder / "wrong.toml", find); }).what());
  };
  EXPECT_NE(problem("method = 'toplogy'").find("did you mean 'topology'"), std::string::npos);
  EXPECT_NE(
      problem("variants = [{ name = 'a', method = 'genetics' }]").find("did you mean 'genetic'"),
      std::string::npos);
  EXPECT_NE(problem("method = 'genetic'\nlearner = { epochs = 3 }").find("no setting 'epochs'"),
            std::string::npos);
}

TEST(StudyPlan, OfAFileNamesItsGames) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "plan.toml", R"(
    games = ["pond"]
    seeds = [5]
    steps = 1000
    learner = { lanes = 16 }
    variants = [{ name = "quick", set = { "term.hurry" = -0.5 }, learner = { epochs = 1 } }]
  )");
  const auto find = [](const std::string& name) {
    EXPECT_EQ(name, "pond");
    return test::duck_pond();
  };
  const StudyPlan plan = load_plan(folder / "plan.toml", find);
  EXPECT_EQ(plan.name, "plan");
  EXPECT_EQ(plan.learner.as<PolicyGradientSettings>().lanes, 16);
  EXPECT_EQ(learner_of(plan, plan.variants[0]).as<PolicyGradientSettings>().epochs, 1);
  EXPECT_EQ(trained_game(plan.games[0], plan.variants[0]).roles[0].rewards[2].weight, -0.5);
  EXPECT_EQ(measured_game(plan.games[0], plan.variants[0]).roles[0].rewards[2].weight, -0.01);
  test::write_file(folder / "wrong.toml", "games = [\"pond\"]\nseed = [1]\n");
  EXPECT_NE(test::error_of([&] { load_plan(folder / "wrong.toml", find); }).fix().find("'seeds'"),
            std::string::npos);
}

// ---- running

TEST(Study, TrainsByEvolutionToo) {
  const test::TemporaryFolder folder;
  StudyPlan plan = pond_plan();
  plan.learner = EvolutionSettings{.policy_layers = {8},
                                   .episodes = 2,
                                   .finalists = 2,
                                   .final_episodes = 2,
                                   .genetic = {.population = 20}};
  plan.variants = {
      {.name = "fixed"},
      {.name = "grown", .method = "topology", .learner = {{"population", 20}, {"episodes", 2}}},
      {.name = "taught", .method = "ppo", .learner = {{"lanes", 16}, {"horizon", 32}}}};
  const Study study = run_study(plan, {.folder = folder / "s", .threads = 2});
  ASSERT_EQ(study.count(StudyRunStatus::done), 6u);
  std::vector<std::string> methods;
  for (const StudyRun& run : study.runs())
    if (run.seed == 1)
      methods.push_back(Run::open(study.run_folder(run)).settings().learner.method());
  EXPECT_EQ(methods, (std::vector<std::string>{"genetic", "topology", "ppo"}));
  const Study again = run_study(plan, {.folder = folder / "one", .threads = 1});
  EXPECT_EQ(values_of(again), values_of(study));
}

TEST(Study, IsTheSameOnAnyNumberOfThreadsAndInterrupted) {
  const test::TemporaryFolder folder;
  const auto run = [&](const char* name, std::size_t threads) {
    return run_study(pond_plan(), {.folder = folder / name, .threads = threads});
  };
  const Study one = run("one", 1), three = run("three", 3), nine = run("nine", 9);
  ASSERT_EQ(one.count(StudyRunStatus::done), 4u);
  EXPECT_EQ(values_of(one), values_of(three));
  EXPECT_EQ(values_of(one), values_of(nine));
  EXPECT_FALSE(one.runs()[0].measured == one.runs()[1].measured &&
               one.runs()[0].measured == one.runs()[2].measured &&
               one.runs()[0].measured == one.runs()[3].measured);

  // Stopped after every few updates.
  int sittings = 0;
  for (Existing existing = Existing::refuse; sittings < 100; existing = Existing::resume) {
    std::atomic<bool> stop{false};
    int updates = 0;
    StudyOptions options{
        .folder = folder / "torn", .threads = 2, .existing = existing, .stop = &stop};
    options.on_progress = [&](const StudyProgress&) { stop = ++updates >= 3; };
    ++sittings;
    const Study torn = run_study(pond_plan(), options);
    if (torn.count(StudyRunStatus::unfinished) > 0) continue;
    EXPECT_EQ(values_of(torn), values_of(one));
    break;
  }
  EXPECT_GT(sittings, 3);
  EXPECT_LT(sittings, 100);
  EXPECT_EQ(values_of(Study::open(folder / "torn")), values_of(one));
}

TEST(Study, IsExtendedButNeverMixed) {
  const test::TemporaryFolder folder;
  StudyPlan plan = pond_plan();
  const Study before = run_study(plan, {.folder = folder / "s"});
  EXPECT_EQ(test::error_of([&] { run_study(plan, {.folder = folder / "s"}); }).kind(),
            ErrorKind::refused);
  plan.seeds = {2, 1, 3};
  plan.variants.push_back({.name = "slow", .set = {{"term.hurry", -0.001}}});
  const Study after = run_study(plan, {.folder = folder / "s", .existing = Existing::resume});
  ASSERT_EQ(after.runs().size(), 9u);
  EXPECT_EQ(after.count(StudyRunStatus::done), 9u);
  for (std::size_t i = 0; i < before.runs().size(); ++i)
    EXPECT_EQ(after.runs()[i].measured, before.runs()[i].measured);
  EXPECT_EQ(after.values("duck_pond", "slow", "success").size(), 3u);

  const auto refused = [&](auto change) {
    StudyPlan other = plan;
    change(other);
    const Error error = test::error_of(
        [&] { run_study(other, {.folder = folder / "s", .existing = Existing::resume}); });
    EXPECT_EQ(error.kind(), ErrorKind::refused);
    return error.problem();
  };
  EXPECT_NE(refused([](auto& p) { p.steps = 4000; }).find("steps: 4000 here, 8000 there"),
            std::string::npos);
  EXPECT_NE(refused([](auto& p) {
              p.seeds = {1, 2};
            }).find("the seed 3 is missing"),
            std::string::npos);
  EXPECT_NE(refused([](auto& p) { p.variants.pop_back(); }).find("'slow' is missing"),
            std::string::npos);
  EXPECT_NE(refused([](auto& p) { p.games[0].cutoffs.steps = 59; }).find("cutoffs.steps"),
            std::string::npos);
  EXPECT_NE(refused([](auto& p) { p.measures = {"success"}; }).find("measures"), std::string::npos);
}

TEST(Study, RefusesOtherFoldersAndOneThatIsBeingWritten) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directories(folder / "mine");
  test::write_file(folder / "mine/diary.txt", "dear diary");
  EXPECT_EQ(test::error_of([&] { run_study(pond_plan(), {.folder = folder / "mine"}); }).kind(),
            ErrorKind::refused);
  EXPECT_EQ(test::read_file(folder / "mine/diary.txt"), "dear diary");
  EXPECT_EQ(test::error_of([&] { Study::open(folder / "mine"); }).kind(), ErrorKind::file);
  EXPECT_EQ(test::error_of([&] {
              run_study(pond_plan(), {.folder = folder / "none", .existing = Existing::resume});
            }).kind(),
            ErrorKind::refused);
  std::string said;
  StudyOptions options{.folder = folder / "s", .threads = 1};
  options.on_progress = [&](const StudyProgress&) {
    if (said.empty())
      said = test::error_of([&] {
               run_study(pond_plan(), {.folder = folder / "s", .existing = Existing::resume});
             }).problem();
  };
  run_study(pond_plan(), options);
  EXPECT_NE(said.find("another study is writing"), std::string::npos);
}

TEST(Study, NotesARunThatFailsAndGoesOn) {
  const test::TemporaryFolder folder;
  StudyPlan plan = pond_plan();
  plan.variants[1] = {.name = "wild",
                      .learner = {{"learning_rate", 1e30}, {"gradient_limit", 1e30}}};
  plan.seeds = {1};
  const Study study = run_study(plan, {.folder = folder / "s"});
  EXPECT_EQ(study.count(StudyRunStatus::done), 1u);
  ASSERT_EQ(study.count(StudyRunStatus::failed), 1u);
  EXPECT_NE(study.runs()[1].error.find("not finite"), std::string::npos) << study.runs()[1].error;
  EXPECT_TRUE(study.values("duck_pond", "wild", "success").empty());
}

TEST(Study, MeasuresByTheGamesOwnWeights) {
  const test::TemporaryFolder folder;
  StudyPlan plan = pond_plan();
  plan.seeds = {1};
  plan.measures = {"term.hurry", "length", "steps_to_target"};
  plan.target = 0.0;
  const Study study = run_study(plan, {.folder = folder / "s"});
  for (const StudyRun& run : study.runs()) {
    // Not -0.1 in a hurry.
    EXPECT_NEAR(run.measured[0], -0.01 * run.measured[1], 1e-4) << run.variant;
    EXPECT_GT(run.measured[2], 0.0);
    EXPECT_LE(run.measured[2], 8000.0 + 512.0);
  }
  plan.target = 1.0;
  const Study never = run_study(plan, {.folder = folder / "never"});
  EXPECT_TRUE(std::isinf(never.runs()[0].measured[2]));
}

TEST(Study, CountsEventsWhateverTheyPay) {
  const test::TemporaryFolder folder;
  GameSpec game = test::duck_pond();
  // It never rests.
  for (Option& option : std::get<Choice>(game.role("duck").controls[0]).options) option.value = 1.0;
  game.role("duck").rewards.push_back(
      {.name = "bump",
       .weight = 0.0,
       .on = EventTrigger{.event = EventKind::touch, .with = {"bank"}}});
  StudyPlan plan{.games = {game}, .seeds = {1}, .steps = 600, .learner = small};
  plan.variants = {{.name = "free"}, {.name = "dear", .set = {{"term.bump", -1.0}}}};
  plan.episodes = 200;
  plan.measures = {"events.bump", "term.bump"};
  const Study study = run_study(plan, {.folder = folder / "s"});
  for (const StudyRun& run : study.runs()) {
    EXPECT_GT(run.measured[0], 0.01) << run.variant;
    EXPECT_EQ(run.measured[1], 0.0);
  }
}

// ---- sweeps and ablations

// A share has an interval of shares, whatever few seeds say; where all agree, their episodes leave
// room still.
TEST(MeasureInterval, StaysWithinWhatAMeasureCanBe) {
  const std::vector<double> apart{0.05, 0.95, 0.2}, none{0.0, 0.0, 0.0}, all{1.0, 1.0, 1.0};
  const Interval wide = measure_interval("success", apart, 200);
  EXPECT_GE(wide.low, 0);
  EXPECT_LE(wide.high, 1);
  EXPECT_GT(wide.high - wide.low, 0.8);
  EXPECT_LT(measure_interval("return", apart, 200).low, 0) << "returns have no bounds";
  const Interval never = measure_interval("success", none, 100);
  EXPECT_EQ(never.low, 0);
  EXPECT_GT(never.high, 0.005);
  EXPECT_LT(never.high, 0.05);
  EXPECT_LT(measure_interval("success", all, 100).low, 0.995);
  const Interval quiet = measure_interval("events.bump", none, 100);
  EXPECT_EQ(quiet.mean, 0);
  EXPECT_NEAR(quiet.high, 3.6889 / 300, 1e-5);
  EXPECT_EQ(measure_interval("events.bump", std::vector<double>{0.1, 9, 30}, 100).low, 0);
  const Interval better = measure_difference("success", all, std::vector<double>{0.0, 0.1, 0.0});
  EXPECT_LE(better.high, 1);
}

TEST(MeasureInterval, SaysWhichSeedsAreTooFew) {
  EXPECT_NE(too_few_seeds(1), "");
  EXPECT_NE(too_few_seeds(2), "");
  EXPECT_EQ(too_few_seeds(3), "");
}

TEST(Sweep, AxesAreRangesOrLists) {
  const GridAxis range = parse_axis("term.hurry=-0.2:0:3", "--grid");
  EXPECT_EQ(range.key, "term.hurry");
  EXPECT_EQ(range.values, (std::vector<Value>{-0.2, -0.1, 0.0}));
  EXPECT_EQ(parse_axis("lanes=0:9:10", "").values.back(), Value(9));
  const GridAxis fine = parse_axis("a=-0.45:0:10", "");
  EXPECT_EQ(fine.values[8], Value(-0.05));
  EXPECT_EQ(fine.values[9], Value(0.0));
  EXPECT_EQ(parse_axis("a=0.5,2,word", "").values, (std::vector<Value>{0.5, 2, "word"}));
  EXPECT_EQ(parse_axis("a=[1, 2],[3]", "").values.size(), 2u);
  for (const char* wrong : {"", "key", "=1", "key=", "key=1:2:1", "key=1:b:3", "key=1,1"})
    EXPECT_EQ(test::error_of([&] { parse_axis(wrong, "--grid"); }).kind(), ErrorKind::usage)
        << wrong;
  EXPECT_EQ(test::error_of([] { sweep_plan({}, {}); }).kind(), ErrorKind::usage);
}

TEST(Sweep, FillsItsTableAsTrialsAreFinished) {
  const test::TemporaryFolder folder;
  StudyPlan plan = pond_plan();
  const std::vector<GridAxis> axes{{"term.hurry", {-0.1, 0}}, {"learner.epochs", {1, 2, 3}}};
  plan = sweep_plan(plan, axes);
  plan.steps = 600;
  EXPECT_EQ(axes_of(plan), axes);
  EXPECT_EQ(axes_of(parse_resolved_plan(to_toml(plan), "text")), axes);
  StudyPlan finer = plan;
  finer.variants.push_back(
      {.name = "between", .set = {{"term.hurry", -0.05}}, .learner = {{"epochs", 2}}});
  EXPECT_EQ(axes_of(finer)[0].values, (std::vector<Value>{-0.1, -0.05, 0}));
  std::atomic<bool> stop{false};
  StudyOptions options{.folder = folder / "s", .threads = 1, .stop = &stop};
  options.on_progress = [&](const StudyProgress& p) { stop = p.done >= 8; };
  const SweepTable half = sweep_table(run_study(plan, options), "length");
  ASSERT_EQ(half.cells.size(), 6u);
  EXPECT_EQ(half.x.values.size(), 2u);
  EXPECT_EQ(half.cells[0].runs, 2u);
  EXPECT_EQ(half.cells[5].runs, 1u);  // seed by seed: each cell has one before any has two
  options.stop = nullptr;
  options.existing = Existing::resume;
  const Study study = run_study(plan, options);
  const SweepTable whole = sweep_table(study, "length");
  for (std::size_t k = 0; k < 6; ++k) {
    EXPECT_EQ(whole.cells[k].runs, 2u);
    const auto values = study.values("duck_pond", study.plan().variants[k].name, "length");
    EXPECT_EQ(whole.cells[k].value->mean, interquartile_mean(values));
  }
  EXPECT_EQ(test::error_of([&] { sweep_table(study, "lenght"); }).kind(), ErrorKind::usage);
  EXPECT_EQ(test::error_of([&] { ablation_table(study); }).kind(), ErrorKind::refused);
  EXPECT_EQ(test::error_of([] { axes_of(pond_plan()); }).kind(), ErrorKind::refused);
}

TEST(Ablation, FindsWhatMattersAndNotWhatDoesNot) {
  const test::TemporaryFolder folder;
  GameSpec game = test::duck_pond();
  game.role("duck").rewards.push_back(
      {.name = "idle",
       .weight = 1.0,
       .on = EventTrigger{.event = EventKind::launch}});  // never happens
  StudyPlan plan{.games = {game}, .seeds = {1, 2, 3}, .steps = 200'000, .learner = thorough};
  plan.episodes = 200;
  plan.measures = {"success"};
  plan = ablation_plan(plan);
  ASSERT_EQ(plan.variants.size(), 1u + 4u + 3u);
  std::erase_if(plan.variants, [](const Variant& v) {
    return v.name != "as it is" && v.name != "without sense.compass" &&
           v.name != "without term.idle";
  });
  const auto rows = ablation_table(run_study(plan, {.folder = folder / "s"}));
  ASSERT_EQ(rows.size(), 3u);
  EXPECT_EQ(rows[0].part, "");
  EXPECT_GT(rows[0].value.mean, 0.8);
  for (const AblationRow& row : rows) {
    if (row.part == "sense.compass") {
      EXPECT_EQ(row.verdict, AblationRow::Verdict::helps)
          << row.effect.low << " " << row.effect.high;
    }
    if (row.part == "term.idle") {
      EXPECT_EQ(row.verdict, AblationRow::Verdict::not_shown);
      EXPECT_EQ(row.effect.mean, 0.0);  // what never pays changes no bit
    }
  }
  EXPECT_EQ(ablation_plan(plan, {.terms = false}).variants.size(), 4u);
  EXPECT_EQ(test::error_of([&] { ablation_plan(plan, {.terms = false, .senses = false}); }).kind(),
            ErrorKind::usage);
}

// ---- comparisons

TEST(Comparison, GroupsRunsByNameAndFindsTheBetter) {
  const test::TemporaryFolder folder;
  const TrainOptions options{.folder = folder / "good",
                             .steps = 200'000,
                             .checkpoint_every = 10'000,
                             .learner = thorough,
                             .threads = 3};
  const auto runs = train_seeds(test::duck_pond(), options, {1, 2, 3});
  ASSERT_EQ(runs.size(), 3u);
  train(test::duck_pond(), {.folder = folder / "alone",
                            .steps = 200'000,
                            .seed = 2,
                            .checkpoint_every = 10'000,
                            .learner = thorough});
  EXPECT_EQ(test::read_file(runs[1].last_checkpoint()),
            test::read_file(folder / "alone/checkpoints/last.safetensors"));
  for (const std::uint64_t seed : {1u, 2u, 3u})
    train(test::duck_pond(), {.folder = folder / ("poor-" + std::to_string(seed)),
                              .steps = 600,
                              .seed = seed,
                              .learner = thorough});
  const auto groups =
      group_runs({folder / "poor-1", folder / "good", folder / "poor-2", folder / "poor-3"});
  ASSERT_EQ(groups.size(), 2u);
  EXPECT_EQ(groups[0].name, (folder / "poor").string());
  EXPECT_EQ(groups[0].runs.size(), 3u);
  EXPECT_EQ(groups[1].name, (folder / "good").string());
  const Comparison c = compare(groups, {.target = 0.7});
  ASSERT_EQ(c.groups.size(), 2u);
  EXPECT_GT(c.groups[1].difference.low, 0.0);
  EXPECT_EQ(c.groups[1].improvement.mean, 1.0);
  EXPECT_EQ(c.groups[1].reached, 3u);
  EXPECT_GT(c.groups[1].steps_to_target, 4096.0);
  EXPECT_LT(c.groups[1].steps_to_target, 200'000.0);
  EXPECT_EQ(c.groups[0].reached, 0u);
  EXPECT_TRUE(std::isinf(c.groups[0].steps_to_target));
  EXPECT_EQ(c.groups[1].curve.steps.size(), 100u);
  EXPECT_GT(c.groups[1].curve.mean.back(), c.groups[1].curve.mean.front());
  EXPECT_EQ(compare(groups, {.target = 0.7, .threads = 1}).to_json(), c.to_json());

  const auto scores = evaluate_checkpoints(runs[0]);
  ASSERT_GE(scores.size(), 5u);
  EXPECT_GT(scores.back().success.low, scores.front().success.high);
  EXPECT_EQ(scores.back().steps, runs[0].steps_done());

  const auto error = [&](std::vector<std::filesystem::path> named) {
    return test::error_of([&] { compare(group_runs(named)); });
  };
  EXPECT_EQ(error({folder / "none"}).kind(), ErrorKind::file);
  train(test::mooring(), {.folder = folder / "poor-4", .steps = 600, .learner = thorough});
  EXPECT_NE(error({folder / "poor-1", folder / "poor-4"})
                .problem()
                .find("differ by more than their seeds"),
            std::string::npos);
}

TEST(Comparison, TakesTheVariantsOfAStudy) {
  const test::TemporaryFolder folder;
  run_study(pond_plan(), {.folder = folder / "s"});
  const auto groups = group_runs({folder / "s"});
  ASSERT_EQ(groups.size(), 2u);
  EXPECT_EQ(groups[1].name, "in a hurry");
  EXPECT_EQ(groups[1].runs.size(), 2u);
  EXPECT_EQ(compare(groups, {.episodes = 20}).groups[0].success,
            Study::open(folder / "s").values("duck_pond", "as it is", "success"));
}

TEST(Seeds, OfSoManyGenerationsKnowHowFarTheyAre) {
  const test::TemporaryFolder folder;
  TrainingProgress last;
  TrainOptions options{
      .folder = folder / "r", .threads = 2, .on_progress = [&](const TrainingProgress& p) {
        EXPECT_GE(p.total, p.steps);
        last = p;
      }};
  options.learner = EvolutionSettings{.genetic = {.population = 6}};
  options.generations = 3;
  std::int64_t all = 0;
  for (const zithercraft::Run& run : train_seeds(test::duck_pond(), options, {1, 2}))
    all += run.steps_done();
  EXPECT_EQ(last.steps, all);
  EXPECT_EQ(last.total, all);
}

TEST(TrainSeeds, RefusesWhatMakesNoSense) {
  const TrainOptions options{.folder = "nowhere", .steps = 100, .learner = small};
  EXPECT_EQ(test::error_of([&] { train_seeds(test::duck_pond(), options, {}); }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([&] {
              train_seeds(test::duck_pond(), options, {1, 1});
            }).kind(),
            ErrorKind::usage);
  EXPECT_FALSE(std::filesystem::exists("nowhere"));
}

}  // namespace
}  // namespace zithercraft
