#include "zithercraft/match/ratings.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

constexpr double slope = std::numbers::ln10 / 400.0;  // of the logit, per point
constexpr double prior_stddev = 800.0;
constexpr int most_steps = 100;

using Vector = Eigen::VectorXd;
using Matrix = Eigen::MatrixXd;

// Slope and curvature of the logarithm of the posterior at these points.
void differentiate(std::span<const Tally> tallies, const Vector& points, Vector& gradient,
                   Matrix& curvature) {
  const double prior = 1.0 / (prior_stddev * prior_stddev);
  gradient = -prior * points;
  curvature = prior * Matrix::Identity(points.size(), points.size());
  for (const Tally& t : tallies) {
    const auto a = static_cast<Eigen::Index>(t.a), b = static_cast<Eigen::Index>(t.b);
    const double chance = win_chance(points[a], points[b]), n = t.played();
    const double pull = slope * (n * t.share() - n * chance),
                 bend = slope * slope * n * chance * (1.0 - chance);
    gradient[a] += pull;
    gradient[b] -= pull;
    curvature(a, a) += bend;
    curvature(b, b) += bend;
    curvature(a, b) -= bend;
    curvature(b, a) -= bend;
  }
}

}  // namespace

double win_chance(double points, double other_points) {
  return 1.0 / (1.0 + std::exp(slope * (other_points - points)));
}

bool beats(const Tally& tally) {
  const double n = tally.played();
  return n > 0.0 && tally.share() > 0.5 + 1.96 * 0.5 / std::sqrt(n);
}

std::vector<Rating> fit_ratings(std::size_t players, std::span<const Tally> tallies,
                                std::size_t zero) {
  if (zero >= players || std::any_of(tallies.begin(), tallies.end(), [&](const Tally& t) {
        return t.a >= players || t.b >= players || t.a == t.b;
      }))
    throw Error(ErrorKind::usage, "a tally names a player that is not there, or one against itself",
                "fit_ratings", "number the players from 0");
  const auto n = static_cast<Eigen::Index>(players);
  Vector points = Vector::Zero(n), gradient;
  Matrix curvature;
  for (int step = 0; step < most_steps; ++step) {
    differentiate(tallies, points, gradient, curvature);
    Vector change = curvature.ldlt().solve(gradient);
    const double longest = change.cwiseAbs().maxCoeff();
    if (longest > 400.0) change *= 400.0 / longest;  // far out the curvature is no guide
    points += change;
    if (longest < 1e-9) break;
  }
  differentiate(tallies, points, gradient, curvature);
  const Matrix covariance = curvature.ldlt().solve(Matrix::Identity(n, n));
  const auto z = static_cast<Eigen::Index>(zero);
  std::vector<Rating> ratings;
  for (Eigen::Index i = 0; i < n; ++i)
    ratings.push_back(
        {points[i] - points[z],
         std::sqrt(std::max(0.0, covariance(i, i) + covariance(z, z) - 2.0 * covariance(i, z)))});
  return ratings;
}

std::vector<std::array<std::size_t, 3>> find_cycles(std::span<const Tally> tallies) {
  const auto wins = [&](std::size_t winner, std::size_t loser) {
    return std::any_of(tallies.begin(), tallies.end(), [&](const Tally& t) {
      return (t.a == winner && t.b == loser && beats(t)) ||
             (t.a == loser && t.b == winner && beats({t.b, t.a, t.losses, t.draws, t.wins}));
    });
  };
  std::size_t players = 0;
  for (const Tally& t : tallies) players = std::max({players, t.a + 1, t.b + 1});
  std::vector<std::array<std::size_t, 3>> cycles;
  for (std::size_t a = 0; a < players; ++a)  // each once, beginning with its lowest number
    for (std::size_t b = a + 1; b < players; ++b)
      for (std::size_t c = a + 1; c < players; ++c)
        if (c != b && wins(a, b) && wins(b, c) && wins(c, a)) cycles.push_back({a, b, c});
  return cycles;
}

}  // namespace zithercraft
