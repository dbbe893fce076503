#include "learn/values/experience.hpp"

#include <cmath>
#include <map>
#include <tuple>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
namespace {

// What a column tells, whenever it was sensed.
auto subject(const Column& column) {
  return std::tuple(column.sense, column.index, column.tag, column.quantity);
}

bool is_pixel(const Role& role, std::size_t column) {
  return std::any_of(role.grids.begin(), role.grids.end(), [&](const GridSense& grid) {
    const std::size_t each = grid.layers * grid.height * grid.width * grid.channels;
    return column >= grid.first_column && column < grid.first_column + each;
  });
}

constexpr std::size_t least_depth = 2;  // a step, and what followed it

}  // namespace

SenseStore::SenseStore(const Role& role) : by_age_(1), columns_(role.columns.size()) {
  std::map<decltype(subject(Column{})), Kept> now;  // columns of what is sensed now
  for (std::size_t c = 0; c < columns_; ++c) {
    const Column& column = role.columns[c];
    if (column.age > 0 && !column.sense.empty()) continue;
    Kept kept{c};
    kept.byte = is_pixel(role, c);
    kept.at = kept.byte ? bytes_++ : numbers_++;
    kept.low = static_cast<float>(column.low);
    kept.step = static_cast<float>((column.high - column.low) / 255.0);
    by_age_[0].push_back(kept);
    if (!column.sense.empty()) now.emplace(subject(column), kept);
  }
  for (std::size_t c = 0; c < columns_; ++c) {
    const Column& column = role.columns[c];
    if (column.age <= 0 || column.sense.empty()) continue;
    const auto age = static_cast<std::size_t>(column.age);
    if (by_age_.size() <= age) by_age_.resize(age + 1);
    by_age_[age].push_back(now.at(subject(column)));
    by_age_[age].back().column = c;
  }
}

void SenseStore::keep(std::span<const float> senses, float* numbers, std::uint8_t* bytes) const {
  for (const Kept& kept : by_age_[0]) {
    const float value = senses[kept.column];
    if (kept.byte)
      bytes[kept.at] = static_cast<std::uint8_t>(
          std::clamp(std::lround((value - kept.low) / kept.step), 0l, 255l));
    else
      numbers[kept.at] = value;
  }
}

void SenseStore::fetch(std::size_t age, const float* numbers, const std::uint8_t* bytes,
                       std::span<float> senses) const {
  for (const Kept& kept : by_age_[age])
    senses[kept.column] =
        kept.byte ? kept.low + kept.step * static_cast<float>(bytes[kept.at]) : numbers[kept.at];
}

Experience::Experience(const Role& role, std::size_t rows, std::size_t steps)
    : store_(role),
      rows_(rows),
      depth_(std::max(least_depth, steps / std::max<std::size_t>(1, rows)) + store_.history()),
      controls_(role.controls.size()),
      state_(rows),
      numbers_(places() * store_.numbers()),
      actions_(places() * controls_),
      rewards_(places()),
      bytes_(places() * store_.bytes()),
      marks_(places()) {}

std::size_t Experience::bytes_for(const Role& role, std::size_t steps) {
  const SenseStore store(role);
  const std::size_t each =
      sizeof(float) * (store.numbers() + role.controls.size() + 1) + store.bytes() + 1;
  return steps * each;
}

std::uint64_t Experience::step_at(std::size_t at) const {
  const Row& r = state_[at / depth_];
  const std::uint64_t newest = r.next - 1;
  return newest - (newest % depth_ + depth_ - at % depth_) % depth_;
}

std::uint64_t Experience::clear_from(const Row& row) const {
  return row.first == 0 ? 0 : row.first + store_.history();
}

void Experience::forget(Row& row, std::size_t at) {
  if ((marks_[at] & lesson) == 0) return;
  marks_[at] = static_cast<std::uint8_t>(marks_[at] & ~lesson);
  --row.lessons;
}

void Experience::write(std::size_t row, std::span<const float> senses, std::uint8_t marks) {
  Row& r = state_[row];
  const std::size_t at = place(row, r.next);
  if (r.next - r.first == depth_) {
    forget(r, at);
    ++r.first;
  }
  ++r.next;
  store_.keep(senses, numbers_.data() + at * store_.numbers(), bytes_.data() + at * store_.bytes());
  rewards_[at] = 0.0f;
  marks_[at] = marks;
}

void Experience::act(std::size_t row, std::span<const float> senses,
                     std::span<const float> action) {
  Row& r = state_[row];
  write(row, senses, static_cast<std::uint8_t>(acted | (r.fresh ? begins : 0)));
  r.last = r.next - 1;
  r.fresh = false;
  std::copy(action.begin(), action.end(), actions_.begin() + place(row, r.last) * controls_);
}

void Experience::miss(std::size_t row, std::span<const float> senses) {
  if (store_.history() > 0 && !state_[row].fresh) write(row, senses, 0);
}

void Experience::reward(std::size_t row, float amount, double discount) {
  Row& r = state_[row];
  if (r.fresh) return;
  rewards_[place(row, r.last)] += amount;
  r.running = discount * r.running + static_cast<double>(amount);
  r.count += 1.0;
  r.squares += r.running * r.running;
}

void Experience::end(std::size_t row, std::span<const float> senses) {
  Row& r = state_[row];
  r.running = 0.0;
  if (std::exchange(r.fresh, true)) return;
  marks_[place(row, r.last)] |= ends;
  if (senses.empty()) return;
  write(row, senses, final);
  r.last = r.next - 1;
}

void Experience::abandon(std::size_t row) {
  Row& r = state_[row];
  r.running = 0.0;
  if (std::exchange(r.fresh, true)) return;
  marks_[place(row, r.last)] |= useless;
  r.stocked = std::min(r.stocked, r.last);
}

void Experience::lose(std::size_t row) {
  Row& r = state_[row];
  r.running = 0.0;
  if (std::exchange(r.fresh, true)) return;
  for (std::uint64_t step = r.next; step-- > r.first;) {
    const std::size_t at = place(row, step);
    marks_[at] |= useless;
    r.stocked = std::min(r.stocked, step);
    if ((marks_[at] & begins) != 0) return;
  }
}

std::size_t Experience::draw(RandomStream& random) const {
  while (true) {
    const std::size_t row = random.below(static_cast<std::uint32_t>(rows_));
    const std::uint64_t back = random.below(static_cast<std::uint32_t>(longest_));
    const Row& r = state_[row];
    if (back >= r.next - r.first) continue;
    const std::size_t at = place(row, r.next - 1 - back);
    if (learnable(at)) return at;
  }
}

Lesson Experience::lesson_at(std::size_t at, std::size_t steps, double discount) const {
  const std::size_t row = at / depth_;
  const Row& r = state_[row];
  Lesson found{.place = at, .next = at};
  double left = 1.0, sum = 0.0;
  std::uint64_t step = step_at(at);
  for (std::size_t taken = 0; step <= r.last; ++step) {
    const std::size_t here = place(row, step);
    const std::uint8_t marks = marks_[here];
    if ((marks & (acted | final)) == 0) continue;
    found.next = here;
    found.discount = static_cast<float>(left);
    // What is not known to be complete is only what the steps before led to.
    if ((marks & final) != 0 || taken == steps || (marks & lesson) == 0) break;
    sum += left * static_cast<double>(rewards_[here]);
    left *= discount;
    ++taken;
    if ((marks & ends) == 0) continue;
    std::uint64_t end = step + 1;
    while (end <= r.last && (marks_[place(row, end)] & (acted | final)) == 0) ++end;
    const bool cut_off = end <= r.last && (marks_[place(row, end)] & final) != 0;
    found.next = cut_off ? place(row, end) : here;
    found.discount = cut_off ? static_cast<float>(left) : 0.0f;
    break;
  }
  found.reward = static_cast<float>(sum);
  return found;
}

void Experience::senses(std::size_t at, std::span<float> out) const {
  const std::size_t row = at / depth_;
  std::uint64_t step = step_at(at);
  for (std::size_t age = 0; age <= store_.history(); ++age) {
    const std::size_t from = place(row, step);
    store_.fetch(age, numbers_.data() + from * store_.numbers(),
                 bytes_.data() + from * store_.bytes(), out);
    // Before an episode's beginning it was as it was then.
    if ((marks_[from] & begins) == 0 && step != state_[row].first) --step;
  }
}

double Experience::age(std::size_t at) const {
  return static_cast<double>(state_[at / depth_].next - step_at(at));
}

Experience::Returns Experience::take_returns() {
  Returns all;
  for (Row& r : state_) {
    all.count += std::exchange(r.count, 0.0);
    all.squares += std::exchange(r.squares, 0.0);
  }
  return all;
}

// ---- keeping

void Experience::store(TensorFile& file) const {
  std::vector<std::int64_t> counts{static_cast<std::int64_t>(rows_),
                                   static_cast<std::int64_t>(depth_)};
  std::vector<double> returns;
  for (const Row& r : state_) {
    for (const std::uint64_t n : {r.first, r.next, r.stocked, r.faded, r.last})
      counts.push_back(static_cast<std::int64_t>(n));
    counts.push_back(r.fresh ? 1 : 0);
    for (const double n : {r.running, r.count, r.squares}) returns.push_back(n);
  }
  file.put("experience.counts", std::span<const std::int64_t>(counts));
  file.put("experience.returns", std::span<const double>(returns));
  file.put("experience.numbers", {places(), store_.numbers()}, numbers_.span());
  file.put("experience.actions", {places(), controls_}, actions_.span());
  file.put("experience.rewards", {places()}, rewards_.span());
  file.put("experience.pixels", std::as_bytes(bytes_.span()));
  file.put("experience.marks", std::as_bytes(marks_.span()));
}

void Experience::restore(const TensorFile& file) {
  const auto refuse = [] {
    throw Error(ErrorKind::refused, "the steps that the checkpoint keeps make no sense here",
                "checkpoint", "resume with the game and the settings it was trained with");
  };
  constexpr std::size_t each = 6, returns_each = 3;
  const auto counts = file.integers("experience.counts");
  const auto returns = file.doubles("experience.returns");
  const auto pixels = file.bytes("experience.pixels"), marks = file.bytes("experience.marks");
  if (counts.size() != 2 + each * rows_ || returns.size() != returns_each * rows_ ||
      counts[0] != static_cast<std::int64_t>(rows_) ||
      counts[1] != static_cast<std::int64_t>(depth_) || pixels.size() != bytes_.size() ||
      marks.size() != marks_.size())
    refuse();
  file.get("experience.numbers", numbers_.span());
  file.get("experience.actions", actions_.span());
  file.get("experience.rewards", rewards_.span());
  std::copy(pixels.begin(), pixels.end(), std::as_writable_bytes(bytes_.span()).begin());
  std::copy(marks.begin(), marks.end(), std::as_writable_bytes(marks_.span()).begin());
  for (std::size_t row = 0; row < rows_; ++row) {
    const auto* const n = counts.data() + 2 + each * row;
    const bool counted = std::all_of(n, n + each, [](std::int64_t c) { return c >= 0; }) &&
                         n[0] <= n[1] && n[1] - n[0] <= static_cast<std::int64_t>(depth_) &&
                         n[2] <= n[1] && n[3] <= n[1] &&
                         n[4] <= std::max<std::int64_t>(0, n[1] - 1) &&
                         (n[5] == 1 || (n[5] == 0 && n[4] >= n[0] && n[1] > 0));
    if (!counted) refuse();
    Row& r = state_[row];
    r.first = static_cast<std::uint64_t>(n[0]);
    r.next = static_cast<std::uint64_t>(n[1]);
    r.stocked = static_cast<std::uint64_t>(n[2]);
    r.faded = static_cast<std::uint64_t>(n[3]);
    r.last = static_cast<std::uint64_t>(n[4]);
    r.fresh = n[5] == 1;
    r.running = returns[returns_each * row];
    r.count = returns[returns_each * row + 1];
    r.squares = returns[returns_each * row + 2];
    r.lessons = 0;
    for (std::size_t at = row * depth_; at < (row + 1) * depth_; ++at) {
      if ((marks_[at] & lesson) == 0) continue;
      if (r.next == 0 || step_at(at) < r.first || step_at(at) > r.last) refuse();
      ++r.lessons;
    }
  }
}

}  // namespace zithercraft::learn_internal
