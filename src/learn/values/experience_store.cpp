// Kept steps in checkpoints: in pieces that are written once, as what was sensed and done never
// changes, and what becomes known later, or is too little for a piece, in the checkpoint itself.

#include <algorithm>

#include "learn/values/experience.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
namespace {

// A piece is at least this share of all places, and is given up once less than half of it is held:
// what is in no piece is written with every checkpoint.
constexpr std::uint64_t pieces_in_all = 32;

[[noreturn]] void refuse() {
  throw Error(ErrorKind::refused, "the steps that the checkpoint keeps make no sense here",
              "checkpoint", "resume with the game and the settings it was trained with");
}

std::string place_of_piece(std::int64_t number) {
  return "experience.piece." + std::to_string(number) + "/";
}

template <class Ranges>
std::uint64_t steps_in(const Ranges& ranges) {
  std::uint64_t steps = 0;
  for (const auto& r : ranges) steps += r.to - r.from;
  return steps;
}

}  // namespace

std::uint64_t Experience::held_of(const Piece& piece) const {
  std::uint64_t steps = 0;
  for (const Range& r : piece.rows) steps += r.to - std::clamp(state_[r.row].first, r.from, r.to);
  return steps;
}

std::vector<Experience::Range> Experience::all_held() const {
  std::vector<Range> ranges;
  for (std::size_t row = 0; row < rows_; ++row)
    ranges.push_back({row, state_[row].first, state_[row].next});
  return ranges;
}

// Those of pieces that were given up, and those that are in none yet.
std::vector<Experience::Range> Experience::outside_pieces() const {
  std::vector<Range> ranges;
  for (std::size_t row = 0; row < rows_; ++row) {
    const Row& r = state_[row];
    const std::uint64_t begin = pieces_.empty() ? r.sealed : pieces_.front().rows[row].from;
    ranges.push_back({row, r.first, std::clamp(begin, r.first, r.next)});
    ranges.push_back({row, std::max(r.sealed, r.first), r.next});
  }
  return ranges;
}

void Experience::seal() {
  while (!pieces_.empty() && 2 * held_of(pieces_.front()) < steps_in(pieces_.front().rows))
    pieces_.erase(pieces_.begin());
  std::uint64_t waiting = 0;
  for (const Row& r : state_) waiting += r.next - std::max(r.sealed, r.first);
  if (waiting * pieces_in_all < places()) return;
  Piece piece{.number = sealed_, .rows = {}};
  for (std::size_t row = 0; row < rows_; ++row) {
    Row& r = state_[row];
    piece.rows.push_back({row, std::max(r.sealed, r.first), r.next});
    r.sealed = r.next;
  }
  pieces_.push_back(std::move(piece));
  ++sealed_;
}

template <class Number>
std::vector<Number> Experience::gathered(std::span<const Range> ranges, std::span<const Number> all,
                                         std::size_t each) const {
  std::vector<Number> some;
  some.reserve(steps_in(ranges) * each);
  for (const Range& r : ranges)
    for (std::uint64_t step = r.from; step < r.to; ++step) {
      const auto own = all.subspan(place(r.row, step) * each, each);
      some.insert(some.end(), own.begin(), own.end());
    }
  return some;
}

// What is not held any more is left out.
template <class Number>
void Experience::scatter(std::span<const Range> ranges, std::span<const Number> some,
                         std::size_t each, std::span<Number> all) const {
  auto from = some.begin();
  for (const Range& r : ranges)
    for (std::uint64_t step = r.from; step < r.to;
         ++step, from += static_cast<std::ptrdiff_t>(each))
      if (step >= state_[r.row].first)
        std::copy_n(from, each,
                    all.begin() + static_cast<std::ptrdiff_t>(place(r.row, step) * each));
}

void Experience::put_steps(TensorFile& file, const std::string& place,
                           std::span<const Range> ranges) const {
  const auto put = [&](const char* name, std::size_t each, const AlignedBuffer<float>& all) {
    if (each > 0)
      file.put(place + name, {steps_in(ranges), each}, gathered<float>(ranges, all.span(), each));
  };
  put("numbers", store_.numbers(), numbers_);
  put("actions", controls_, actions_);
  put("others", besides_.others, others_);
  const auto pixels = gathered<std::uint8_t>(ranges, bytes_.span(), store_.bytes());
  file.put(place + "pixels", std::as_bytes(std::span(pixels)));
}

void Experience::get_steps(const TensorFile& file, const std::string& place,
                           std::span<const Range> ranges) {
  const auto get = [&](const char* name, std::size_t each, AlignedBuffer<float>& all) {
    if (each == 0) return;
    std::vector<float> some(steps_in(ranges) * each);
    file.get(place + name, some);
    scatter<float>(ranges, some, each, all.span());
  };
  get("numbers", store_.numbers(), numbers_);
  get("actions", controls_, actions_);
  get("others", besides_.others, others_);
  const auto pixels = file.bytes(place + "pixels");
  if (pixels.size() != steps_in(ranges) * store_.bytes()) refuse();
  scatter<std::uint8_t>(ranges,
                        {reinterpret_cast<const std::uint8_t*>(pixels.data()), pixels.size()},
                        store_.bytes(), bytes_.span());
}

void Experience::store(TensorFile& file) const {
  std::vector<std::int64_t> counts{static_cast<std::int64_t>(rows_),
                                   static_cast<std::int64_t>(depth_), sealed_};
  std::vector<double> returns;
  for (const Row& r : state_) {
    for (const std::uint64_t n : {r.first, r.next, r.stocked, r.faded, r.sealed, r.last})
      counts.push_back(static_cast<std::int64_t>(n));
    counts.push_back(r.fresh ? 1 : 0);
    for (const double n : {r.running, r.count, r.squares}) returns.push_back(n);
  }
  file.put("experience.counts", std::span<const std::int64_t>(counts));
  file.put("experience.returns", std::span<const double>(returns));
  // What becomes known of a step later is not in its piece.
  const auto held = all_held();
  file.put("experience.rewards", {steps_in(held)}, gathered<float>(held, rewards_.span(), 1));
  const auto marks = gathered<std::uint8_t>(held, marks_.span(), 1);
  file.put("experience.marks", std::as_bytes(std::span(marks)));
  if (besides_.memory > 0)
    file.put("experience.memory", {memory_.size() / besides_.memory, besides_.memory},
             memory_.span());
  put_steps(file, "experience.", outside_pieces());
  std::vector<std::int64_t> pieces;
  for (const Piece& piece : pieces_) {
    pieces.push_back(piece.number);
    for (const Range& r : piece.rows) {
      pieces.push_back(static_cast<std::int64_t>(r.from));
      pieces.push_back(static_cast<std::int64_t>(r.to));
    }
  }
  file.put("experience.pieces", std::span<const std::int64_t>(pieces));
  for (const Piece& piece : pieces_)
    file.offer_part(place_of_piece(piece.number), [&] {
      TensorFile part;
      put_steps(part, "", piece.rows);
      return part;
    });
}

void Experience::restore_rows(const TensorFile& file) {
  constexpr std::size_t head = 3, each = 7, returns_each = 3;
  const auto counts = file.integers("experience.counts");
  const auto returns = file.doubles("experience.returns");
  if (counts.size() != head + each * rows_ || returns.size() != returns_each * rows_ ||
      counts[0] != static_cast<std::int64_t>(rows_) ||
      counts[1] != static_cast<std::int64_t>(depth_) || counts[2] < 0)
    refuse();
  sealed_ = counts[2];
  for (std::size_t row = 0; row < rows_; ++row) {
    const auto* const n = counts.data() + head + each * row;
    const bool counted = std::all_of(n, n + each, [](std::int64_t c) { return c >= 0; }) &&
                         n[0] <= n[1] && n[1] - n[0] <= static_cast<std::int64_t>(depth_) &&
                         (n[0] == 0 || n[1] - n[0] == static_cast<std::int64_t>(depth_)) &&
                         n[2] <= n[1] && n[3] <= n[1] && n[4] <= n[1] &&
                         n[5] <= std::max<std::int64_t>(0, n[1] - 1) &&
                         (n[6] == 1 || (n[6] == 0 && n[5] >= n[0] && n[1] > 0));
    if (!counted) refuse();
    Row& r = state_[row];
    r.first = static_cast<std::uint64_t>(n[0]);
    r.next = static_cast<std::uint64_t>(n[1]);
    r.stocked = static_cast<std::uint64_t>(n[2]);
    r.faded = static_cast<std::uint64_t>(n[3]);
    r.sealed = static_cast<std::uint64_t>(n[4]);
    r.last = static_cast<std::uint64_t>(n[5]);
    r.fresh = n[6] == 1;
    r.running = returns[returns_each * row];
    r.count = returns[returns_each * row + 1];
    r.squares = returns[returns_each * row + 2];
  }
}

void Experience::restore_pieces(const TensorFile& file) {
  const auto numbers = file.integers("experience.pieces");
  const std::size_t each = 1 + 2 * rows_;
  if (numbers.size() % each != 0) refuse();
  pieces_.clear();
  for (std::size_t at = 0; at < numbers.size(); at += each) {
    const bool newer = pieces_.empty() || numbers[at] > pieces_.back().number;
    if (numbers[at] < 0 || numbers[at] >= sealed_ || !newer) refuse();
    Piece piece{.number = numbers[at], .rows = {}};
    for (std::size_t row = 0; row < rows_; ++row) {
      const std::int64_t from = numbers[at + 1 + 2 * row], to = numbers[at + 2 + 2 * row];
      const std::uint64_t before = pieces_.empty() ? 0 : pieces_.back().rows[row].to;
      if (from < 0 || from > to || to - from > static_cast<std::int64_t>(depth_) ||
          static_cast<std::uint64_t>(from) < before ||
          static_cast<std::uint64_t>(to) > state_[row].sealed)
        refuse();
      piece.rows.push_back({row, static_cast<std::uint64_t>(from), static_cast<std::uint64_t>(to)});
    }
    pieces_.push_back(std::move(piece));
  }
  for (const Piece& piece : pieces_)
    get_steps(file.part(place_of_piece(piece.number)), "", piece.rows);
}

void Experience::restore(const TensorFile& file) {
  restore_rows(file);
  const auto held = all_held();
  const auto marks = file.bytes("experience.marks");
  if (marks.size() != steps_in(held)) refuse();
  std::fill(marks_.begin(), marks_.end(), std::uint8_t{0});
  scatter<std::uint8_t>(held, {reinterpret_cast<const std::uint8_t*>(marks.data()), marks.size()},
                        1, marks_.span());
  std::vector<float> rewards(steps_in(held));
  file.get("experience.rewards", rewards);
  scatter<float>(held, rewards, 1, rewards_.span());
  if (besides_.memory > 0) file.get("experience.memory", memory_.span());
  restore_pieces(file);
  get_steps(file, "experience.", outside_pieces());
  for (std::size_t row = 0; row < rows_; ++row) {
    Row& r = state_[row];
    r.transitions = 0;
    for (std::size_t at = row * depth_; at < (row + 1) * depth_; ++at) {
      if ((marks_[at] & transition) == 0) continue;
      if (r.next == 0 || step_at(at) < r.first || step_at(at) > r.last) refuse();
      ++r.transitions;
    }
  }
}

}  // namespace zithercraft::learn_internal
