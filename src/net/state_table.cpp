#include "zithercraft/net/state_table.hpp"

#include <algorithm>
#include <bit>

#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

constexpr std::size_t bits_in_a_word = 64;

[[noreturn]] void not_understood() {
  throw Error(ErrorKind::file, "the table cannot be understood", "checkpoint",
              "take another checkpoint");
}

std::uint64_t hash_of(std::span<const std::uint64_t> key) {
  std::uint64_t hash = 0x9e3779b97f4a7c15u;
  for (const std::uint64_t word : key) {
    hash = (hash ^ word) * 0xff51afd7ed558ccdu;
    hash ^= hash >> 32;
  }
  return hash;
}

}  // namespace

std::size_t StateBins::bin(std::size_t column, float number) const noexcept {
  const auto& own = edges[column];
  return static_cast<std::size_t>(std::upper_bound(own.begin(), own.end(), number) - own.begin());
}

double StateBins::states() const noexcept {
  double all = 1.0;
  for (const auto& own : edges) all *= static_cast<double>(own.size() + 1);
  return all;
}

StateTable::StateTable(StateBins bins, std::size_t combinations, float first_value,
                       std::size_t tables)
    : bins_(std::move(bins)),
      combinations_(combinations),
      tables_(tables),
      first_value_(first_value),
      slots_(64) {
  std::size_t used = bits_in_a_word;  // of the last word
  for (const auto& edges : bins_.edges) {
    const auto bits = static_cast<std::size_t>(std::bit_width(edges.size()));
    if (used + bits > bits_in_a_word && bits > 0) {
      ++words_;
      used = 0;
    }
    bits_.push_back(static_cast<std::uint8_t>(bits));
    shift_.push_back(static_cast<std::uint8_t>(used % bits_in_a_word));
    word_.push_back(static_cast<std::uint32_t>(words_ == 0 ? 0 : words_ - 1));
    used += bits;
  }
  words_ = std::max<std::size_t>(1, words_);
}

double StateTable::bytes_for(double rows, std::size_t words, std::size_t combinations,
                             std::size_t tables) {
  // Up to four slots for each row.
  const std::size_t each = words * sizeof(std::uint64_t) + combinations * tables * sizeof(float) +
                           5 * sizeof(std::uint32_t);
  return rows * static_cast<double>(each);
}

void StateTable::key(std::span<const float> senses, std::span<std::uint64_t> out) const {
  std::fill(out.begin(), out.end(), 0);
  for (std::size_t c = 0; c < bits_.size(); ++c)
    if (bits_[c] > 0)
      out[word_[c]] |= static_cast<std::uint64_t>(bins_.bin(c, senses[c])) << shift_[c];
}

std::size_t StateTable::slot(std::span<const std::uint64_t> key) const {
  const std::size_t last = slots_.size() - 1;
  std::size_t at = static_cast<std::size_t>(hash_of(key)) & last;
  for (; slots_[at] != 0; at = (at + 1) & last) {
    const std::uint64_t* const own = keys_.data() + (slots_[at] - 1) * words_;
    if (std::equal(key.begin(), key.end(), own)) break;
  }
  return at;
}

std::size_t StateTable::find(std::span<const std::uint64_t> key) const {
  const std::uint32_t row = slots_[slot(key)];
  return row == 0 ? none : row - 1;
}

void StateTable::make_room() {
  slots_.assign(2 * slots_.size(), 0);
  for (std::size_t row = 0; row < size(); ++row)
    slots_[slot(std::span(keys_).subspan(row * words_, words_))] =
        static_cast<std::uint32_t>(row + 1);
}

std::size_t StateTable::add(std::span<const std::uint64_t> key) {
  std::size_t at = slot(key);
  if (slots_[at] != 0) return slots_[at] - 1;
  const std::size_t row = size();
  keys_.insert(keys_.end(), key.begin(), key.end());
  values_.resize(values_.size() + tables_ * combinations_, first_value_);
  visits_.push_back(0);
  if (2 * size() > slots_.size())
    make_room();
  else
    slots_[at] = static_cast<std::uint32_t>(row + 1);
  return row;
}

void StateTable::mean_row(std::size_t number, std::span<float> values) const {
  for (std::size_t c = 0; c < combinations_; ++c) {
    float sum = 0.0f;
    for (std::size_t table = 0; table < tables_; ++table) sum += row(number, table)[c];
    values[c] = sum / static_cast<float>(tables_);
  }
}

std::vector<std::size_t> StateTable::state(std::size_t row) const {
  std::vector<std::size_t> bins;
  for (std::size_t c = 0; c < bits_.size(); ++c) {
    const std::uint64_t mask = (std::uint64_t{1} << bits_[c]) - 1;
    bins.push_back(static_cast<std::size_t>(keys_[row * words_ + word_[c]] >> shift_[c] & mask));
  }
  return bins;
}

void StateTable::store(TensorFile& file) const {
  std::vector<std::int64_t> counts, keys, visits;
  std::vector<double> edges;
  for (const auto& own : bins_.edges) {
    counts.push_back(static_cast<std::int64_t>(own.size()));
    edges.insert(edges.end(), own.begin(), own.end());
  }
  for (const std::uint64_t word : keys_) keys.push_back(static_cast<std::int64_t>(word));
  for (const std::uint32_t n : visits_) visits.push_back(n);
  file.put("table.edge_counts", std::span<const std::int64_t>(counts));
  file.put("table.edges", std::span<const double>(edges));
  file.put("table.keys", std::span<const std::int64_t>(keys));
  file.put("table.visits", std::span<const std::int64_t>(visits));
  file.put("table.values", {size(), tables_, combinations_}, values_);
  const double first = static_cast<double>(first_value_);
  file.put("table.first_value", std::span(&first, 1));
}

StateTable StateTable::from(const TensorFile& file, std::size_t columns, std::size_t combinations) {
  const auto counts = file.integers("table.edge_counts"), keys = file.integers("table.keys"),
             visits = file.integers("table.visits");
  const auto edges = file.doubles("table.edges"), first = file.doubles("table.first_value");
  const auto shape = file.shape("table.values");
  if (counts.size() != columns || first.size() != 1 || shape.size() != 3 ||
      shape[0] != visits.size() || shape[1] < 1 || shape[1] > 2 || shape[2] != combinations)
    not_understood();
  StateBins bins;
  std::size_t next = 0;
  for (const std::int64_t count : counts) {
    if (count < 0 || static_cast<std::size_t>(count) > edges.size() - next) not_understood();
    auto& own = bins.edges.emplace_back();
    for (std::int64_t i = 0; i < count; ++i) own.push_back(static_cast<float>(edges[next++]));
    if (!std::is_sorted(own.begin(), own.end())) not_understood();
  }
  StateTable table(std::move(bins), combinations, static_cast<float>(first[0]), shape[1]);
  if (next != edges.size() || keys.size() != visits.size() * table.words_) not_understood();
  std::vector<float> values(shape[0] * shape[1] * shape[2]);
  file.get("table.values", values);
  std::vector<std::uint64_t> key(table.words_);
  for (std::size_t row = 0; row < visits.size(); ++row) {
    for (std::size_t w = 0; w < key.size(); ++w)
      key[w] = static_cast<std::uint64_t>(keys[row * key.size() + w]);
    if (visits[row] < 0 || visits[row] > 0xffffffff || table.add(key) != row) not_understood();
    const auto state = table.state(row);
    for (std::size_t c = 0; c < columns; ++c)
      if (state[c] > table.bins_.edges[c].size()) not_understood();
    table.visits_[row] = static_cast<std::uint32_t>(visits[row]);
  }
  table.values_ = std::move(values);
  return table;
}

}  // namespace zithercraft
