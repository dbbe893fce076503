#pragma once

#include <cstddef>
#include <span>
#include <vector>

/// Estimates with honest intervals. How often each interval holds the truth is measured in the
/// tests and printed in docs/statistics.md.
namespace zithercraft {

/// An estimate with its 95% interval.
struct Interval {
  double mean = 0.0, low = 0.0, high = 0.0;  ///< the middle, and what it lies between
  /// Whether a value lies within.
  bool holds(double value) const { return low <= value && value <= high; }
};

// ---- over many episodes of one policy

/// Share of successes, with the score interval of Wilson (1927), which holds its promise near 0 and
/// 1 too. `trials` must be at least 1.
Interval share_interval(std::size_t successes, std::size_t trials);

/// Mean of independent values, with the percentile bootstrap of the mean (Efron 1979) over 1,000
/// resamples, which are the same for the same number of values; from 2,000 values on by the normal
/// distribution, which is then the same. Of one value the interval is the value. `values` must not
/// be empty.
Interval mean_interval(std::span<const double> values);

/// Mean of counts, 0 or more each. Where nothing was counted, resampling would promise that nothing
/// ever is: the interval then ends where so many episodes without an event still have a chance of
/// 2.5% (Poisson: 3.69 divided by their number). Else as `mean_interval`. `values` must not be
/// empty.
Interval count_interval(std::span<const double> values);

/// Mean of a - b over the same episodes, which removes what makes episodes easy or hard for both.
/// Throws Error (usage) if there are not as many of both.
Interval paired_difference(std::span<const double> a, std::span<const double> b);

// ---- over few repetitions of a training: seeds

/// Fewer repetitions than these say next to nothing about others: an interval over them is given,
/// and said to be of too few.
constexpr std::size_t least_repetitions = 3;

/// Mean of the middle half of the values; the values next to its ends count in part. Robust against
/// single failures, and less noisy than the median. `values` must not be empty.
double interquartile_mean(std::span<const double> values);

/// Repetitions of one thing: of a training of one game under several seeds. Values of several games
/// are strata, each resampled by itself (Agarwal et al. 2021).
using Repetitions = std::vector<std::vector<double>>;

/// Interquartile mean over all strata, with Student's quantile times the standard error that a
/// stratified bootstrap finds (Efron and Tibshirani 1993, chapter 12.5). Of 3 to 10 values this
/// holds the truth most evenly of the methods compared in docs/statistics.md. Where no stratum
/// holds more than one value the interval has no end (infinite).
Interval repetitions_interval(const Repetitions& strata);
/// The same for values of one stratum, like the seeds of a training.
Interval repetitions_interval(std::span<const double> values);

/// Interquartile mean of a less that of b, of independent repetitions, as above with the degrees of
/// freedom of Welch (1947).
Interval repetitions_difference(std::span<const double> a, std::span<const double> b);

/// Chance that a repetition of a comes out above one of b, ties counting one half (Mann and Whitney
/// 1947); the interval is Newcombe's (2006, part 2, method 5) with Student's quantile.
Interval chance_to_be_better(std::span<const double> a, std::span<const double> b);

}  // namespace zithercraft
