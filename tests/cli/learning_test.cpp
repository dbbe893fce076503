// The main promise: `train mooring` without any other option ends in a skiff that moors itself.

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

TEST(Learning, MooringWithDefaultsMoorsNinetyFiveTimesInAHundred) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  const auto trained = test::run_tool({"train", "mooring", "--run", run});
  ASSERT_EQ(trained.status, 0) << trained.err;
  const auto score =
      nlohmann::json::parse(test::run_tool({"evaluate", run, "--episodes", "500", "--json"}).out);
  EXPECT_GE(score["players"][0]["success"]["mean"].get<double>(), 0.95);
  EXPECT_LT(score["players"][1]["success"]["mean"].get<double>(), 0.05);
  EXPECT_GT(score["players"][0]["return"]["low"].get<double>(),
            score["players"][2]["return"]["high"].get<double>());
}

}  // namespace
}  // namespace zithercraft
