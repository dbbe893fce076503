#pragma once

// What a training remembers of the episodes that ended last.

#include <array>
#include <cmath>
#include <cstdint>
#include <deque>
#include <vector>

#include "zithercraft/game/episode.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::run_internal {

// The last episodes: success, return and length.
class RecentEpisodes {
 public:
  static constexpr std::size_t most = 100;

  void add(const EpisodeResult& e) {
    list_.push_back({e.outcome == Outcome::success ? 1.0 : 0.0, e.episode_return,
                     static_cast<double>(e.length)});
    if (list_.size() > most) list_.pop_front();
  }
  void clear() { list_.clear(); }
  double mean(std::size_t what) const {
    double sum = 0.0;
    for (const auto& e : list_) sum += e[what];
    return list_.empty() ? 0.0 : sum / static_cast<double>(list_.size());
  }
  std::int64_t count() const { return static_cast<std::int64_t>(list_.size()); }

  void store(TensorFile& file) const {
    std::vector<double> flat;
    for (const auto& e : list_) flat.insert(flat.end(), e.begin(), e.end());
    file.put("recent_episodes", std::span<const double>(flat));
  }
  void restore(const TensorFile& file) {
    const auto flat = file.doubles("recent_episodes");
    for (std::size_t i = 0; i + 3 <= flat.size(); i += 3)
      list_.push_back({flat[i], flat[i + 1], flat[i + 2]});
  }

 private:
  std::deque<std::array<double, 3>> list_;
};

// Whether the return still rises: smoothed, since single updates are luck.
class Plateau {
 public:
  void see(std::int64_t steps, double mean_return) {
    const double share = ++seen_ == 1 ? 1.0 : 0.1;
    smooth_ += share * (mean_return - smooth_);
    swing_ += share * (std::fabs(mean_return - smooth_) - swing_);
    if (seen_ > 1 && smooth_ <= best_ + 0.5 * swing_) return;
    best_ = smooth_;
    best_at_ = steps;
  }
  // -1 unless a fifth of the training has gone by without a gain.
  std::int64_t since(std::int64_t steps, std::int64_t total) const {
    return seen_ > 20 && steps - best_at_ > total / 5 ? best_at_ : -1;
  }

 private:
  std::int64_t seen_ = 0, best_at_ = 0;
  double smooth_ = 0.0, swing_ = 0.0, best_ = 0.0;
};

}  // namespace zithercraft::run_internal
