#include "zithercraft/game/curriculum.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {

Curriculum::Curriculum(const Game& game)
    : stages_(game.spec().stages), terms_(game.roles()[0].terms) {}

std::size_t Curriculum::stage_of(EpisodeKey episode) const {
  const double earlier = stage_ < stages_.size() ? stages_[stage_].earlier : 0.0;
  if (stage_ == 0 || earlier == 0.0) return stage_;
  RandomStream random(derived_seed(episode.seed, "earlier stages"), episode.lane, episode.episode,
                      Purpose::stage);
  if (static_cast<double>(random.uniform()) >= earlier) return stage_;
  return random.below(static_cast<std::uint32_t>(stage_));
}

double Curriculum::metric_of(const EpisodeResult& episode) const {
  const std::string& metric = stages_[stage_].advance.metric;
  if (metric == "success") return episode.outcome == Outcome::success ? 1.0 : 0.0;
  if (metric == "return") return episode.episode_return;
  if (metric == "length") return static_cast<double>(episode.length);
  const auto term = std::find(terms_.begin(), terms_.end(), metric);
  return term == terms_.end() ? 0.0
                              : episode.ledger[static_cast<std::size_t>(term - terms_.begin())];
}

void Curriculum::add(const EpisodeResult& episode) {
  if (stage_ >= stages_.size() || episode.stage != stage_ || stages_[stage_].advance.metric.empty())
    return;
  lately_.push_back(metric_of(episode));
  if (lately_.size() > static_cast<std::size_t>(stages_[stage_].advance.over)) lately_.pop_front();
}

bool Curriculum::advance(std::int64_t steps) {
  if (stage_ >= stages_.size()) return false;
  const Advance& rule = stages_[stage_].advance;
  bool learned = rule.steps && steps - begun_ >= *rule.steps;
  if (!rule.metric.empty() && lately_.size() >= static_cast<std::size_t>(rule.over)) {
    const double mean =
        std::accumulate(lately_.begin(), lately_.end(), 0.0) / static_cast<double>(lately_.size());
    learned = learned || mean >= rule.at_least;
  }
  if (!learned) return false;
  ++stage_;
  begun_ = steps;
  lately_.clear();
  return true;
}

std::vector<double> Curriculum::numbers() const {
  std::vector<double> all{static_cast<double>(stage_), static_cast<double>(begun_)};
  all.insert(all.end(), lately_.begin(), lately_.end());
  return all;
}

void Curriculum::restore(std::span<const double> numbers) {
  if (numbers.size() < 2 || !(numbers[0] >= 0.0) ||
      numbers[0] > static_cast<double>(stages_.size()))
    throw Error(ErrorKind::refused, "the checkpoint is on a stage that the game does not have",
                "checkpoint", "resume with the game it was trained in, or start a new run");
  stage_ = static_cast<std::size_t>(numbers[0]);
  begun_ = static_cast<std::int64_t>(numbers[1]);
  lately_.assign(numbers.begin() + 2, numbers.end());
}

}  // namespace zithercraft
