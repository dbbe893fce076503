// Networks that remember learn from several steps in a row, as they were played: what was
// remembered before them is known, and the steps before bring it up to date with what the networks
// have learned since (Kapturowski et al.: "Recurrent experience replay in distributed reinforcement
// learning", 2019: stored state with burn-in).

#include <algorithm>

#include "learn/values/off_policy.hpp"

namespace zithercraft::learn_internal {

// Every transition that was drawn makes room for all of its span.
void OffPolicy::spread_spans() {
  counting_ = 0;
  for (std::size_t s = transitions_.size() / span_; s-- > 0;) {
    const Transition drawn = transitions_[s];
    const Experience& source = source_of(drawn);
    Experience::Moment moment = source.moment_of(drawn.place);
    moment.step -= moment.step % span_;
    const std::uint64_t end = moment.step + span_ + ahead_;
    for (std::size_t i = 0; i < span_; ++i, ++moment.step) {
      Transition& one = transitions_[s * span_ + i];
      one = drawn;
      one.counts = source.holds(moment) && source.learnable(source.place_of(moment));
      if (!one.counts) continue;
      one = source.transition_at(source.place_of(moment), steps_ahead(), *settings_.discount);
      one.shown = drawn.shown;
      one.weight = drawn.weight;
      one.counts = source.moment_of(one.next).step < end;
      if (one.counts) ++counting_;
    }
  }
}

// What was sensed in a step, as networks read it; nothing, if it is not kept.
void OffPolicy::read_moment(const Experience& source, const Experience::Moment& moment,
                            std::span<float> senses, std::span<float> inputs,
                            std::uint8_t& begins) const {
  begins = 0;
  std::fill(inputs.begin(), inputs.end(), 0.0f);
  if (!source.holds(moment)) return;
  const std::size_t place = source.place_of(moment);
  begins = source.begins_episode(place) ? 1 : 0;
  normaliser_.apply(source.senses(place, senses), inputs, input_stride_);
}

SpanRows OffPolicy::gather_spans(std::size_t first, std::size_t count, Room& room) const {
  Spans& own = room.spans;
  const std::size_t rows = count / span_, steps = span_ + ahead_;
  own.place.resize(count);
  own.next.resize(count);
  own.begins_before.resize(span_ * rows);
  own.begins.resize(steps * rows);
  own.any_before.resize(rows);
  const auto senses = room.senses.span().first(role().columns.size());
  const auto of = [&](AlignedBuffer<float>& all, std::size_t row, std::size_t stride) {
    return all.span().subspan(row * stride, stride);
  };
  for (std::size_t s = 0; s < rows; ++s) {
    const Transition& any = transitions_[first + s * span_];
    const Experience& source = source_of(any);
    Experience::Moment moment = source.moment_of(any.place);
    moment.step -= moment.step % span_;
    for (std::size_t i = 0; i < span_; ++i) {
      const Transition& one = transitions_[first + s * span_ + i];
      const auto after = one.counts ? source.moment_of(one.next).step - moment.step : 0;
      own.place[s * span_ + i] = i * rows + s;
      own.next[s * span_ + i] = static_cast<std::size_t>(after) * rows + s;
    }
    const auto recall = [&](const Experience::Moment& m, std::span<float> to) {
      if (source.holds(m))
        std::copy_n(source.memory(m).begin(), memory_stride_, to.begin());
      else
        std::fill(to.begin(), to.end(), 0.0f);
    };
    recall(moment, of(own.memory, s, memory_stride_));
    Experience::Moment before = moment;
    own.any_before[s] = moment.step >= span_ ? 1 : 0;
    if (own.any_before[s] != 0) before.step -= span_;
    own.any_before[s] = own.any_before[s] != 0 && source.holds(before) ? 1 : 0;
    recall(before, of(own.memory_before, s, memory_stride_));
    for (std::size_t t = 0; t < span_; ++t, ++before.step)
      read_moment(source, before, senses, of(own.inputs_before, t * rows + s, input_stride_),
                  own.begins_before[t * rows + s]);
    for (std::size_t t = 0; t < steps; ++t, ++moment.step)
      read_moment(source, moment, senses, of(room.inputs, t * rows + s, input_stride_),
                  own.begins[t * rows + s]);
  }
  return {.rows = rows,
          .steps_before = span_,
          .steps = steps,
          .inputs_before = own.inputs_before.span().first(span_ * rows * input_stride_),
          .begins_before = own.begins_before,
          .begins = own.begins,
          .memory_before = own.memory_before.span().first(rows * memory_stride_),
          .memory = own.memory.span().first(rows * memory_stride_),
          .any_before = own.any_before,
          .place = own.place,
          .next = own.next};
}

}  // namespace zithercraft::learn_internal
