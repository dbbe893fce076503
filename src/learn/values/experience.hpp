#pragma once

// Steps that were played, kept to be learned from many times. experience.cpp writes and reads them,
// experience_store.cpp keeps them in checkpoints.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/aligned.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {
class RandomStream;
class TensorFile;
}  // namespace zithercraft

namespace zithercraft::learn_internal {

/// How a row of senses is kept: pixels as bytes, and of a sense that remembers earlier steps only
/// what is sensed now; the rest is put together from the steps before.
class SenseStore {
 public:
  explicit SenseStore(const Role& role);

  std::size_t columns() const { return columns_; }
  /// Numbers and bytes of a step that are kept.
  std::size_t numbers() const { return numbers_; }
  std::size_t bytes() const { return bytes_; }
  /// Steps that lie between what is sensed now and the oldest that is sensed too.
  std::size_t history() const { return by_age_.size() - 1; }
  void keep(std::span<const float> senses, float* numbers, std::uint8_t* bytes) const;
  /// Fills in the columns of one age from what was kept at that step.
  void fetch(std::size_t age, const float* numbers, const std::uint8_t* bytes,
             std::span<float> senses) const;
  /// A row is kept as it is sensed.
  bool keeps_rows() const { return numbers_ == columns_ && history() == 0; }

 private:
  // Columns side by side that are kept side by side.
  struct Run {
    std::size_t column = 0, at = 0, count = 0;  // at: among the numbers, or among the bytes
    bool bytes = false;
    float low = 0.0f, step = 0.0f;  // a byte stands for low + step * byte
  };
  void add(std::vector<Run>& runs, const Run& one) const;

  std::vector<std::vector<Run>> by_age_;  // columns by the age of what they sense
  std::size_t columns_ = 0, numbers_ = 0, bytes_ = 0;
};

/// A step to learn from, and what came of it.
struct Transition {
  std::size_t place = 0;  // of the step
  std::size_t next = 0;   // of the step after it, or after several
  float reward = 0.0f;    // of these steps, discounted
  float discount = 0.0f;  // of what comes then; 0 if nothing does
  float weight = 1.0f;    // in the loss
  bool shown = false;     // it is one of the demonstrations
  bool counts = true;     // it is learned from
};

/// What is kept of each step besides what its seat senses and does.
struct KeptBesides {
  std::size_t others = 0;  // numbers of what others sense and do
  // Numbers that a network remembers; they are kept before the first of every `span` steps.
  std::size_t memory = 0, span = 1;
};

/// A ring of steps for each row; what is oldest makes room for what is new. Different rows may be
/// written by different threads. Observations are kept once: what follows a step is what the next
/// one began with.
class Experience {
 public:
  /// `steps`: of all rows together, at least two for each.
  Experience(const Role& role, std::size_t rows, std::size_t steps,
             const KeptBesides& besides = {});

  std::size_t rows() const { return rows_; }
  std::size_t places() const { return rows_ * depth_; }
  /// Memory that a number of steps of a role takes.
  static std::size_t bytes_for(const Role& role, std::size_t steps,
                               const KeptBesides& besides = {});

  // ---- while playing, row by row
  /// What is remembered before the step that begins next.
  void remember(std::size_t row, std::span<const float> memory);
  /// A step begins: what is sensed, and how it is acted upon.
  void act(std::size_t row, std::span<const float> senses, std::span<const float> action);
  /// What others sense and do in the step that began last.
  void see_others(std::size_t row, std::span<const float> others);
  /// A step in which the row's body is out of the arena.
  void miss(std::size_t row, std::span<const float> senses);
  /// A reward for the last step in which the row acted.
  void reward(std::size_t row, float amount, double discount);
  /// The episode ends; `senses`, and what others sense, are those of its last moment if it was cut
  /// off, else empty.
  void end(std::size_t row, std::span<const float> senses, std::span<const float> others = {});
  /// What was played of the episode does not count; a new one begins.
  void lose(std::size_t row);
  /// The episode will not go on, nobody knows why; a new one begins.
  void abandon(std::size_t row);

  // ---- while learning
  /// Takes notice of steps that have become complete, and of those that are gone; to be called
  /// before transitions are drawn. `changed` is called with each place and whether it can be
  /// learned from now.
  template <class Changed>
  void take_stock(Changed changed);
  /// Steps that can be learned from.
  std::size_t transitions() const { return transitions_; }
  bool learnable(std::size_t place) const { return (marks_[place] & transition) != 0; }
  /// Any step that can be learned from, all equally likely. There must be one.
  std::size_t draw(RandomStream& random) const;
  /// What came of a step, up to `steps` of them.
  Transition transition_at(std::size_t place, std::size_t steps, double discount) const;
  /// What was sensed at a place: as it is kept, or put together in `room`.
  [[nodiscard]] std::span<const float> senses(std::size_t place, std::span<float> room) const;
  /// Lets memory bring what was sensed at a place, which will be read soon.
  void announce(std::size_t place) const;
  std::span<const float> action(std::size_t place) const {
    return actions_.span().subspan(place * controls_, controls_);
  }
  std::span<const float> others(std::size_t place) const {
    return others_.span().subspan(place * besides_.others, besides_.others);
  }

  // ---- steps in a row
  /// A step, counted from the beginning of the training.
  struct Moment {
    std::size_t row = 0;
    std::uint64_t step = 0;
  };
  Moment moment_of(std::size_t place) const { return {place / depth_, step_at(place)}; }
  std::size_t place_of(const Moment& m) const { return place(m.row, m.step); }
  bool holds(const Moment& m) const {
    return m.step >= state_[m.row].first && m.step < state_[m.row].next;
  }
  /// Whether nothing is remembered before it.
  bool begins_episode(std::size_t place) const { return (marks_[place] & begins) != 0; }
  /// What was remembered before the first step of a span.
  std::span<const float> memory(const Moment& m) const {
    return memory_.span().subspan(place_of(m) / besides_.span * besides_.memory, besides_.memory);
  }

  /// Steps of its row since a place was written.
  double age(std::size_t place) const;
  /// Sums of squares of the discounted returns that were played since the last call, and of how
  /// many.
  struct Returns {
    double count = 0.0, squares = 0.0;
  };
  Returns take_returns();

  // ---- keeping
  /// Between rollouts: once enough steps have come, they become a piece, which never changes.
  void seal();
  /// Pieces are offered as parts "experience.piece.NUMBER/".
  void store(TensorFile& file) const;
  /// Throws Error (refused) if it is of another game or size.
  void restore(const TensorFile& file);

 private:
  // What a place holds.
  enum Mark : std::uint8_t {
    acted = 1,       // a step in which the row acted
    begins = 2,      // the first of an episode
    ends = 4,        // the last of an episode in which it acted
    final = 8,       // no step: the last moment of an episode that was cut off
    useless = 16,    // what came of it is not known
    transition = 32  // it can be learned from
  };
  // Steps are counted from the beginning of the training.
  struct Row {
    std::uint64_t first = 0, next = 0;  // that it holds
    std::uint64_t stocked = 0;          // up to where they were taken notice of
    std::uint64_t faded = 0;            // up to where they are too old
    std::uint64_t sealed = 0;           // up to where they are in pieces
    std::uint64_t last = 0;             // in which it acted, or the last moment of an episode
    bool fresh = true;                  // it has not acted in its episode
    double running = 0.0;               // return of the episode so far, older rewards discounted
    double count = 0.0, squares = 0.0;  // of the running returns
    std::size_t transitions = 0;
  };

  std::size_t place(std::size_t row, std::uint64_t step) const {
    return row * depth_ + static_cast<std::size_t>(step % depth_);
  }
  std::uint64_t step_at(std::size_t place) const;
  void write(std::size_t row, std::span<const float> senses, std::uint8_t marks);
  void forget(Row& row, std::size_t place);
  // From where on the steps before are still there too, as far back as senses remember.
  std::uint64_t clear_from(const Row& row) const;
  // Steps of one row, from the first up to the one behind the last.
  struct Range {
    std::size_t row = 0;
    std::uint64_t from = 0, to = 0;
  };
  // Steps of all rows that are kept together.
  struct Piece {
    std::int64_t number = 0;
    std::vector<Range> rows;
  };
  std::uint64_t held_of(const Piece& piece) const;
  std::vector<Range> all_held() const;
  std::vector<Range> outside_pieces() const;
  template <class Number>
  std::vector<Number> gathered(std::span<const Range> ranges, std::span<const Number> all,
                               std::size_t each) const;
  template <class Number>
  void scatter(std::span<const Range> ranges, std::span<const Number> some, std::size_t each,
               std::span<Number> all) const;
  void put_steps(TensorFile& file, const std::string& place, std::span<const Range> ranges) const;
  void get_steps(const TensorFile& file, const std::string& place, std::span<const Range> ranges);
  void restore_rows(const TensorFile& file);
  void restore_pieces(const TensorFile& file);

  SenseStore store_;
  std::size_t rows_, depth_, controls_;
  KeptBesides besides_;
  std::vector<Row> state_;
  AlignedBuffer<float> numbers_, actions_, rewards_, others_, memory_;
  AlignedBuffer<std::uint8_t> bytes_, marks_;
  std::size_t transitions_ = 0, longest_ = 0;
  std::vector<Piece> pieces_;
  std::int64_t sealed_ = 0;  // pieces that there were
};

template <class Changed>
void Experience::take_stock(Changed changed) {
  transitions_ = longest_ = 0;
  for (std::size_t row = 0; row < rows_; ++row) {
    Row& r = state_[row];
    for (std::uint64_t step = std::max(r.faded, r.first); step < clear_from(r); ++step) {
      forget(r, place(row, step));
      marks_[place(row, step)] |= useless;
      changed(place(row, step), false);
    }
    r.faded = clear_from(r);
    bool open = false;
    for (std::uint64_t step = std::max(r.stocked, r.faded); step < r.next; ++step) {
      const std::size_t at = place(row, step);
      const std::uint8_t marks = marks_[at];
      const bool known =
          (marks & (acted | useless)) != acted || (marks & ends) != 0 || step < r.last;
      const bool fine = known && (marks & acted) != 0 && (marks & useless) == 0;
      forget(r, at);
      if (fine) {
        marks_[at] |= transition;
        ++r.transitions;
      }
      changed(at, fine);
      open = open || !known;
      if (!open) r.stocked = step + 1;
    }
    transitions_ += r.transitions;
    longest_ = std::max(longest_, static_cast<std::size_t>(r.next - r.first));
  }
}

}  // namespace zithercraft::learn_internal
