// The tool on the demo, as a person or a script would use it.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;
using test::run_tool;

// Rules are shown in plain words; a script that does not fit is only a note.
TEST(Tool, ShowsRulesAndNotesScriptsThatDoNotFit) {
  const std::string store = (test::project_folder() / "examples/bonded_store.toml").string();
  const auto text = run_tool({"show", store});
  EXPECT_EQ(text.status, 0) << text.err;
  EXPECT_NE(text.out.find("unlock: on collect with key: remove gate, tell 'unlocked'"),
            std::string::npos)
      << text.out;
  EXPECT_NE(text.out.find("the watch comes by: every 20 s: bring gate back, place key again"),
            std::string::npos)
      << text.out;
  EXPECT_EQ(text.err, "");
  const auto j = nlohmann::json::parse(run_tool({"show", store, "--json"}).out);
  EXPECT_EQ(j.at("rules").size(), 4u);

  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  const auto trained = run_tool({"train", store, "--set", "roles[0].script=steer_home", "--run",
                                 run, "--steps", "2000", "--quiet"});
  EXPECT_EQ(trained.status, 0) << trained.err;
  EXPECT_NE(trained.err.find("cannot be played by its script"), std::string::npos) << trained.err;
  EXPECT_EQ(run_tool({"evaluate", run, "--against", "script", "--episodes", "2"}).status, 3);
}

TEST(Tool, HelpAndVersionAreEverywhere) {
  const auto help = run_tool({"--help"});
  EXPECT_EQ(help.status, 0);
  for (const char* word :
       {"games", "show", "train", "evaluate", "record", "replay", "report", "Exit status"})
    EXPECT_NE(help.out.find(word), std::string::npos) << word;
  for (const char* command : {"games", "show", "train", "evaluate", "record", "replay", "report"}) {
    const auto own = run_tool({command, "--help"});
    EXPECT_EQ(own.status, 0);
    EXPECT_NE(own.out.find("--json"), std::string::npos) << command;
  }
  EXPECT_EQ(run_tool({"--version"}).out, "0.1.0\n");
}

TEST(Tool, IsFoundByTheWordsOfTheTrade) {
  const std::string help = run_tool({"--help"}).out;
  for (const char* word : {"reinforcement learning", "neuroevolution", "environment", "evaluate",
                           "polic", "agent", "deterministic", "self-play", "curricul"})
    EXPECT_NE(help.find(word), std::string::npos) << word;
}

TEST(Tool, GamesListsTheDemos) {
  EXPECT_NE(run_tool({"games"}).out.find("mooring      A skiff"), std::string::npos);
  const json list = json::parse(run_tool({"games", "--json"}).out);
  EXPECT_EQ(list[0]["name"], "mooring");
}

TEST(Tool, ShowListsEveryColumnAndControl) {
  const auto text = run_tool({"show", "mooring"});
  EXPECT_EQ(text.status, 0);
  for (const char* line :
       {"rays[0..23].hull", "compass.distance           m", "own.turn_rate              rad/s",
        "throttle                   share of full    -0.50    1.00",
        "moored                     5              success"})
    EXPECT_NE(text.out.find(line), std::string::npos) << line;
  const json game = json::parse(
      run_tool({"show", (test::project_folder() / "demos/mooring.toml").string(), "--json"}).out);
  EXPECT_EQ(game["roles"][0]["columns"].size(), 102u);
  EXPECT_EQ(game["roles"][0]["columns"][3]["scale"], 15.0);
  EXPECT_EQ(game["roles"][0]["controls"][1]["kind"], "dial");
  EXPECT_EQ(game["tags"], (json{"hull", "skiff", "berth", "quay"}));
}

// One small run serves the commands that need one.
class ToolRun : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new test::TemporaryFolder;
    trained = run_tool(
        {"train", "mooring", "--run", run(), "--steps", "60000", "--lanes", "32", "--seed", "4"});
  }
  static void TearDownTestSuite() { delete folder; }
  static std::string run() { return (*folder / "run").string(); }
  static std::string file(const std::string& name) { return (*folder / name).string(); }
  static inline test::TemporaryFolder* folder = nullptr;
  static inline test::ToolResult trained;
};

TEST_F(ToolRun, TrainReportsPlainLinesAndTheResult) {
  EXPECT_EQ(trained.status, 0) << trained.err;
  EXPECT_NE(trained.err.find("100.0%"), std::string::npos);
  EXPECT_NE(trained.err.find("success"), std::string::npos);
  EXPECT_EQ(trained.err.find('\r'), std::string::npos);  // no live line where there is no terminal
  EXPECT_NE(trained.out.find("trained 61440 steps"), std::string::npos);
  EXPECT_TRUE(std::filesystem::exists(run() + "/checkpoints/last.safetensors"));
  const auto again = run_tool({"train", "mooring", "--run", run(), "--resume", "--json"});
  EXPECT_EQ(again.status, 0) << again.err;
  EXPECT_EQ(json::parse(again.out)["finished"], true);
}

TEST_F(ToolRun, CurvesBecomeATable) {
  const auto written = run_tool({"report", run(), "--csv", file("curves.csv"), "--json"});
  EXPECT_EQ(written.status, 0) << written.err;
  EXPECT_EQ(json::parse(written.out)["csv"], file("curves.csv"));
  EXPECT_TRUE(test::read_file(file("curves.csv")).starts_with("steps,episodes,stage,"));
  const auto nothing = run_tool({"report", run()});
  EXPECT_EQ(nothing.status, 2);
  EXPECT_NE(nothing.err.find("give --html FILE, --csv FILE, or both"), std::string::npos);
}

TEST_F(ToolRun, ASkillIsContinuedWithOtherSettingsAndTellsWhereTimeWent) {
  const auto next =
      run_tool({"train", "mooring", "--run", file("next"), "--steps", "20000", "--lanes", "32",
                "--from", run(), "--freeze", "policy.hidden.0", "--learner", "memory=8",
                "--learner", "learning_rate_decay=cosine", "--profile"});
  EXPECT_EQ(next.status, 0) << next.err;
  EXPECT_NE(next.out.find("policy.hidden.0.weight             taken"), std::string::npos)
      << next.out;
  EXPECT_NE(next.out.find("policy.memory.update.weight        fresh"), std::string::npos);
  EXPECT_NE(next.out.find("learning (gradients)"), std::string::npos);
  const std::string stored = test::read_file(file("next/run.toml"));
  for (const char* line : {"from = ", "memory = 8", "frozen = [ 'policy.hidden.0' ]",
                           "learning_rate_decay = 'cosine'"})
    EXPECT_NE(stored.find(line), std::string::npos) << line << "\n" << stored;
  // What was continued is part of the run: the old one may be gone.
  const auto resumed =
      run_tool({"train", "mooring", "--run", file("next"), "--steps", "30000", "--resume"});
  EXPECT_EQ(resumed.status, 0) << resumed.err;
  const auto other =
      run_tool({"train", "mooring", "--run", file("next"), "--resume", "--learner", "memory=16"});
  EXPECT_NE(other.err.find("learner.memory: 16 here, 8 there"), std::string::npos) << other.err;
  const auto itself = run_tool({"train", "mooring", "--run", run(), "--fresh", "--from", run()});
  EXPECT_NE(itself.err.find("holds the checkpoint to continue from"), std::string::npos)
      << itself.err;
}

TEST_F(ToolRun, ScorePrintsOneObject) {
  const auto result = run_tool({"evaluate", run(), "--episodes", "60", "--seed", "2", "--json"});
  ASSERT_EQ(result.status, 0) << result.err;
  const json score = json::parse(result.out);
  EXPECT_EQ(score["game"], "mooring");
  EXPECT_EQ(score["run"], run());
  EXPECT_EQ(score["seed"], 2);
  EXPECT_EQ(score["episodes"], 60);
  ASSERT_EQ(score["players"].size(), 3u);
  EXPECT_EQ(score["players"][0]["name"], "trained");
  for (const json& player : score["players"]) {
    for (const char* key : {"success", "return", "length"}) {
      EXPECT_LE(player[key]["low"].get<double>(), player[key]["mean"].get<double>());
      EXPECT_GE(player[key]["high"].get<double>(), player[key]["mean"].get<double>());
    }
    EXPECT_EQ(player["terms"].size(), 4u);
  }
  EXPECT_EQ(
      json::parse(run_tool({"evaluate", run(), "--episodes", "5", "--against", "script", "--json"})
                      .out)["players"]
          .size(),
      2u);
  EXPECT_NE(run_tool({"evaluate", run(), "--episodes", "5"}).out.find("trained"),
            std::string::npos);
}

TEST_F(ToolRun, RecordThenReplayCheckAndDraw) {
  const auto recorded =
      run_tool({"record", run(), "--out", file("a.zrep"), "--episodes", "3", "--seed", "2"});
  EXPECT_EQ(recorded.status, 0) << recorded.err;
  const auto replay =
      run_tool({"replay", file("a.zrep"), "--check", "--png", file("a.png"), "--episode", "1"});
  EXPECT_EQ(replay.status, 0) << replay.err;
  EXPECT_NE(replay.out.find("check passed"), std::string::npos);
  EXPECT_GT(std::filesystem::file_size(file("a.png")), 5000u);
  const json info = json::parse(run_tool({"replay", file("a.zrep"), "--json"}).out);
  EXPECT_EQ(info["episodes"].size(), 3u);
  EXPECT_EQ(info["whole"], true);
}

TEST_F(ToolRun, ReplayOfATruncatedFileReadsWhatIsLeft) {
  run_tool({"record", run(), "--out", file("b.zrep"), "--episodes", "6"});
  const std::string bytes = test::read_file(file("b.zrep"));
  test::write_file(file("b.zrep"), bytes.substr(0, bytes.size() * 3 / 4));
  const auto read = run_tool({"replay", file("b.zrep")});
  EXPECT_EQ(read.status, 0);
  EXPECT_NE(read.err.find("the end of the file is missing"), std::string::npos);
  EXPECT_EQ(run_tool({"replay", file("b.zrep"), "--check"}).status, 1);
}

TEST_F(ToolRun, ReportWritesOnePage) {
  EXPECT_EQ(run_tool({"report", run(), "--html", file("r.html"), "--episodes", "20"}).status, 0);
  const std::string page = test::read_file(file("r.html"));
  EXPECT_GT(page.size(), 200'000u);  // the chart library is inside
  EXPECT_EQ(page.find("src=\"http"), std::string::npos);
}

TEST(Tool, ShowDraws) {
  const test::TemporaryFolder folder;
  EXPECT_EQ(run_tool({"show", "mooring", "--png", (folder / "a.png").string(), "--svg",
                      (folder / "a.svg").string(), "--seed", "3"})
                .status,
            0);
  EXPECT_EQ(test::read_file(folder / "a.png").substr(1, 3), "PNG");
  EXPECT_NE(test::read_file(folder / "a.svg").find("<svg"), std::string::npos);
}

// What a command reads it does not write over.
TEST_F(ToolRun, OutputsThatAreInputsAreRefused) {
  const std::string last = run() + "/checkpoints/last.safetensors",
                    configuration = run() + "/run.toml";
  const std::string replay = file("guarded.zrep");
  ASSERT_EQ(run_tool({"record", run(), "--out", replay, "--episodes", "1"}).status, 0);
  const std::string game = file("guarded.toml");
  test::write_file(game, test::read_file(test::project_folder() / "demos/mooring.toml"));
  std::filesystem::create_symlink(replay, file("guarded-link"));
  const std::vector<std::vector<std::string>> commands = {
      {"replay", replay, "--html", replay},
      {"replay", replay, "--png", file("guarded-link")},
      {"replay", replay, "--html", file("x.html"), "--sheet", file("x.html")},
      {"report", run(), "--html", configuration},
      {"report", run(), "--csv", last},
      {"record", run(), "--out", last},
      {"evaluate", run(), "--csv", run() + "/metrics.db"},
      {"evaluate", run(), "--against", run(), "--csv", configuration},
      {"show", game, "--svg", game},
      {"drive", game, "--keys", game, "--out", game},
      {"network", run(), "--graph", last},
      {"match", run(), "random", "--png", configuration},
      {"behaviour", run(), "random", "--png", last},
      {"compare", run(), "--html", configuration}};
  std::vector<std::string> before;
  for (const std::string& kept : {replay, configuration, last, game})
    before.push_back(test::read_file(kept));
  for (const auto& command : commands) {
    const auto refused = run_tool(command);
    EXPECT_EQ(refused.status, 2) << command[0] << ": " << refused.err;
    EXPECT_NE(refused.err.find("another file"), std::string::npos) << refused.err;
  }
  std::size_t i = 0;
  for (const std::string& kept : {replay, configuration, last, game})
    EXPECT_TRUE(test::read_file(kept) == before[i++]) << kept;
}

TEST(ToolSides, PlayAsTheirMixtureAndTellHowFarTheyCanBeExploited) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string(), file = (folder / "tug.safetensors").string();
  ASSERT_EQ(run_tool({"train", "barge", "--run", run, "--steps", "20000", "--quiet"}).status, 0);
  const auto as = [&](const char* who) {
    return json::parse(run_tool({"evaluate", run, "--as", who, "--episodes", "20", "--against",
                                 "random", "--json"})
                           .out);
  };
  EXPECT_EQ(as("latest")["actions"], "greedy");
  EXPECT_EQ(as("mixture")["actions"], "sampled");
  EXPECT_EQ(as("mixture")["as"], "mixture");
  for (const char* who : {"mixture", "average"}) {
    EXPECT_EQ(run_tool({"export", run, "--out", file, "--as", who}).status, 0);
    EXPECT_EQ(run_tool({"match", file, "random", "--game", "barge", "--episodes", "5"}).status, 0);
  }
  const json found = json::parse(run_tool({"match", "--best-response", run, "--steps", "20000",
                                           "--episodes", "50", "--as", "mixture", "--json"})
                                     .out);
  EXPECT_EQ(found["responses"].size(), 2u);
  EXPECT_LE(found["exploitability"]["low"], found["exploitability"]["high"]);
  EXPECT_NE(
      run_tool({"doctor", "barge", "--run", run, "--best-response", "5000", "--steps", "1000"})
          .out.find("a response trained for 5000 steps"),
      std::string::npos);
  for (const auto& wrong : std::vector<std::vector<std::string>>{
           {"match", "script", "random", "--game", "barge", "--steps", "5"},
           {"match", "script", "--best-response", run},
           {"evaluate", run, "--as", "somebody"}})
    EXPECT_EQ(run_tool(wrong).status, 2) << wrong.back();
}

TEST_F(ToolRun, AnExportedPolicyPlaysAsBefore) {
  const std::string small = file("skiff.safetensors");
  ASSERT_EQ(run_tool({"export", run(), "--out", small}).status, 0);
  EXPECT_LT(std::filesystem::file_size(small),
            std::filesystem::file_size(run() + "/checkpoints/last.safetensors") / 2);
  const auto behaviour = [&](const std::string& player) {
    return json::parse(
        run_tool({"behaviour", player, "--game", "mooring", "--episodes", "20", "--json"})
            .out)["players"][0]["measures"];
  };
  EXPECT_EQ(behaviour(small), behaviour(run()));
  EXPECT_EQ(run_tool({"export", run(), "--out", small, "--as", "mixture"}).status, 5);
  EXPECT_EQ(run_tool({"export", run(), "--out", run() + "/run.toml"}).status, 2);
}

TEST_F(ToolRun, ADashIsStandardOutputAndInput) {
  const auto svg = run_tool({"show", "mooring", "--svg", "-"});
  EXPECT_EQ(svg.status, 0) << svg.err;
  EXPECT_TRUE(svg.out.starts_with("<?xml")) << svg.out.substr(0, 60);
  EXPECT_NE(svg.err.find("role skiff"), std::string::npos) << "what it says goes to standard error";
  EXPECT_EQ(run_tool({"show", "mooring", "--svg", "-", "--json"}).status, 2);
  const auto csv = run_tool({"report", run(), "--csv", "-"});
  EXPECT_TRUE(csv.out.starts_with("steps,episodes,stage,")) << csv.out.substr(0, 60);
  ASSERT_EQ(run_tool({"record", run(), "--out", file("dash.zrep"), "--episodes", "1"}).status, 0);
  const auto recorded = run_tool({"record", run(), "--out", "-", "--episodes", "1"});
  EXPECT_TRUE(recorded.out == test::read_file(file("dash.zrep")));
  // By a shell, as a person would: into a file, a pipe, and from one.
  const std::string tool = test::tool(),
                    demo = (test::project_folder() / "demos/mooring.toml").string();
  const auto by_shell = [](const std::string& line) {
    return test::run_program({"sh", "-c", line});
  };
  EXPECT_EQ(by_shell(tool + " show mooring --svg /dev/stdout | head -c 5").out, "<?xml");
  EXPECT_EQ(by_shell(tool + " show - --json < " + demo).out,
            run_tool({"show", "mooring", "--json"}).out);
  EXPECT_EQ(by_shell("cat " + file("dash.zrep") + " | " + tool + " replay - --check").status, 0);
  EXPECT_EQ(
      by_shell(tool + " report " + run() + " --csv /dev/stdout > " + file("redirected.csv")).status,
      0);
  EXPECT_NE(test::read_file(file("redirected.csv")).find("steps,episodes,stage,"),
            std::string::npos);
  const auto full = by_shell(tool + " report " + run() + " --csv /dev/full");
  EXPECT_EQ(full.status, 4) << full.err;
  EXPECT_TRUE(std::filesystem::is_character_file("/dev/full"));
}

TEST_F(ToolRun, ATrainingSaysThatItsLastCheckpointIsMissing) {
  const std::string copy = file("copy");
  std::filesystem::copy(run(), copy, std::filesystem::copy_options::recursive);
  std::filesystem::remove(copy + "/checkpoints/last.safetensors");
  const auto resumed = run_tool({"train", "mooring", "--run", copy, "--resume"});
  EXPECT_EQ(resumed.status, 0) << resumed.err;
  EXPECT_NE(resumed.err.find("note: " + copy +
                             "/checkpoints/last.safetensors is missing; continuing from at-"),
            std::string::npos)
      << resumed.err;
  EXPECT_TRUE(test::read_file(copy + "/checkpoints/last.safetensors") ==
              test::read_file(run() + "/checkpoints/last.safetensors"));
}

}  // namespace
}  // namespace zithercraft
