#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

#include "evolve/ranking.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/strategies.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
using namespace evolve_internal;
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// The weights and rates of the tutorial's table 1, by its letters.
struct Rates {
  VectorXd w;  // of all samples, the best first
  Index mu = 0;
  double mu_eff = 0, c_sigma = 0, d_sigma = 0, c_c = 0, c_1 = 0, c_mu = 0, chi = 0;

  Rates() = default;
  Rates(double n, Index people, bool whole) : w(people), mu(people / 2) {
    for (Index i = 0; i < people; ++i)
      w[i] = std::log(0.5 * static_cast<double>(people + 1)) - std::log(static_cast<double>(i + 1));
    const auto good = w.head(mu), bad = w.tail(people - mu);
    mu_eff = good.sum() * good.sum() / good.squaredNorm();
    const double bad_eff = bad.sum() * bad.sum() / bad.squaredNorm();
    c_c = (4.0 + mu_eff / n) / (n + 4.0 + 2.0 * mu_eff / n);
    c_1 = 2.0 / ((n + 1.3) * (n + 1.3) + mu_eff);
    c_mu = std::min(1.0 - c_1,
                    2.0 * (0.25 + mu_eff + 1.0 / mu_eff - 2.0) / ((n + 2.0) * (n + 2.0) + mu_eff));
    c_sigma = (mu_eff + 2.0) / (n + mu_eff + 5.0);
    d_sigma = 1.0 + 2.0 * std::max(0.0, std::sqrt((mu_eff - 1.0) / (n + 1.0)) - 1.0) + c_sigma;
    chi = std::sqrt(n) * (1.0 - 1.0 / (4.0 * n) + 1.0 / (21.0 * n * n));
    const double bound = std::min(
        {1.0 + c_1 / c_mu, 1.0 + 2.0 * bad_eff / (mu_eff + 2.0), (1.0 - c_1 - c_mu) / (n * c_mu)});
    w.head(mu) /= good.sum();
    w.tail(people - mu) *= whole ? bound / -bad.sum() : 0.0;
    if (whole) return;
    // Variances alone are fewer to learn and can be learned faster (Ros and Hansen, 2008).
    const double faster = (n + 2.0) / 3.0;
    c_1 = std::min(1.0, c_1 * faster);
    c_mu = std::min(1.0 - c_1, c_mu * faster);
  }
};

}  // namespace

struct CovarianceSearch::State {
  CovarianceSettings settings;
  std::uint64_t seed;
  bool whole = true;
  Rates rates{};
  std::int64_t generation = 0, decomposed = 0;  // when the axes were last worked out
  double sigma = 1.0;
  VectorXd middle, path, step_path, lengths;  // lengths: of the axes, or of each number alone
  MatrixXd covariance, axes, samples,
      directions;  // of samples: [numbers][people], in the middle's frame over sigma

  Index n() const { return middle.size(); }

  void decompose() {
    decomposed = generation;
    if (!whole) {
      lengths = covariance.col(0).cwiseSqrt();
      return;
    }
    covariance = 0.5 * (covariance + covariance.transpose().eval());
    const Eigen::SelfAdjointEigenSolver<MatrixXd> solved(covariance);
    axes = solved.eigenvectors();
    lengths = solved.eigenvalues().cwiseMax(1e-300).cwiseSqrt();
  }

  // By letters of the tutorial: z, then y = B D z, then x = m + sigma y.
  void draw() {
    MatrixXd z(n(), directions.cols());
    for (Index k = 0; k < z.cols(); ++k) {
      RandomStream random(
          mixed(seed, static_cast<std::uint64_t>(generation), static_cast<std::uint64_t>(k)), 0, 0,
          Purpose::evolve);
      for (Index i = 0; i < n(); ++i) z(i, k) = static_cast<double>(random.normal());
    }
    z = lengths.asDiagonal() * z;
    if (whole) {
      directions.noalias() = axes * z;
    } else {
      directions = z;
    }
    samples = (sigma * directions).colwise() + middle;
  }

  // C^(-1/2) y
  VectorXd whitened(const VectorXd& y) const {
    if (!whole) return y.cwiseQuotient(lengths);
    return axes * (axes.transpose() * y).cwiseQuotient(lengths);
  }
};

CovarianceSearch::CovarianceSearch(std::size_t numbers, const CovarianceSettings& settings,
                                   std::uint64_t seed, std::vector<double> start)
    : state_(std::make_unique<State>()) {
  State& s = *state_;
  if (settings.population != 0 && settings.population < 4)
    wrong_setting("population", "too few to find a direction of improvement",
                  "give at least 4, or 0");
  if (!(settings.first_stddev > 0.0))
    wrong_setting("first_stddev", "all samples would be the same", "give a number above 0");
  if (!start.empty() && start.size() != numbers)
    throw Error(ErrorKind::usage,
                fmt::format("{} numbers to start from, of {}", start.size(), numbers),
                "CovarianceSearch", "give as many as a vector has");
  s.settings = settings;
  s.seed = derived_seed(seed, "covariance");
  s.whole = static_cast<std::int64_t>(numbers) <= settings.whole_up_to;
  const auto n = static_cast<Index>(numbers);
  const auto people = static_cast<Index>(
      settings.population != 0
          ? settings.population
          : 4 + static_cast<std::int64_t>(3.0 * std::log(static_cast<double>(n))));
  s.rates = Rates(static_cast<double>(n), people, s.whole);
  s.sigma = settings.first_stddev;
  s.middle = VectorXd::Zero(n);
  if (!start.empty()) s.middle = Eigen::Map<const VectorXd>(start.data(), n);
  s.path = s.step_path = VectorXd::Zero(n);
  s.covariance = s.whole ? MatrixXd(MatrixXd::Identity(n, n)) : MatrixXd(MatrixXd::Ones(n, 1));
  s.directions.resize(n, people);
  s.decompose();
  s.draw();
}
CovarianceSearch::~CovarianceSearch() = default;

std::size_t CovarianceSearch::dimension() const noexcept {
  return static_cast<std::size_t>(state_->n());
}
std::size_t CovarianceSearch::individuals() const noexcept {
  return static_cast<std::size_t>(state_->samples.cols());
}
std::int64_t CovarianceSearch::generation() const noexcept { return state_->generation; }

std::span<const double> CovarianceSearch::sample(std::size_t individual) const {
  return {state_->samples.col(static_cast<Index>(individual)).data(), dimension()};
}
std::span<const double> CovarianceSearch::middle() const {
  return {state_->middle.data(), dimension()};
}

void CovarianceSearch::candidate(std::size_t individual, std::span<float> out) const {
  const auto from = sample(individual);
  std::transform(from.begin(), from.end(), out.begin(),
                 [](double x) { return static_cast<float>(x); });
}
bool CovarianceSearch::mean(std::span<float> out) const {
  const auto from = middle();
  std::transform(from.begin(), from.end(), out.begin(),
                 [](double x) { return static_cast<float>(x); });
  return true;
}

void CovarianceSearch::improve(std::span<const double> fitness, double, WorkerPool&) {
  State& s = *state_;
  check_fitness(fitness, individuals());
  const Rates& r = s.rates;
  const double n = static_cast<double>(s.n());
  const auto order = best_first(fitness);
  const auto direction = [&](Index rank) {
    return s.directions.col(order[static_cast<std::size_t>(rank)]);
  };
  ++s.generation;

  VectorXd step = VectorXd::Zero(s.n());
  for (Index i = 0; i < r.mu; ++i) step += r.w[i] * direction(i);
  s.middle += s.sigma * step;
  s.step_path = (1.0 - r.c_sigma) * s.step_path +
                std::sqrt(r.c_sigma * (2.0 - r.c_sigma) * r.mu_eff) * s.whitened(step);
  const double length = s.step_path.norm(),
               settled = 1.0 - std::pow(1.0 - r.c_sigma, 2.0 * static_cast<double>(s.generation));
  // While steps still grow quickly the path says nothing of the shape.
  const bool steady = length / std::sqrt(settled) < (1.4 + 2.0 / (n + 1.0)) * r.chi;
  s.path = (1.0 - r.c_c) * s.path;
  if (steady) s.path += std::sqrt(r.c_c * (2.0 - r.c_c) * r.mu_eff) * step;
  const double missed = steady ? 0.0 : r.c_1 * r.c_c * (2.0 - r.c_c);
  const double keep = 1.0 + missed - r.c_1 - r.c_mu * r.w.sum();
  if (s.whole) {
    MatrixXd changed(s.n(), r.w.size());
    VectorXd weights = r.w;
    for (Index i = 0; i < r.w.size(); ++i) {
      changed.col(i) = direction(i);
      // Keeps the matrix positive definite whatever the bad samples' lengths.
      if (weights[i] < 0.0) weights[i] *= n / s.whitened(changed.col(i)).squaredNorm();
    }
    s.covariance *= keep;
    s.covariance.noalias() += r.c_1 * s.path * s.path.transpose();
    const MatrixXd weighted = changed * (r.c_mu * weights).asDiagonal();
    s.covariance.noalias() += weighted * changed.transpose();
  } else {
    VectorXd squares = VectorXd::Zero(s.n());
    for (Index i = 0; i < r.mu; ++i) squares += r.w[i] * direction(i).cwiseAbs2();
    s.covariance = keep * s.covariance.col(0) + r.c_1 * s.path.cwiseAbs2() + r.c_mu * squares;
  }
  s.sigma *= std::exp(std::min(1.0, r.c_sigma / r.d_sigma * (length / r.chi - 1.0)));
  // Axes change slowly; working them out costs more than a sample does.
  if (static_cast<double>(s.generation - s.decomposed) > 1.0 / (10.0 * n * (r.c_1 + r.c_mu)))
    s.decompose();
  s.draw();
}

SearchReport CovarianceSearch::report() const {
  const State& s = *state_;
  const double stddev =
      s.sigma * (s.whole ? std::sqrt(s.covariance.trace() / static_cast<double>(s.n()))
                         : std::sqrt(s.covariance.mean()));
  return {s.sigma, stddev * 2.0 / std::sqrt(3.14159265358979323846)};
}

void CovarianceSearch::store(TensorFile& file) const {
  const State& s = *state_;
  const auto put = [&](const char* name, const auto& numbers) {
    file.put(name,
             std::span<const double>(numbers.data(), static_cast<std::size_t>(numbers.size())));
  };
  put("covariance.middle", s.middle);
  put("covariance.path", s.path);
  put("covariance.step_path", s.step_path);
  put("covariance.matrix", s.covariance);
  put("covariance.axes", s.axes);
  put("covariance.lengths", s.lengths);
  file.put("covariance.stddev", std::span<const double>(&s.sigma, 1));
  const std::array<std::int64_t, 2> counts{s.generation, s.decomposed};
  file.put("covariance.counts", std::span<const std::int64_t>(counts));
}

void CovarianceSearch::restore(const TensorFile& file) {
  State& s = *state_;
  const auto get = [&](const char* name, auto& numbers) {
    const auto list = file.doubles(name);
    if (list.size() != static_cast<std::size_t>(numbers.size()))
      throw Error(ErrorKind::refused, "the checkpoint is of another number of weights", name,
                  "resume with the settings it was trained with, or start a new run");
    std::copy(list.begin(), list.end(), numbers.data());
  };
  get("covariance.middle", s.middle);
  get("covariance.path", s.path);
  get("covariance.step_path", s.step_path);
  get("covariance.matrix", s.covariance);
  get("covariance.axes", s.axes);
  get("covariance.lengths", s.lengths);
  s.sigma = file.doubles("covariance.stddev").at(0);
  const auto counts = file.integers("covariance.counts");
  s.generation = counts.at(0);
  s.decomposed = counts.at(1);
  s.draw();
}

}  // namespace zithercraft
