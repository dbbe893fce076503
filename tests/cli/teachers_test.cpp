// Learning from teachers, through the tool.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Teachers : public ::testing::Test {
 protected:
  std::string path(const std::string& name) const { return (folder_ / name).string(); }
  test::ToolResult train(const std::string& name, const std::vector<std::string>& more) const {
    std::vector<std::string> words{"train", "mooring", "--run", path(name), "--steps", "20000"};
    words.insert(words.end(), more.begin(), more.end());
    return test::run_tool(words);
  }

 private:
  test::TemporaryFolder folder_;
};

TEST_F(Teachers, AreImitatedMeasuredAndSurpassed) {
  const auto clone = train("clone", {"--method", "clone", "--teacher", "script",
                                     "--teacher-episodes", "8", "--learner", "policy_layers=[16]"});
  ASSERT_EQ(clone.status, 0) << clone.err;
  EXPECT_NE(clone.out.find("agreement"), std::string::npos) << clone.out;
  const auto ppo = train("ppo", {"--from", path("clone"), "--teacher", path("clone"), "--learner",
                                 "policy_layers=[16]"});
  ASSERT_EQ(ppo.status, 0) << ppo.err;
  EXPECT_NE(ppo.out.find("policy.hidden.0.weight             taken"), std::string::npos) << ppo.out;
  const json score =
      json::parse(test::run_tool({"evaluate", path("ppo"), "--episodes", "5", "--json"}).out);
  ASSERT_EQ(score["players"].size(), 4u);  // its teacher beside random play and the script
  EXPECT_EQ(score["players"][3]["name"], path("clone"));
  EXPECT_EQ(test::run_tool({"report", path("clone"), "--html", path("clone.html")}).status, 0);
  EXPECT_NE(test::read_file(path("clone.html")).find("as the teachers set them"),
            std::string::npos);
}

TEST_F(Teachers, AreAskedOrLearnedFromWithoutPlay) {
  const auto asked = train("asked", {"--method", "clone", "--teacher", "script", "--interactive",
                                     "--teacher-episodes", "4", "--quiet"});
  EXPECT_EQ(asked.status, 0) << asked.err;
  const auto offline =
      train("offline", {"--method", "sac", "--offline", "--teacher", "script", "--teacher",
                        "random", "--teacher-episodes", "4", "--learner", "updates_per_step=0.01"});
  EXPECT_EQ(offline.status, 0) << offline.err;
  const auto again = train("offline", {"--resume"});
  EXPECT_EQ(again.status, 0) << again.err;
}

TEST_F(Teachers, OptionsThatDoNothingAreRefused) {
  const auto error = [&](const std::vector<std::string>& more) {
    const auto result = train("x", more);
    EXPECT_NE(result.status, 0);
    return result.err;
  };
  EXPECT_NE(error({"--interactive"}).find("ppo has no such option"), std::string::npos);
  EXPECT_NE(error({"--offline"}).find("ppo has no such option"), std::string::npos);
  EXPECT_NE(error({"--method", "es", "--teacher", "script"}).find("takes no teacher"),
            std::string::npos);
  EXPECT_NE(error({"--method", "clone", "--teacher", "scrpt"}).find("no player is called"),
            std::string::npos);
  EXPECT_NE(error({"--teacher-episodes", "0"}).find("--teacher-episodes"), std::string::npos);
}

}  // namespace
}  // namespace zithercraft
