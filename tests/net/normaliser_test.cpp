#include "zithercraft/net/normaliser.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

TEST(Normaliser, BatchesGiveTheStatisticsOfTheWhole) {
  RandomStream random(1, 0, 0, Purpose::user);
  std::vector<float> rows;
  for (int i = 0; i < 3000; ++i) {
    rows.push_back(static_cast<float>(random.between(10, 14)));
    rows.push_back(3.0f * random.normal() - 2.0f);
  }
  Normaliser whole(2), parts(2);
  whole.fold(rows);
  for (std::size_t first = 0; first < rows.size(); first += 2 * 500)
    parts.fold(std::span(rows).subspan(first, 2 * 500));
  for (std::size_t c = 0; c < 2; ++c) {
    EXPECT_NEAR(parts.mean()[c], whole.mean()[c], 1e-9);
    EXPECT_NEAR(parts.deviation()[c], whole.deviation()[c], 1e-6);
  }
  std::vector<float> out(rows.size());
  whole.apply(rows, out);
  double mean = 0, square = 0;
  for (std::size_t i = 1; i < out.size(); i += 2) {
    mean += static_cast<double>(out[i]) / 3000;
    square += static_cast<double>(out[i] * out[i]) / 3000;
  }
  EXPECT_NEAR(mean, 0, 1e-4);
  EXPECT_NEAR(square, 1, 0.01);
}

TEST(Normaliser, NothingFoldedInChangesNothingAndConstantColumnsBecomeZero) {
  Normaliser normaliser(2);
  std::vector<float> row{0.5f, 3.0f}, out(2);
  normaliser.apply(row, out);
  EXPECT_EQ(out, row);
  normaliser.fold(std::vector<float>{1, 7, 2, 7, 3, 7});
  normaliser.apply(std::vector<float>{2, 7}, out);
  EXPECT_EQ(out[1], 0.0f);
  normaliser.apply(std::vector<float>{1e6f, 7}, out);
  EXPECT_EQ(out[0], Normaliser::limit);
}

// However the rows come in, pooled columns have the mean and deviation of all their numbers.
TEST(Normaliser, PooledColumnsShareTheStatisticsOfAllTheirNumbers) {
  constexpr std::size_t columns = 5, rows = 40;
  std::vector<float> numbers(rows * columns);
  RandomStream random(7, 0, 0, Purpose::user);
  for (std::size_t i = 0; i < numbers.size(); ++i)
    numbers[i] = random.uniform() * static_cast<float>(1 + i % columns);
  Normaliser normaliser(columns);
  normaliser.pool({0, 2, 3});
  for (const auto& [first, n] : {std::pair(0u, 7u), std::pair(7u, 13u), std::pair(20u, 20u)})
    normaliser.fold(std::span(numbers).subspan(first * columns, n * columns));
  double sum = 0, square = 0, own = 0;
  for (std::size_t r = 0; r < rows; ++r) {
    own += static_cast<double>(numbers[r * columns + 1]) / rows;
    for (const std::size_t c : {0u, 2u, 3u}) sum += static_cast<double>(numbers[r * columns + c]);
  }
  const double mean = sum / (3 * rows);
  for (std::size_t r = 0; r < rows; ++r)
    for (const std::size_t c : {0u, 2u, 3u})
      square += std::pow(static_cast<double>(numbers[r * columns + c]) - mean, 2);
  for (const std::size_t c : {0u, 2u, 3u}) {
    EXPECT_NEAR(normaliser.mean()[c], mean, 1e-9);
    EXPECT_NEAR(normaliser.deviation()[c], square / 3, 1e-6);
  }
  EXPECT_NEAR(normaliser.mean()[1], own, 1e-9) << "others keep their own";
}

}  // namespace
}  // namespace zithercraft
