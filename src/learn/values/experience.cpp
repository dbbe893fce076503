#include "learn/values/experience.hpp"

#include <cmath>
#include <map>
#include <tuple>
#include <utility>

#include "zithercraft/base/random.hpp"

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

// A step, and what followed it; of networks that remember, a span with what was before and after.
std::size_t least_depth(const KeptBesides& besides) {
  return besides.memory > 0 ? 3 * besides.span : 2;
}
std::size_t up_to_multiple(std::size_t number, std::size_t of) {
  return (number + of - 1) / of * of;
}

}  // namespace

void SenseStore::add(std::vector<Run>& runs, const Run& one) const {
  const bool goes_on = !runs.empty() && runs.back().bytes == one.bytes &&
                       runs.back().column + runs.back().count == one.column &&
                       runs.back().at + runs.back().count == one.at && runs.back().low == one.low &&
                       runs.back().step == one.step;
  if (goes_on)
    ++runs.back().count;
  else
    runs.push_back(one);
}

SenseStore::SenseStore(const Role& role) : by_age_(1), columns_(role.columns.size()) {
  std::map<decltype(subject(Column{})), Run> now;  // columns of what is sensed now
  for (std::size_t c = 0; c < columns_; ++c) {
    const Column& column = role.columns[c];
    if (column.age > 0 && !column.sense.empty()) continue;
    Run one{.column = c, .count = 1, .bytes = is_pixel(role, c)};
    one.at = one.bytes ? bytes_++ : numbers_++;
    if (one.bytes) {
      one.low = static_cast<float>(column.low);
      one.step = static_cast<float>((column.high - column.low) / 255.0);
    }
    add(by_age_[0], one);
    if (!column.sense.empty()) now.emplace(subject(column), one);
  }
  for (std::size_t c = 0; c < columns_; ++c) {
    const Column& column = role.columns[c];
    if (column.age <= 0 || column.sense.empty()) continue;
    const auto age = static_cast<std::size_t>(column.age);
    if (by_age_.size() <= age) by_age_.resize(age + 1);
    Run one = now.at(subject(column));
    one.column = c;
    add(by_age_[age], one);
  }
}

void SenseStore::keep(std::span<const float> senses, float* numbers, std::uint8_t* bytes) const {
  for (const Run& run : by_age_[0]) {
    const auto from = senses.subspan(run.column, run.count);
    if (!run.bytes) {
      std::copy(from.begin(), from.end(), numbers + run.at);
      continue;
    }
    std::transform(from.begin(), from.end(), bytes + run.at, [&](float value) {
      return static_cast<std::uint8_t>(
          std::clamp(std::lround((value - run.low) / run.step), 0l, 255l));
    });
  }
}

void SenseStore::fetch(std::size_t age, const float* numbers, const std::uint8_t* bytes,
                       std::span<float> senses) const {
  for (const Run& run : by_age_[age]) {
    float* const to = senses.data() + run.column;
    if (run.bytes)
      std::transform(bytes + run.at, bytes + run.at + run.count, to, [&](std::uint8_t byte) {
        return run.low + run.step * static_cast<float>(byte);
      });
    else
      std::copy_n(numbers + run.at, run.count, to);
  }
}

Experience::Experience(const Role& role, std::size_t rows, std::size_t steps,
                       const KeptBesides& besides)
    : store_(role),
      rows_(rows),
      depth_(up_to_multiple(
          std::max(least_depth(besides), steps / std::max<std::size_t>(1, rows)) + store_.history(),
          besides.span)),
      controls_(role.controls.size()),
      besides_(besides),
      state_(rows),
      numbers_(places() * store_.numbers()),
      actions_(places() * controls_),
      rewards_(places()),
      others_(places() * besides.others),
      memory_(places() / besides.span * besides.memory),
      bytes_(places() * store_.bytes()),
      marks_(places()) {}

std::size_t Experience::bytes_for(const Role& role, std::size_t steps, const KeptBesides& besides) {
  const SenseStore store(role);
  const std::size_t each =
      sizeof(float) * (store.numbers() + role.controls.size() + 1 + besides.others) +
      store.bytes() + 1;
  return steps * each + steps / besides.span * besides.memory * sizeof(float);
}

std::uint64_t Experience::step_at(std::size_t at) const {
  const std::size_t row = at / depth_, own = at - row * depth_;
  const std::uint64_t newest = state_[row].next - 1;
  const std::size_t latest = newest % depth_;
  return newest - (latest >= own ? latest - own : latest + depth_ - own);
}

std::uint64_t Experience::clear_from(const Row& row) const {
  return row.first == 0 ? 0 : row.first + store_.history();
}

void Experience::forget(Row& row, std::size_t at) {
  if ((marks_[at] & transition) == 0) return;
  marks_[at] = static_cast<std::uint8_t>(marks_[at] & ~transition);
  --row.transitions;
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

void Experience::remember(std::size_t row, std::span<const float> memory) {
  const std::uint64_t step = state_[row].next;
  if (step % besides_.span != 0) return;
  std::copy(memory.begin(), memory.end(),
            memory_.begin() + place(row, step) / besides_.span * besides_.memory);
}

void Experience::act(std::size_t row, std::span<const float> senses,
                     std::span<const float> action) {
  Row& r = state_[row];
  write(row, senses, static_cast<std::uint8_t>(acted | (r.fresh ? begins : 0)));
  r.last = r.next - 1;
  r.fresh = false;
  std::copy(action.begin(), action.end(), actions_.begin() + place(row, r.last) * controls_);
}

void Experience::see_others(std::size_t row, std::span<const float> others) {
  std::copy(others.begin(), others.end(),
            others_.begin() + place(row, state_[row].last) * besides_.others);
}

void Experience::miss(std::size_t row, std::span<const float> senses) {
  const bool wanted = store_.history() > 0 || besides_.memory > 0;
  if (wanted && !state_[row].fresh) write(row, senses, 0);
}

void Experience::reward(std::size_t row, float amount, double discount) {
  Row& r = state_[row];
  if (r.fresh) return;
  rewards_[place(row, r.last)] += amount;
  r.running = discount * r.running + static_cast<double>(amount);
  r.count += 1.0;
  r.squares += r.running * r.running;
}

void Experience::end(std::size_t row, std::span<const float> senses,
                     std::span<const float> others) {
  Row& r = state_[row];
  r.running = 0.0;
  if (std::exchange(r.fresh, true)) return;
  marks_[place(row, r.last)] |= ends;
  if (senses.empty()) return;
  write(row, senses, final);
  r.last = r.next - 1;
  see_others(row, others);
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

Transition Experience::transition_at(std::size_t at, std::size_t steps, double discount) const {
  const std::size_t row = at / depth_;
  const Row& r = state_[row];
  Transition found{.place = at, .next = at};
  double left = 1.0, sum = 0.0;
  std::uint64_t step = step_at(at);
  const auto behind = [&](std::size_t place) {
    return place + 1 == (row + 1) * depth_ ? row * depth_ : place + 1;
  };
  std::size_t here = at;
  for (std::size_t taken = 0; step <= r.last; ++step, here = behind(here)) {
    const std::uint8_t marks = marks_[here];
    if ((marks & (acted | final)) == 0) continue;
    found.next = here;
    found.discount = static_cast<float>(left);
    // What is not known to be complete is only what the steps before led to.
    if ((marks & final) != 0 || taken == steps || (marks & transition) == 0) break;
    sum += left * static_cast<double>(rewards_[here]);
    left *= discount;
    ++taken;
    if ((marks & ends) == 0) continue;
    std::size_t end = behind(here);
    while (++step <= r.last && (marks_[end] & (acted | final)) == 0) end = behind(end);
    const bool cut_off = step <= r.last && (marks_[end] & final) != 0;
    found.next = cut_off ? end : here;
    found.discount = cut_off ? static_cast<float>(left) : 0.0f;
    break;
  }
  found.reward = static_cast<float>(sum);
  return found;
}

void Experience::announce(std::size_t at) const {
  constexpr std::size_t line = 64;
  const auto bring = [](const auto* first, std::size_t bytes) {
    const char* const begin = reinterpret_cast<const char*>(first);
    for (std::size_t i = 0; i < bytes; i += line) __builtin_prefetch(begin + i);
  };
  bring(numbers_.data() + at * store_.numbers(), store_.numbers() * sizeof(float));
  bring(bytes_.data() + at * store_.bytes(), store_.bytes());
}

std::span<const float> Experience::senses(std::size_t at, std::span<float> room) const {
  if (store_.keeps_rows()) return numbers_.span().subspan(at * store_.numbers(), store_.numbers());
  const std::size_t row = at / depth_;
  std::uint64_t step = step_at(at);
  for (std::size_t age = 0; age <= store_.history(); ++age) {
    const std::size_t from = place(row, step);
    store_.fetch(age, numbers_.data() + from * store_.numbers(),
                 bytes_.data() + from * store_.bytes(), room);
    // Before an episode's beginning it was as it was then.
    if ((marks_[from] & begins) == 0 && step != state_[row].first) --step;
  }
  return room;
}

double Experience::age(std::size_t at) const {
  const std::size_t row = at / depth_;
  return static_cast<double>(state_[row].next - step_at(at));
}

Experience::Returns Experience::take_returns() {
  Returns all;
  for (Row& r : state_) {
    all.count += std::exchange(r.count, 0.0);
    all.squares += std::exchange(r.squares, 0.0);
  }
  return all;
}

}  // namespace zithercraft::learn_internal
