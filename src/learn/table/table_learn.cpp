#include <algorithm>
#include <cmath>
#include <utility>

#include "learn/table/table_trainee.hpp"

namespace zithercraft::learn_internal {
namespace {

constexpr std::size_t samples_for_bins = 4096;

}  // namespace

// Bins that are met equally often in play by chance. Numbers that are the same make one bin.
void TableTrainee::find_bins() {
  const std::size_t columns = role().columns.size();
  for (std::size_t at = 0; at < steps_.size(); ++at)
    if (steps_[at].acted)
      met_.insert(met_.end(), sensed_.begin() + static_cast<std::ptrdiff_t>(at * columns),
                  sensed_.begin() + static_cast<std::ptrdiff_t>((at + 1) * columns));
  const std::size_t samples = met_.size() / columns;
  if (samples < samples_for_bins) return;
  const std::vector<std::size_t> counts = bin_counts(role(), settings_);
  StateBins bins = bins_for(role(), settings_);
  std::vector<float> sorted(samples);
  for (std::size_t c = 0; c < columns; ++c) {
    if (counts[c] < 3) continue;  // flags, and what is left out
    for (std::size_t i = 0; i < samples; ++i) sorted[i] = met_[i * columns + c];
    std::sort(sorted.begin(), sorted.end());
    auto& edges = bins.edges[c];
    edges.clear();
    for (std::size_t edge = 1; edge < counts[c]; ++edge) {
      const float number = sorted[edge * samples / counts[c]];
      if (number > sorted.front() && (edges.empty() || number > edges.back()))
        edges.push_back(number);
    }
  }
  table_.emplace(std::move(bins), combinations_, static_cast<float>(settings_.first_value),
                 tables_);
  words_ = table_->words();
  met_ = {};
  sensed_ = {};
}

// What is best next by one table, or will be done then, as the other table values it.
float TableTrainee::worth(const Next& next, std::size_t chooser, std::size_t judge) {
  if (next.row == StateTable::none) return 0.0f;
  if (settings_.on_policy && next.combination)
    return table_->row(next.row, judge)[*next.combination];
  Room& room = rooms_.front();
  const auto by = std::as_const(*table_).row(next.row, chooser);
  std::copy(by.begin(), by.end(), room.values.begin());
  forbid(next.allowed, room);
  const auto best = std::max_element(room.values.begin(), room.values.end()) - room.values.begin();
  return table_->row(next.row, judge)[static_cast<std::size_t>(best)];
}

// An error reaches back along what was done before, less and less.
void TableTrainee::follow_traces(Pending& pending, std::size_t table, float change, bool goes_on) {
  constexpr float least = 0.01f;
  const auto fades = static_cast<float>(*settings_.discount * settings_.trace_decay);
  auto& traces = pending.traces;
  std::erase_if(traces, [&](const Trace& t) { return t.row == pending.row; });
  traces.push_back({pending.row, pending.combination, 1.0f});
  for (Trace& trace : traces) {
    table_->row(trace.row, table)[trace.combination] += change * trace.strength;
    trace.strength *= fades;
  }
  if (!goes_on) traces.clear();
  std::erase_if(traces, [](const Trace& t) { return t.strength < least; });
}

void TableTrainee::learn(Pending& pending, const Next& next) {
  std::size_t table = 0, judge = 0;
  if (tables_ == 2) {
    RandomStream coin(coin_seed_, static_cast<std::uint32_t>(learned_ >> 32),
                      static_cast<std::uint32_t>(learned_), Purpose::shuffle);
    table = coin.below(2);
    judge = 1 - table;
  }
  float& value = table_->row(pending.row, table)[pending.combination];
  const float error =
      pending.reward + static_cast<float>(*settings_.discount) * worth(next, table, judge) - value;
  const float change = static_cast<float>(rate_) * error;
  // What was not meant to be best says nothing of how good the way to it was.
  const bool goes_on = settings_.on_policy || next.best;
  if (settings_.trace_decay > 0.0)
    follow_traces(pending, table, change, goes_on);
  else
    value += change;
  ++table_->visits(pending.row);
  ++learned_;
  ++learned_lately_;
  td_error_ += std::fabs(static_cast<double>(error));
}

void TableTrainee::learn_step(std::size_t time, std::size_t own_row) {
  const std::size_t at = place(time, own_row), masks = heads_.masks();
  const Step& step = steps_[at];
  Pending& pending = pending_[own_row];
  if (step.acted) {
    const Next now{.row = table_->add(key(keys_, at)),
                   .allowed = std::span(allowed_).subspan(at * masks, masks),
                   .combination = step.combination,
                   .best = step.best};
    if (pending.there) learn(pending, now);
    pending.there = true;
    pending.row = now.row;
    pending.combination = step.combination;
    pending.reward = 0.0f;
  }
  pending.reward += step.reward;
  if (!step.ended && !step.lost) return;
  if (pending.there && !step.lost) {
    Next next;
    if (step.cut_off)
      next = {.row = table_->add(key(last_keys_, at)),
              .allowed = std::span(last_allowed_).subspan(at * masks, masks)};
    learn(pending, next);
  }
  pending.there = false;
  pending.traces.clear();
}

void TableTrainee::learn_rollout() {
  for (std::size_t time = 0; time < horizon_; ++time)
    for (std::size_t row = 0; row < rows_; ++row) learn_step(time, row);
}

void TableTrainee::improve() {
  PhaseClock wall;
  times_ = {};
  td_error_ = 0.0;
  learned_lately_ = 0;
  coin_seed_ = derived_seed(seed(), "coin");
  rate_ = std::lerp(settings_.learning_rate, settings_.last_learning_rate, done());
  if (binned())
    learn_rollout();
  else
    find_bins();
  wall.add_to(times_.learn);
  times_.wall = times_.learn;
}

std::vector<Metric> TableTrainee::metrics() const {
  const double count = static_cast<double>(std::max<std::int64_t>(1, learned_lately_));
  return {{"states", binned() ? static_cast<double>(table_->size()) : 0.0},
          {"td_error", td_error_ / count},
          {"epsilon", settings_.exploration == Exploration::epsilon ? epsilon() : 0.0},
          {"learning_rate", rate_}};
}

}  // namespace zithercraft::learn_internal
