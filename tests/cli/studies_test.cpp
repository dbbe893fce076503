// Sweeps, ablations, plans and comparisons through the tool.

#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Studies : public ::testing::Test {
 protected:
  Studies() { test::write_file(folder_ / "pond.toml", to_toml(test::duck_pond())); }
  std::string path(const std::string& name) const { return (folder_ / name).string(); }
  std::vector<std::string> with_game(const std::string& command,
                                     std::vector<std::string> more) const {
    std::vector<std::string> words{command,     path("pond.toml"), "--learner",
                                   "lanes=16",  "--learner",       "horizon=32",
                                   "--learner", "minibatch=256",   "--quiet"};
    words.insert(words.end(), more.begin(), more.end());
    return words;
  }
  std::vector<std::string> sweep(const std::string& out, std::vector<std::string> more = {}) const {
    std::vector<std::string> words{"--grid",     "term.hurry=-0.1:0:3",
                                   "--grid",     "learner.epochs=1,2",
                                   "--seeds",    "1,2",
                                   "--steps",    "20000",
                                   "--episodes", "20",
                                   "--measure",  "success",
                                   "--measure",  "length",
                                   "--out",      path(out)};
    words.insert(words.end(), more.begin(), more.end());
    return with_game("sweep", words);
  }

  test::TemporaryFolder folder_;
};

// What does not depend on how long it took.
json results(const test::ToolResult& run) {
  EXPECT_EQ(run.status, 0) << run.err;
  const json j = json::parse(run.out);
  return {j["results"], j["found"]};
}

TEST_F(Studies, SpeedSaysWhereTheTimeGoes) {
  const auto said = test::run_tool(with_game("speed", {"--seconds", "0.02", "--threads", "1"}));
  ASSERT_EQ(said.status, 0) << said.err;
  EXPECT_NE(said.out.find("steps/s learned on 16 lanes, 1 thread"), std::string::npos) << said.out;
  EXPECT_NE(said.out.find("network.learn"), std::string::npos) << said.out;
  EXPECT_EQ(said.err, "") << "it is quiet";
  const json told = json::parse(
      test::run_tool(with_game("speed", {"--seconds", "0.02", "--threads", "1", "--json"})).out);
  EXPECT_EQ(told.at("usual").at("lanes"), 16);
  EXPECT_EQ(test::run_tool({"speed", path("pond.toml"), "--method", "ppoo"}).status, 2);
  EXPECT_EQ(test::run_tool({"speed", path("pond.toml"), "--seconds", "-1"}).status, 2);
  const auto doctor = test::run_tool({"doctor", path("pond.toml"), "--quiet"});
  EXPECT_NE(doctor.out.find("us to play on one thread"), std::string::npos) << doctor.out;
}

TEST_F(Studies, ASweepKilledTenTimesEndsLikeOneThatWasNot) {
  const auto whole = test::run_tool(sweep("whole", {"--threads", "2", "--json"}));
  RandomStream random(3, 0, 0, Purpose::user);
  int killed = 0;
  for (int time = 0; time < 10; ++time) {
    const bool begun = std::filesystem::exists(folder_ / "torn/study.toml");
    const int process =
        test::start_tool(sweep("torn", {"--threads", "1", begun ? "--resume" : "--fresh"}));
    std::this_thread::sleep_for(std::chrono::milliseconds(30 + random.below(170)));
    ::kill(process, SIGKILL);
    killed += test::wait_for(process) == 128 + SIGKILL ? 1 : 0;
  }
  EXPECT_GE(killed, 8);
  const auto torn = test::run_tool(sweep("torn", {"--threads", "3", "--resume", "--json"}));
  EXPECT_EQ(results(torn), results(whole));
  EXPECT_EQ(json::parse(whole.out)["results"].size(), 12u);
  for (const char* file :
       {"whole/success.png", "whole/length.png", "whole/report.html", "whole/study.toml"})
    EXPECT_TRUE(std::filesystem::exists(folder_ / file)) << file;
}

TEST_F(Studies, ASweepStoppedBySignalSaysHowToGoOn) {
  const auto words = with_game("sweep", {"--grid", "learner.epochs=1,2", "--seeds", "1,2",
                                         "--steps", "5000000", "--out", path("s")});
  const int process = test::start_tool(words, folder_ / "out", folder_ / "err");
  for (int i = 0; i < 2000 && !std::filesystem::exists(folder_ / "s/runs/0000/metrics.db"); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  ::kill(process, SIGINT);
  EXPECT_EQ(test::wait_for(process), 7) << test::read_file(folder_ / "err");
  const std::string out = test::read_file(folder_ / "out");
  EXPECT_NE(out.find("4 of 4 runs are unfinished; continue with the same command and --resume"),
            std::string::npos)
      << out;
}

TEST_F(Studies, AblationPlanComparisonAndLadder) {
  const auto ablation =
      test::run_tool(with_game("ablate", {"--only", "terms", "--seeds", "1,2", "--steps", "2000",
                                          "--episodes", "20", "--out", path("a")}));
  ASSERT_EQ(ablation.status, 0) << ablation.err;
  EXPECT_EQ(ablation.err, "");
  for (const char* part :
       {"as it is", "without term.nearer", "without term.home", "without term.hurry"})
    EXPECT_NE(ablation.out.find(part), std::string::npos) << part;

  test::write_file(folder_ / "plan.toml",
                   "steps = 2000\ngames = [\"" + path("pond.toml") + "\"]\nseeds = [1, 2]\n" +
                       "episodes = 20\nlearner = { lanes = 16, horizon = 32, minibatch = 256 }\n" +
                       "[[variants]]\nname = \"plain\"\n[[variants]]\nname = \"hasty\"\n" +
                       "set = { \"term.hurry\" = -0.2 }\n");
  const auto study = test::run_tool({"study", path("plan.toml"), "--out", path("s")});
  ASSERT_EQ(study.status, 0) << study.err;
  EXPECT_NE(study.out.find("hasty"), std::string::npos);
  EXPECT_NE(study.err.find("4 of 4 runs"), std::string::npos);

  const auto compared =
      test::run_tool({"compare", path("s"), "--episodes", "20", "--json", "--png", path("c.svg"),
                      "--over", "seconds", "--html", path("c.html")});
  ASSERT_EQ(compared.status, 0) << compared.err;
  const json hasty = json::parse(compared.out)["groups"][1];
  EXPECT_EQ(hasty["name"], "hasty");
  const auto seconds = hasty["curve"]["seconds"].get<std::vector<double>>();
  EXPECT_EQ(seconds.size(), hasty["curve"]["mean"].size());
  EXPECT_TRUE(std::is_sorted(seconds.begin(), seconds.end()));
  EXPECT_GT(seconds.back(), 0.0);
  EXPECT_NE(test::read_file(folder_ / "c.svg").find(">seconds<"), std::string::npos);
  EXPECT_TRUE(std::filesystem::exists(folder_ / "c.html"));

  const auto trained =
      test::run_tool(with_game("train", {"--seeds", "1,2", "--steps", "2000", "--run", path("r")}));
  ASSERT_EQ(trained.status, 0) << trained.err;
  EXPECT_EQ(trained.out.find("run "), 0u) << "headings come first";
  EXPECT_LT(trained.out.find("seed-2"), trained.out.rfind(" 2048 ")) << trained.out;
  const auto checkpoints = test::run_tool({"evaluate", path("r/seed-1"), "--checkpoints",
                                           "--episodes", "20", "--json", "--png", path("l.svg")});
  ASSERT_EQ(checkpoints.status, 0) << checkpoints.err;
  EXPECT_EQ(json::parse(checkpoints.out).back()["steps"], 2048);

  const auto varied =
      test::run_tool({"evaluate", path("r/seed-1"), "--vary", "cutoffs.steps=1,60", "--episodes",
                      "20", "--against", "random", "--png", path("v.png")});
  ASSERT_EQ(varied.status, 0) << varied.err;
  EXPECT_NE(varied.out.find("cutoffs.steps=1 "), std::string::npos) << varied.out;
  const auto listed = test::run_tool(
      {"evaluate", path("r/seed-1"), "--episodes", "20", "--csv", path("e.csv"), "--sampled"});
  ASSERT_EQ(listed.status, 0) << listed.err;
  EXPECT_NE(listed.out.find("sampled actions"), std::string::npos);
  EXPECT_TRUE(test::read_file(folder_ / "e.csv").starts_with("player,episode,"));
}

TEST_F(Studies, TrainByEvolutionWhereAsked) {
  const std::vector<std::string> words{"ablate",     path("pond.toml"),
                                       "--only",     "senses",
                                       "--method",   "topology",
                                       "--learner",  "population=20",
                                       "--learner",  "episodes=2",
                                       "--seeds",    "1",
                                       "--steps",    "3000",
                                       "--episodes", "10",
                                       "--out",      path("grown"),
                                       "--quiet"};
  auto more = words;
  more.emplace_back("--json");
  EXPECT_FALSE(results(test::run_tool(more))[0].empty());
  EXPECT_NE(test::read_file(path("grown") + "/study.toml").find("method = 'topology'"),
            std::string::npos);
  EXPECT_NE(test::read_file(path("grown") + "/runs/0000/run.toml").find("population = 20"),
            std::string::npos);
  // Its method is known when it resumes, and stays.
  more.emplace_back("--resume");
  EXPECT_EQ(test::run_tool(more).status, 0);
  more[5] = "genetic";
  EXPECT_NE(test::run_tool(more).err.find("the study trains by topology"), std::string::npos);
}

TEST_F(Studies, MistakesAreNamed) {
  const auto says = [&](const std::vector<std::string>& words, int status,
                        const std::string& text) {
    const auto run = test::run_tool(words);
    EXPECT_EQ(run.status, status) << run.err;
    EXPECT_NE(run.err.find(text), std::string::npos) << run.err;
    EXPECT_EQ(run.out, "");
  };
  says(sweep("x", {"--grid", "a=1,2"}), 2, "one key or two");
  says(with_game("sweep", {"--grid", "term.hury=1,2", "--out", path("x")}), 3,
       "did you mean 'hurry'");
  says(with_game("sweep", {"--grid", "term.hurry", "--out", path("x")}), 2, "is no axis");
  says(with_game("ablate", {"--out", path("x"), "--seeds", "1,b"}), 2, "'b' is no seed");
  says(with_game("ablate", {"--out", path("x"), "--measure", "sucess"}), 3,
       "did you mean 'success'");
  says(with_game("ablate", {"--out", path("x"), "--method", "genetic"}), 3, "no setting 'lanes'");
  says(with_game("ablate", {"--out", path("x"), "--method", "genes"}), 2,
       "no method is called 'genes'");
  says(with_game("ablate", {"--out", path("x"), "--resume"}), 4, "there is no such study");
  says({"study", path("none.toml"), "--out", path("x")}, 4, "none.toml");
  says({"compare", path("none")}, 4, "there is no such folder");
  says({"evaluate", path("none"), "--checkpoints"}, 4, "there is no such run");
  says(with_game("train", {"--set", "term.hury=1", "--run", path("x")}), 3, "did you mean 'hurry'");
  says(with_game("train", {"--set", "term.hurry", "--run", path("x")}), 2, "sets nothing");
  says(with_game("train", {"--seed", "1", "--seeds", "1,2", "--run", path("x")}), 2,
       "cannot be given both");
  EXPECT_FALSE(std::filesystem::exists(folder_ / "x"));
}

}  // namespace
}  // namespace zithercraft
