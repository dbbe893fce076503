#include "zithercraft/match/ratings.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

// Matches between players of known strength, of which a tenth of the close ones are drawn.
std::vector<Tally> simulate(const std::vector<double>& strength, int matches, std::uint64_t seed) {
  std::vector<Tally> tallies;
  RandomStream random(seed, 0, 0, Purpose::user);
  for (std::size_t a = 0; a < strength.size(); ++a)
    for (std::size_t b = a + 1; b < strength.size(); ++b) {
      Tally t{a, b};
      for (int i = 0; i < matches; ++i) {
        const double chance = win_chance(strength[a], strength[b]),
                     draws = 0.2 * std::min(chance, 1.0 - chance);
        const double luck = random.uniform();
        (luck < chance - draws / 2   ? t.wins
         : luck < chance + draws / 2 ? t.draws
                                     : t.losses) += 1.0;
      }
      tallies.push_back(t);
    }
  return tallies;
}

TEST(Ratings, TellTheChancesOfPlayersOfKnownStrength) {
  const std::vector<double> strength{0, 50, 120, 250, 300, -80};
  double worst = 0.0, sum = 0.0;
  int held = 0, intervals = 0, chances = 0, within = 0;
  for (std::uint64_t seed = 0; seed < 50; ++seed) {
    const auto ratings = fit_ratings(strength.size(), simulate(strength, 500, seed));
    EXPECT_EQ(ratings[0].points, 0.0);
    for (std::size_t a = 0; a < strength.size(); ++a) {
      if (a > 0) {
        ++intervals;
        held += ratings[a].low() <= strength[a] && strength[a] <= ratings[a].high() ? 1 : 0;
      }
      for (std::size_t b = a + 1; b < strength.size(); ++b) {
        const double off = std::fabs(win_chance(ratings[a].points, ratings[b].points) -
                                     win_chance(strength[a], strength[b]));
        worst = std::max(worst, off);
        sum += off;
        within += off <= 0.03 ? 1 : 0;
        ++chances;
      }
    }
  }
  EXPECT_LT(sum / chances, 0.01);
  EXPECT_GT(static_cast<double>(within) / chances, 0.98);
  EXPECT_LT(worst, 0.05);
  EXPECT_GT(static_cast<double>(held) / intervals, 0.9);
  std::printf(
      "500 matches: win chances off by %.4f in the mean, %.4f at most; intervals hold %.1f%%\n",
      sum / chances, worst, 100.0 * held / intervals);
}

TEST(Ratings, StayFiniteForWhoWonOrLostEverything) {
  const std::vector<Tally> tallies{{0, 1, 100, 0, 0}, {1, 2, 0, 0, 100}};
  const auto ratings = fit_ratings(4, tallies);
  EXPECT_LT(ratings[1].points, -300.0);
  EXPECT_GT(ratings[1].points, -3000.0);
  EXPECT_GT(ratings[3].standard_error, 700.0);  // never played
  EXPECT_EQ(test::error_of([] {
              fit_ratings(1, std::vector<Tally>{{0, 1, 1, 0, 0}});
            }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([] {
              fit_ratings(2, std::vector<Tally>{{1, 1, 1, 0, 0}});
            }).kind(),
            ErrorKind::usage);
}

TEST(Ratings, FindCyclesOnlyWhereTheyAreSure) {
  const auto cycles = [](double wins) {
    const double losses = 100.0 - wins;
    return find_cycles(std::vector<Tally>{
        {0, 1, wins, 0, losses}, {2, 1, losses, 0, wins}, {0, 2, losses, 0, wins}});
  };
  ASSERT_EQ(cycles(80).size(), 1u);
  EXPECT_EQ(cycles(80)[0], (std::array<std::size_t, 3>{0, 1, 2}));
  EXPECT_EQ(cycles(20)[0], (std::array<std::size_t, 3>{0, 2, 1}));
  EXPECT_TRUE(cycles(55).empty());
  EXPECT_TRUE(
      find_cycles(std::vector<Tally>{{0, 1, 90, 0, 10}, {1, 2, 90, 0, 10}, {0, 2, 90, 0, 10}})
          .empty());
}

}  // namespace
}  // namespace zithercraft
