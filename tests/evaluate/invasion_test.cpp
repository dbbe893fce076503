#include "zithercraft/evaluate/invasion.hpp"

#include <gtest/gtest.h>

#include "support.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

std::vector<PlayerSource> sources(const std::vector<std::string>& names) {
  std::vector<PlayerSource> list;
  for (const auto& name : names) list.push_back(PlayerSource::find(name));
  return list;
}
GameSpec demo(const std::string& name) {
  return load_game(test::project_folder() / ("demos/" + name + ".toml"));
}

TEST(Invasion, TellsHowAFewFareAmongOthers) {
  const auto players = sources({"script", "random"});
  const InvasionTable t =
      measure_invasion(demo("locks"), players, {.share = 0.25, .episodes = 40, .threads = 2});
  EXPECT_EQ(t.role, "narrowboat");
  EXPECT_EQ(t.few, 1u);
  EXPECT_EQ(t.seats, 4u);
  ASSERT_EQ(t.rows.size(), 2u);
  EXPECT_EQ(t.rows[0].invader, "script");
  EXPECT_EQ(t.rows[0].resident, "random");
  EXPECT_GT(t.rows[0].difference.low, 0) << "going home does better than staying away";
  EXPECT_LT(t.rows[1].difference.high, 0);
  EXPECT_NEAR(t.rows[0].few.mean - t.rows[0].many.mean, t.rows[0].difference.mean, 1e-9);
  const InvasionTable one =
      measure_invasion(demo("locks"), players, {.share = 0.25, .episodes = 40, .threads = 1});
  EXPECT_EQ(one.to_json(), t.to_json());
}

TEST(Invasion, RefusesWhatMakesNoSense) {
  const auto refused = [](const std::vector<std::string>& names, const InvasionOptions& options,
                          const std::string& game) {
    return std::string(
        test::error_of([&] { measure_invasion(demo(game), sources(names), options); }).what());
  };
  EXPECT_NE(refused({"script"}, {}, "locks").find("two or more"), std::string::npos);
  EXPECT_NE(refused({"script", "random"}, {.share = 1.5}, "locks").find("below 1"),
            std::string::npos);
  EXPECT_NE(refused({"script", "random"}, {.role = "boat"}, "locks").find("no role 'boat'"),
            std::string::npos);
  EXPECT_NE(refused({"script", "random"}, {}, "mooring").find("several seats"), std::string::npos);
}

}  // namespace
}  // namespace zithercraft
