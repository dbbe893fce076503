#include <algorithm>
#include <cmath>
#include <utility>

#include "learn/values/off_policy.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {

// The senses' statistics, the scale of returns, and what there is to learn from.
void OffPolicy::fold_what_was_played() {
  for (std::size_t g = 0; g < groups_.size(); ++g) {
    taken_ += group_taken_[g];
    owed_ += static_cast<double>(group_taken_[g]) * *settings_.updates_per_step;
    if (settings_.normalise && group_moments_[g].count > 0.0) normaliser_.fold(group_moments_[g]);
  }
  if (settings_.normalise) view_.fold();
  if (settings_.offline) {
    taken_ += context_.rollout_steps;
    owed_ += static_cast<double>(context_.rollout_steps) * *settings_.updates_per_step;
  }
  if (shown_ && context_.updates == 0) fold_returns(shown_->take_returns());
  fold_returns(experience_.take_returns());
  experience_.take_stock(
      [&](std::size_t place, bool learnable) { stock_changed(place, learnable); });
  experience_.seal();
}

// Only what was played lately sets the scale: returns grow as the policy learns.
void OffPolicy::fold_returns(const Experience::Returns& returns) {
  constexpr double most_kept = 200'000.0;
  if (!settings_.normalise_returns || returns.count <= 0.0) return;
  const auto change =
      value_scale_.fold(returns.count, 0.0, returns.squares / returns.count, most_kept);
  rescale(change.factor);
  prepare(parameters_.span(), prepared_.span());
  prepare_target(target_.span(), target_prepared_.span());
}

void OffPolicy::improve() {
  PhaseClock wall;
  times_ = {};
  gradient_norm_ = age_ = 0.0;
  steps_made_ = 0;
  fold_what_was_played();
  begin_improvement();
  rate_ = rate();
  if (!settings_.offline && (warming_up() || experience_.transitions() == 0)) {
    owed_ = 0.0;
  } else {
    for (; owed_ >= 1.0; owed_ -= 1.0) learn_once(rate_);
  }
  end_improvement();
  for (auto& room : rooms_) times_ += std::exchange(room.times, {});
  wall.add_to(times_.wall);
}

void OffPolicy::draw_transitions(std::span<Transition> out, RandomStream& random) {
  for (Transition& transition : out)
    transition =
        experience_.transition_at(experience_.draw(random), steps_ahead(), *settings_.discount);
}

double OffPolicy::rate() const {
  return settings_.learning_rate +
         (settings_.last_learning_rate - settings_.learning_rate) * done();
}

std::size_t OffPolicy::shown_transitions() const {
  if (!shown_ || shown_->transitions() == 0) return 0;
  if (settings_.offline) return transitions_.size();
  double share = settings_.demonstrations_share;
  if (settings_.demonstrations_fade_by > 0.0)
    share *= std::max(0.0, 1.0 - done() / settings_.demonstrations_fade_by);
  return static_cast<std::size_t>(std::llround(share * static_cast<double>(transitions_.size())));
}

// Demonstrations first, then what was played; of networks that remember one of each span.
void OffPolicy::draw_minibatch(RandomStream& random) {
  const std::size_t drawn = transitions_.size() / span_, shown = shown_transitions() / span_;
  for (std::size_t i = 0; i < shown; ++i) {
    transitions_[i] =
        shown_->transition_at(shown_->draw(random), steps_ahead(), *settings_.discount);
    transitions_[i].shown = true;
  }
  const auto played = std::span(transitions_).first(drawn).subspan(shown);
  if (!played.empty()) draw_transitions(played, random);
  if (!played.empty()) age_ += experience_.age(played.front().place);
  counting_ = transitions_.size();
  if (remembers()) spread_spans();
}

void OffPolicy::learn_once(double rate) {
  PhaseClock clock;
  RandomStream random(derived_seed(seed(), "transitions"),
                      static_cast<std::uint32_t>(minibatches_ >> 32),
                      static_cast<std::uint32_t>(minibatches_), Purpose::shuffle);
  draw_minibatch(random);
  clock.add_to(times_.optimise);
  context_.pool.run(portion_gradients_.size(),
                    [&](std::size_t portion, std::size_t worker) { add_portion(portion, worker); });
  PhaseClock after;
  const auto share_stretches = [&](auto work) {
    context_.pool.run(stretches_.size(), [&](std::size_t stretch, std::size_t) { work(stretch); });
  };
  share_stretches([&](std::size_t stretch) { add_portions_up(stretch); });
  begin_step(rate);
  share_stretches([&](std::size_t stretch) { move(stretch); });
  prepare(parameters_.span(), prepared_.span());
  ++minibatches_;
  ++steps_made_;
  follow_target();
  after_step();
  after.add_to(times_.optimise);
}

void OffPolicy::add_portion(std::size_t portion, std::size_t worker) {
  Room& room = rooms_[worker];
  PhaseClock clock;
  const std::size_t first = portion * portion_length(),
                    count = std::min(portion_length(), transitions_.size() - first),
                    columns = role().columns.size(), masks = heads_.masks();
  const auto all = std::span<const Transition>(transitions_).subspan(first, count);
  for (const Transition& transition : all)
    for (const std::size_t place : {transition.place, transition.next})
      source_of(transition).announce(place);
  const auto gather = [&](AlignedBuffer<float>& inputs, AlignedBuffer<float>& allowed,
                          std::size_t Transition::*place) {
    if (remembers() && masks == 0) return;  // inputs are put together span by span
    for (std::size_t i = 0; i < count; ++i) {
      const auto senses =
          source_of(all[i]).senses(all[i].*place, room.senses.span().first(columns));
      heads_.read_masks(senses, allowed.span().subspan(i * masks, masks));
      if (!remembers())
        normaliser_.apply(senses, inputs.span().subspan(i * input_stride_), input_stride_);
    }
  };
  gather(room.inputs, room.allowed, &Transition::place);
  gather(room.next_inputs, room.next_allowed, &Transition::next);
  if (view_.sees_others()) gather_others(first, count, worker);
  SpanRows spans;
  std::size_t inputs = count;
  if (remembers()) {
    spans = gather_spans(first, count, room);
    inputs = spans.rows * spans.steps;
  }
  add_transitions({.worker = worker,
                   .portion = portion,
                   .first = first,
                   .transitions = all,
                   .inputs = room.inputs.span().first(inputs * input_stride_),
                   .next_inputs = room.next_inputs.span().first(count * input_stride_),
                   .allowed = room.allowed.span(),
                   .next_allowed = room.next_allowed.span(),
                   .others = room.others.span().first(count * view_.others_columns()),
                   .next_others = room.next_others.span().first(count * view_.others_columns()),
                   .scale = 1.0f / static_cast<float>(std::max<std::size_t>(1, counting_)),
                   .spans = remembers() ? &spans : nullptr},
                  portion_gradients_[portion].span());
  clock.add_to(room.times.learn);
}

// All portions are added to the first. What was taken begins again at 0 while it is at hand.
void OffPolicy::add_portions_up(std::size_t stretch) {
  Stretch& s = stretches_[stretch];
  const auto of = [&](AlignedBuffer<float>& all) {
    return all.span().subspan(s.first, s.end - s.first);
  };
  const auto sum = of(portion_gradients_[0]);
  for (std::size_t portion = 1; portion < portion_gradients_.size(); ++portion) {
    const auto more = of(portion_gradients_[portion]);
    const float* const __restrict from = more.data();
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += from[i];
    std::fill(more.begin(), more.end(), 0.0f);
  }
  const double norm = norm_of(sum);
  s.squares = norm * norm;
}

float OffPolicy::limiting_factor(double norm) const {
  constexpr double most_norm = 1e9;  // beyond it floats have no digits left for what is learned
  if (!(norm <= most_norm))
    throw Error(ErrorKind::numbers,
                std::isfinite(norm) ? "the gradient explodes" : "the gradient is not finite",
                "update " + std::to_string(context_.updates + 1),
                "lower the learning rate or the rewards");
  return norm > settings_.gradient_limit ? static_cast<float>(settings_.gradient_limit / norm)
                                         : 1.0f;
}

// Each part has a limit and an optimiser of its own.
void OffPolicy::begin_step(double rate) {
  double longest = 0.0;
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    Part& part = parts_[i];
    part.learns = part_learns(i);
    if (!part.learns) continue;
    double squares = 0.0;
    for (const Stretch& stretch : stretches_)
      if (stretch.part == i) squares += stretch.squares;
    const double norm = std::sqrt(squares);
    part.factor = limiting_factor(norm);
    part.adam.begin_step(rate);
    longest = std::max(longest, norm);
  }
  gradient_norm_ += longest;
}

void OffPolicy::move(std::size_t stretch) {
  const Stretch& s = stretches_[stretch];
  Part& part = parts_[s.part];
  const std::size_t length = s.end - s.first;
  const auto gradient = portion_gradients_[0].span().subspan(s.first, length);
  if (part.learns)
    part.adam.step_stretch(s.first - part.first, parameters_.span().subspan(s.first, length),
                           gradient, part.factor);
  std::fill(gradient.begin(), gradient.end(), 0.0f);
}

// What is prepared are the same numbers in another order, so it follows in the same way.
void OffPolicy::follow_target() {
  const auto rate = static_cast<float>(settings_.target_rate);
  const auto follow = [&](std::span<float> target, std::span<const float> leader) {
    float* const __restrict to = target.data();
    for (std::size_t i = 0; i < target.size(); ++i) to[i] += rate * (leader[i] - to[i]);
  };
  const auto parameters = target_.span().subspan(target_first_),
             prepared = target_prepared_.span().subspan(target_prepared_first_);
  const auto leaders = parameters_.span().subspan(target_first_),
             prepared_leaders = prepared_.span().subspan(target_prepared_first_);
  const auto stretches = [](std::size_t numbers) {
    return (numbers + stretch_length - 1) / stretch_length;
  };
  const std::size_t first = stretches(parameters.size());
  context_.pool.run(first + stretches(prepared.size()), [&](std::size_t stretch, std::size_t) {
    const bool is_first = stretch < first;
    const auto all = is_first ? parameters : prepared;
    const std::size_t at = (is_first ? stretch : stretch - first) * stretch_length,
                      length = std::min(stretch_length, all.size() - at);
    follow(all.subspan(at, length), (is_first ? leaders : prepared_leaders).subspan(at, length));
  });
}

std::vector<Metric> OffPolicy::metrics() const {
  const double steps = static_cast<double>(std::max<std::int64_t>(1, steps_made_));
  std::vector<Metric> list{
      {"minibatches", static_cast<double>(minibatches_)},
      {"kept_steps",
       static_cast<double>(experience_.transitions() + (shown_ ? shown_->transitions() : 0))},
      {"sample_age", age_ / steps},
      {"gradient_norm", gradient_norm_ / steps},
      {"learning_rate", rate_}};
  add_metrics(list);
  return list;
}

}  // namespace zithercraft::learn_internal
