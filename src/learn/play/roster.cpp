#include "learn/play/roster.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {

std::string roster_place(std::size_t past, const std::string& role) {
  return "roster/" + std::to_string(past) + "/" + role + "/";
}

std::size_t Roster::draw(RandomStream random) const {
  const double past = settings_.against_past, all = past + settings_.against_hardest;
  if (random.uniform() * all < past || past_.size() == 1)
    return random.below(static_cast<std::uint32_t>(past_.size()));
  // A policy that was met little may be hard.
  const auto hardness = [](const PastSelf& self) {
    const double n = self.lately.played();
    const double share = (self.lately.share() * n + 0.5 * 4.0) / (n + 4.0);
    return (1.0 - share) * (1.0 - share);
  };
  double sum = 0.0;
  for (const PastSelf& self : past_) sum += hardness(self);
  double left = random.uniform() * sum;
  for (std::size_t i = 0; i + 1 < past_.size(); ++i) {
    left -= hardness(past_[i]);
    if (left < 0.0) return i;
  }
  return past_.size() - 1;
}

void Roster::note(std::size_t against, Outcome outcome) {
  Tally& tally = past_[against].lately;
  (outcome == Outcome::success   ? tally.wins
   : outcome == Outcome::failure ? tally.losses
                                 : tally.draws) += 1.0;
}

std::vector<Rating> Roster::ratings() const {
  std::vector<Tally> tallies = between_;
  for (std::size_t i = 0; i < past_.size(); ++i) {
    tallies.push_back(past_[i].lately);
    tallies.back().a = past_.size();
    tallies.back().b = i;
  }
  // The present policies were the last past ones a short while ago.
  constexpr double draws = 20.0;
  if (!past_.empty()) tallies.push_back({past_.size(), past_.size() - 1, 0.0, draws, 0.0});
  return fit_ratings(past_.size() + 1, tallies);
}

bool Roster::due(std::int64_t steps) const {
  if (past_.empty() || steps - past_.back().steps >= settings_.snapshot_every) return true;
  if (settings_.snapshot_gain <= 0.0) return false;
  const auto all = ratings();
  return all.back().low() - all[all.size() - 2].points >= settings_.snapshot_gain;
}

void Roster::keep(PastSelf present, std::vector<std::size_t>& moved) {
  const std::size_t number = past_.size();
  for (std::size_t i = 0; i < number; ++i) {
    Tally& lately = past_[i].lately;
    if (lately.played() > 0.0)
      between_.push_back({number, i, lately.wins, lately.draws, lately.losses});
    lately = {};
  }
  past_.push_back(std::move(present));
  moved.resize(past_.size());
  for (std::size_t i = 0; i < moved.size(); ++i) moved[i] = i;
  if (past_.size() <= static_cast<std::size_t>(settings_.roster_size)) return;
  // The first and the last stay; between them the one that leaves the smallest gap goes.
  std::size_t out = 1;
  const auto gap = [&](std::size_t i) { return past_[i + 1].steps - past_[i - 1].steps; };
  for (std::size_t i = 2; i + 1 < past_.size(); ++i)
    if (gap(i) < gap(out)) out = i;
  past_.erase(past_.begin() + static_cast<std::ptrdiff_t>(out));
  std::erase_if(between_, [&](const Tally& t) { return t.a == out || t.b == out; });
  for (Tally& t : between_) {
    t.a -= t.a > out ? 1 : 0;
    t.b -= t.b > out ? 1 : 0;
  }
  for (std::size_t i = out; i < moved.size(); ++i) moved[i] = i - 1;
}

RosterReport Roster::report() const {
  RosterReport report;
  if (past_.empty()) return report;
  const auto all = ratings();
  report.rating = all.back();
  for (std::size_t i = 0; i < past_.size(); ++i)
    report.past.push_back({past_[i].steps, all[i], past_[i].lately});
  std::vector<Tally> tallies = between_;
  for (std::size_t i = 0; i < past_.size(); ++i) {
    const Tally& t = past_[i].lately;
    tallies.push_back({past_.size(), i, t.wins, t.draws, t.losses});
    if (beats({i, past_.size(), t.losses, t.draws, t.wins}))
      report.forgotten.push_back(past_[i].steps);
  }
  const auto steps = [&](std::size_t player) {
    return player < past_.size() ? past_[player].steps : -1;
  };
  for (const auto& [a, b, c] : find_cycles(tallies))
    report.cycles.push_back({steps(a), steps(b), steps(c)});
  return report;
}

std::vector<double> Roster::numbers() const {
  std::vector<double> all{static_cast<double>(past_.size())};
  const auto put = [&](const Tally& t) {
    for (const double n :
         {static_cast<double>(t.a), static_cast<double>(t.b), t.wins, t.draws, t.losses})
      all.push_back(n);
  };
  for (const PastSelf& self : past_) {
    all.push_back(static_cast<double>(self.steps));
    put(self.lately);
  }
  for (const Tally& t : between_) put(t);
  return all;
}

std::size_t Roster::restore(std::span<const double> numbers) {
  const auto refuse = [] {
    throw Error(ErrorKind::refused, "the checkpoint's roster makes no sense", "checkpoint",
                "take another checkpoint");
  };
  std::size_t next = 0;
  const auto get = [&] {
    if (next >= numbers.size()) refuse();
    return numbers[next++];
  };
  const auto tally = [&] {
    Tally t;
    t.a = static_cast<std::size_t>(get());
    t.b = static_cast<std::size_t>(get());
    t.wins = get();
    t.draws = get();
    t.losses = get();
    return t;
  };
  past_.clear();
  between_.clear();
  const double count = get();
  if (!(count >= 0.0 && count <= 4096.0)) refuse();
  for (auto left = static_cast<std::size_t>(count); left > 0; --left) {
    PastSelf self;
    self.steps = static_cast<std::int64_t>(get());
    self.lately = tally();
    past_.push_back(std::move(self));
  }
  while (next < numbers.size()) {
    between_.push_back(tally());
    if (between_.back().a >= past_.size() || between_.back().b >= past_.size()) refuse();
  }
  return past_.size();
}

}  // namespace zithercraft::learn_internal
