#include "zithercraft/evaluate/statistics.hpp"

#include <boost/math/distributions/students_t.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

constexpr double z95 = 1.959963984540054;  // two-sided 95% quantile of the normal distribution
constexpr std::size_t mean_resamples = 1000, repetition_resamples = 2000;
constexpr std::size_t many = 2000;  // values from which on the bootstrap of a mean is normal

RandomStream resampling(std::size_t values) {
  return RandomStream(derived_seed(values, "resampling"), 0, 0, Purpose::bootstrap);
}

double mean_of(std::span<const double> values) {
  return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

double variance_of(std::span<const double> values) {
  const double mean = mean_of(values);
  double square = 0.0;
  for (const double v : values) square += (v - mean) * (v - mean);
  return square / static_cast<double>(values.size() - 1);
}

// Two-sided 95% quantile of Student's distribution; infinite without a degree of freedom.
double student95(double freedom) {
  if (freedom <= 0.0) return std::numeric_limits<double>::infinity();
  return boost::math::quantile(boost::math::students_t(freedom), 0.975);
}

void resample(std::span<const double> from, std::span<double> to, RandomStream& random) {
  for (double& value : to) value = from[random.below(static_cast<std::uint32_t>(from.size()))];
}

double interquartile_mean_of_sorted(std::span<const double> sorted) {
  const auto n = static_cast<double>(sorted.size());
  const double cut = 0.25 * n;
  double sum = 0.0;
  for (std::size_t i = 0; i < sorted.size(); ++i) {
    const double from = std::max(static_cast<double>(i), cut),
                 to = std::min(static_cast<double>(i + 1), n - cut);
    if (to > from) sum += sorted[i] * (to - from);
  }
  return sum / (n - 2.0 * cut);
}

// Resampled with replacement a sample varies less than the population by (n - 1) / n.
double undone_shrinking(std::size_t n) {
  return static_cast<double>(n) / static_cast<double>(n - 1);
}

// Variance of the interquartile mean over all strata.
double resampled_variance(const Repetitions& strata) {
  std::size_t count = 0;
  double shrinking = 0.0;
  for (const auto& values : strata) {
    count += values.size();
    if (values.size() > 1)
      shrinking += static_cast<double>(values.size()) * undone_shrinking(values.size());
  }
  std::vector<double> drawn(count), found;
  RandomStream random = resampling(count);
  for (std::size_t k = 0; k < repetition_resamples; ++k) {
    std::size_t first = 0;
    for (const auto& values : strata) {
      resample(values, std::span(drawn).subspan(first, values.size()), random);
      first += values.size();
    }
    std::sort(drawn.begin(), drawn.end());
    found.push_back(interquartile_mean_of_sorted(drawn));
  }
  return variance_of(found) * shrinking / static_cast<double>(count);
}

std::size_t degrees_of_freedom(const Repetitions& strata) {
  std::size_t freedom = 0;
  for (const auto& values : strata) freedom += values.empty() ? 0 : values.size() - 1;
  return freedom;
}

}  // namespace

Interval share_interval(std::size_t successes, std::size_t trials) {
  const auto n = static_cast<double>(trials);
  const double p = static_cast<double>(successes) / n, z2 = z95 * z95;
  const double middle = (p + z2 / (2 * n)) / (1 + z2 / n);
  const double half = z95 / (1 + z2 / n) * std::sqrt(p * (1 - p) / n + z2 / (4 * n * n));
  // Without rounding the ends lie at 0 and 1 exactly where nothing and everything succeeded.
  return {p, successes == 0 ? 0.0 : middle - half, successes == trials ? 1.0 : middle + half};
}

Interval mean_interval(std::span<const double> values) {
  const double mean = mean_of(values);
  const auto [least, most] = std::minmax_element(values.begin(), values.end());
  if (*least == *most) return {mean, mean, mean};
  if (values.size() >= many) {
    const double half = z95 * std::sqrt(variance_of(values) / static_cast<double>(values.size()));
    return {mean, mean - half, mean + half};
  }
  std::vector<double> means;
  RandomStream random = resampling(values.size());
  std::vector<double> drawn(values.size());
  for (std::size_t k = 0; k < mean_resamples; ++k) {
    resample(values, drawn, random);
    means.push_back(mean_of(drawn));
  }
  std::sort(means.begin(), means.end());
  constexpr std::size_t outside = mean_resamples / 40;
  return {mean, 0.5 * (means[outside - 1] + means[outside]),
          0.5 * (means[mean_resamples - outside - 1] + means[mean_resamples - outside])};
}

Interval count_interval(std::span<const double> values) {
  const bool none = std::all_of(values.begin(), values.end(), [](double v) { return v == 0.0; });
  if (none) return {0.0, 0.0, -std::log(0.025) / static_cast<double>(values.size())};
  return mean_interval(values);
}

Interval paired_difference(std::span<const double> a, std::span<const double> b) {
  if (a.size() != b.size() || a.empty())
    throw Error(ErrorKind::usage, "paired values must be as many of both, and at least one",
                "paired_difference", "play the same episodes with both");
  std::vector<double> differences(a.size());
  std::transform(a.begin(), a.end(), b.begin(), differences.begin(), std::minus());
  return mean_interval(differences);
}

double interquartile_mean(std::span<const double> values) {
  std::vector<double> sorted(values.begin(), values.end());
  std::sort(sorted.begin(), sorted.end());
  return interquartile_mean_of_sorted(sorted);
}

Interval repetitions_interval(const Repetitions& strata) {
  std::vector<double> all;
  for (const auto& values : strata) all.insert(all.end(), values.begin(), values.end());
  const double mean = interquartile_mean(all);
  const std::size_t freedom = degrees_of_freedom(strata);
  constexpr double endless = std::numeric_limits<double>::infinity();
  if (freedom == 0) return {mean, -endless, endless};
  const double half =
      student95(static_cast<double>(freedom)) * std::sqrt(resampled_variance(strata));
  return {mean, mean - half, mean + half};
}

Interval repetitions_interval(std::span<const double> values) {
  return repetitions_interval(Repetitions{{values.begin(), values.end()}});
}

Interval repetitions_difference(std::span<const double> a, std::span<const double> b) {
  const double mean = interquartile_mean(a) - interquartile_mean(b);
  constexpr double endless = std::numeric_limits<double>::infinity();
  if (a.size() < 2 || b.size() < 2) return {mean, -endless, endless};
  const double of_a = resampled_variance({{a.begin(), a.end()}}),
               of_b = resampled_variance({{b.begin(), b.end()}});
  const double both = of_a + of_b;
  if (both == 0.0) return {mean, mean, mean};
  const double freedom = both * both /
                         (of_a * of_a / static_cast<double>(a.size() - 1) +
                          of_b * of_b / static_cast<double>(b.size() - 1));
  const double half = student95(freedom) * std::sqrt(both);
  return {mean, mean - half, mean + half};
}

Interval chance_to_be_better(std::span<const double> a, std::span<const double> b) {
  double chance = 0.0;
  for (const double p : a)
    for (const double q : b) chance += p > q ? 1.0 : p == q ? 0.5 : 0.0;
  const auto m = static_cast<double>(a.size()), n = static_cast<double>(b.size());
  chance /= m * n;
  if (a.size() < 2 || b.size() < 2) return {chance, 0.0, 1.0};
  const double quantile = student95(m + n - 2.0), shape = 0.5 * (m + n) - 1.0;
  // How far the chance found lies from a true one at most.
  const auto reach = [&](double truth) {
    const double more = shape * ((1.0 - truth) / (2.0 - truth) + truth / (1.0 + truth));
    return quantile * std::sqrt(truth * (1.0 - truth) * (1.0 + more) / (m * n));
  };
  const auto end = [&](double outer) {
    double inside = chance, outside = outer;
    for (int halving = 0; halving < 50; ++halving) {
      const double middle = 0.5 * (inside + outside);
      (std::fabs(chance - middle) <= reach(middle) ? inside : outside) = middle;
    }
    return outside;
  };
  return {chance, chance == 0.0 ? 0.0 : end(0.0), chance == 1.0 ? 1.0 : end(1.0)};
}

}  // namespace zithercraft
