// Evolutions through the tool: they make runs like any other.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Evolved : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new test::TemporaryFolder;
    const auto grown =
        train("topology", "grown", {"--generations", "12", "--learner", "population=40"});
    ASSERT_EQ(grown.status, 0) << grown.err;
    told = json::parse(grown.out);
    const auto fixed = train(
        "genetic", "fixed",
        {"--generations", "11", "--learner", "population=30", "--learner", "policy_layers=[8]"});
    ASSERT_EQ(fixed.status, 0) << fixed.err;
  }
  static void TearDownTestSuite() { delete folder; }
  static std::string path(const std::string& name) { return (*folder / name).string(); }
  static test::ToolResult train(const std::string& method, const std::string& run,
                                std::vector<std::string> more) {
    std::vector<std::string> words{"train",     "mooring",         "--method",  method,
                                   "--run",     path(run),         "--quiet",   "--json",
                                   "--learner", "episodes=2",      "--learner", "finalists=2",
                                   "--learner", "final_episodes=4"};
    words.insert(words.end(), more.begin(), more.end());
    return test::run_tool(words);
  }
  static inline test::TemporaryFolder* folder = nullptr;
  static inline json told;
};

TEST_F(Evolved, RunsTellWhatTheyAre) {
  EXPECT_EQ(told["method"], "topology");
  EXPECT_EQ(told["generations"], 12);
  EXPECT_EQ(told["finished"], true);
  const std::string configuration = test::read_file(path("grown") + "/run.toml");
  EXPECT_NE(configuration.find("method = 'topology'"), std::string::npos);
  EXPECT_NE(configuration.find("new_node"), std::string::npos);
  EXPECT_EQ(configuration.find("policy_layers"),
            std::string::npos);  // which networks that grow do not have
  // How it began is kept too.
  std::size_t kept = 0;
  for (const auto& entry : std::filesystem::directory_iterator(path("grown") + "/checkpoints")) {
    static_cast<void>(entry);
    ++kept;
  }
  EXPECT_EQ(kept, 4u);  // generations 1, 10 and 12, and the last
}

TEST_F(Evolved, ActionsAreSampledByThoseThatWereEvolvedToDrawThem) {
  ASSERT_EQ(test::run_tool({"train", "mooring", "--method", "genetic", "--generations", "2",
                            "--learner", "population=8", "--learner", "sampled=true", "--run",
                            path("drawing"), "--quiet"})
                .status,
            0);
  const auto actions = [&](std::vector<std::string> extra) {
    std::vector<std::string> command{"evaluate",  path("drawing"), "--episodes", "2",
                                     "--against", "random",        "--json"};
    command.insert(command.end(), extra.begin(), extra.end());
    return json::parse(test::run_tool(command).out)["actions"];
  };
  EXPECT_EQ(actions({}), "sampled");
  EXPECT_EQ(actions({"--greedy"}), "greedy");
  const auto recorded = [&](std::vector<std::string> extra) {
    std::vector<std::string> command{"record",         path("drawing"), "--out",
                                     path("how.zrep"), "--episodes",    "2"};
    command.insert(command.end(), extra.begin(), extra.end());
    EXPECT_EQ(test::run_tool(command).status, 0);
    return test::read_file(path("how.zrep"));
  };
  const std::string usual = recorded({});
  EXPECT_EQ(usual, recorded({"--sampled"}));
  EXPECT_NE(usual, recorded({"--greedy"}));
  EXPECT_EQ(test::run_tool(
                {"record", path("drawing"), "--out", path("how.zrep"), "--greedy", "--sampled"})
                .status,
            2);
}

TEST_F(Evolved, RunsAreScoredRecordedComparedAndWatchedByTheDoctor) {
  const auto scored =
      test::run_tool({"evaluate", path("grown"), "--episodes", "20", "--json", "--quiet"});
  ASSERT_EQ(scored.status, 0) << scored.err;
  EXPECT_EQ(json::parse(scored.out)["players"][0]["name"], "trained");
  ASSERT_EQ(
      test::run_tool({"record", path("grown"), "--out", path("grown.zrep"), "--episodes", "2"})
          .status,
      0);
  EXPECT_EQ(test::run_tool({"replay", path("grown.zrep"), "--check"}).status, 0);
  ASSERT_EQ(test::run_tool({"record", path("grown"), "--out", path("drawn.zrep"), "--episodes", "2",
                            "--sampled"})
                .status,
            0);
  EXPECT_EQ(test::run_tool({"replay", path("drawn.zrep"), "--check"}).status, 0);
  EXPECT_NE(test::read_file(path("drawn.zrep")), test::read_file(path("grown.zrep")));
  const auto compared = test::run_tool(
      {"compare", path("grown"), path("fixed"), "--episodes", "20", "--json", "--quiet"});
  EXPECT_EQ(compared.status, 0) << compared.err;
  const auto doctor = test::run_tool(
      {"doctor", "mooring", "--run", path("grown"), "--steps", "2000", "--json", "--quiet"});
  EXPECT_LT(doctor.status, 10) << doctor.err;
  EXPECT_EQ(doctor.out.find("value explains nothing"), std::string::npos);
  const auto match = test::run_tool(
      {"match", path("grown"), path("fixed"), "--game", "mooring", "--episodes", "2"});
  EXPECT_NE(match.status, 70) << match.err;
}

TEST_F(Evolved, CurvesAreThoseOfGenerations) {
  ASSERT_EQ(test::run_tool({"report", path("grown"), "--csv", path("grown.csv"), "--html",
                            path("grown.html"), "--episodes", "10", "--quiet"})
                .status,
            0);
  const std::string csv = test::read_file(path("grown.csv")), head = csv.substr(0, csv.find('\n'));
  EXPECT_NE(head.find(",generation,best,mean,fitness_stddev,"), std::string::npos) << head;
  EXPECT_EQ(head.find("entropy"), std::string::npos);
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 13);
  const std::string page = test::read_file(path("grown.html"));
  EXPECT_NE(page.find("Individuals by species"), std::string::npos);
}

TEST_F(Evolved, ResumingGivesWhatOneSittingGives) {
  for (const std::string method : {"genetic", "topology", "cma", "es"}) {
    const std::string population = method == "cma" ? "population=8" : "population=20";
    ASSERT_EQ(
        train(method, method + "-whole", {"--generations", "6", "--learner", population}).status,
        0);
    ASSERT_EQ(train(method, method + "-parts",
                    {"--generations", "2", "--learner", population, "--threads", "1"})
                  .status,
              0);
    ASSERT_EQ(test::run_tool({"train", "mooring", "--run", path(method + "-parts"), "--generations",
                              "6", "--resume", "--quiet"})
                  .status,
              0);
    // Schedules know how long the training is meant to be, so those without one must agree.
    if (method == "genetic" || method == "es") continue;
    EXPECT_EQ(test::read_file(path(method + "-whole") + "/checkpoints/last.safetensors"),
              test::read_file(path(method + "-parts") + "/checkpoints/last.safetensors"))
        << method;
  }
  const auto other = test::run_tool(
      {"train", "mooring", "--run", path("cma-parts"), "--method", "es", "--resume", "--quiet"});
  EXPECT_EQ(other.status, 5);
  EXPECT_NE(other.err.find("trains by cma"), std::string::npos) << other.err;
}

TEST_F(Evolved, NetworksAreToldAndDrawn) {
  const auto shown = test::run_tool({"network", path("grown"), "--graph", path("graph.png"),
                                     "--weights", path("weights.svg"), "--column", "rudder"});
  ASSERT_EQ(shown.status, 0) << shown.err;
  EXPECT_NE(shown.out.find("102 inputs"), std::string::npos) << shown.out;
  EXPECT_NE(shown.out.find("links of rudder"), std::string::npos) << shown.out;
  EXPECT_TRUE(test::read_file(path("graph.png")).starts_with("\x89PNG"));
  EXPECT_NE(test::read_file(path("weights.svg")).find("<svg"), std::string::npos);
  const auto fixed = test::run_tool(
      {"network", path("fixed"), "--json", "--graph", path("free.svg"), "--layout", "free"});
  ASSERT_EQ(fixed.status, 0) << fixed.err;
  const json network = json::parse(fixed.out);
  EXPECT_EQ(network["grown"], false);
  EXPECT_EQ(network["nodes"].size(), 102u + 8u + 2u);
  EXPECT_EQ(network["links"].size(), 102u * 8u + 8u * 2u);
  const auto wrong = test::run_tool({"network", path("grown"), "--column", "ruder"});
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.err.find("rudder"), std::string::npos) << wrong.err;
  EXPECT_EQ(test::run_tool({"network", path("grown"), "--graph", path("graph.bmp")}).status, 2);
  EXPECT_EQ(test::run_tool({"network", path("nowhere")}).status, 2);
}

TEST_F(Evolved, MistakesAreNamed) {
  const auto error_of = [&](std::vector<std::string> more, int status) {
    std::vector<std::string> words{"train", "mooring", "--run", path("wrong"), "--quiet"};
    words.insert(words.end(), more.begin(), more.end());
    const auto run = test::run_tool(words);
    EXPECT_EQ(run.status, status) << run.err;
    EXPECT_FALSE(std::filesystem::exists(path("wrong") + "/run.toml"));
    return run.err;
  };
  EXPECT_NE(error_of({"--method", "genetics"}, 2).find("genetic"), std::string::npos);
  EXPECT_NE(error_of({"--generations", "5"}, 2).find("--method"), std::string::npos);
  EXPECT_NE(error_of({"--method", "cma", "--lanes", "5"}, 2).find("--lanes"), std::string::npos);
  EXPECT_NE(error_of({"--method", "cma", "--learner", "new_node=0.5"}, 3).find("new_node"),
            std::string::npos);
  EXPECT_NE(error_of({"--method", "genetic", "--learner", "elites=256"}, 3).find("elites"),
            std::string::npos);
  EXPECT_NE(error_of({"--method", "es", "--learner", "population=3"}, 3).find("even"),
            std::string::npos);
  EXPECT_NE(error_of({"--method", "topology", "--learner", "first_links=[\"nose > rudder\"]"}, 3)
                .find("nose"),
            std::string::npos);
  EXPECT_NE(error_of({"--method", "genetic", "--learner", "skiff:population=3"}, 3).find("share"),
            std::string::npos);
  error_of({"--method", "genetic", "--steps", "5", "--generations", "5"}, 2);
}

TEST_F(Evolved, BeginsFromARun) {
  const auto run =
      train("genetic", "further",
            {"--generations", "1", "--learner", "population=10", "--from", path("fixed")});
  ASSERT_EQ(run.status, 0) << run.err;
  const auto wrong = train("topology", "wrong", {"--generations", "1", "--from", path("fixed")});
  EXPECT_EQ(wrong.status, 5);
  EXPECT_NE(wrong.err.find("fixed"), std::string::npos) << wrong.err;
}

}  // namespace
}  // namespace zithercraft
