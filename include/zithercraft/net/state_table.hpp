#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace zithercraft {

class TensorFile;

/// How the columns of a role's senses are made into few different states: each is put into one of
/// its bins. A column with one bin alone tells nothing.
struct StateBins {
  /// Of each column the numbers at which its next bin begins, rising; one fewer than it has bins.
  std::vector<std::vector<float>> edges{};
  bool operator==(const StateBins&) const = default;

  /// The bin of a column's number.
  std::size_t bin(std::size_t column, float number) const noexcept;
  /// How many different states there can be, as a floating-point number as they may be countless.
  double states() const noexcept;
};

/// A table with a row for each state that was met: what each combination of options is worth there
/// (Watkins and Dayan: "Q-learning", 1992). States are found by hashing; nothing is kept for those
/// that were never met.
class StateTable {
 public:
  static constexpr std::size_t none = static_cast<std::size_t>(-1);  ///< no row
  static constexpr float forbidden = -1e30f;  ///< what a combination is worth that is not allowed

  StateTable() = default;
  /// Without rows. `first_value`: what everything is thought to be worth before it was tried;
  /// `tables`: how many numbers are kept of each, at least 1.
  StateTable(StateBins bins, std::size_t combinations, float first_value, std::size_t tables = 1);

  /// How columns become states.
  const StateBins& bins() const noexcept { return bins_; }
  /// Numbers in a row, for each of the tables.
  std::size_t combinations() const noexcept { return combinations_; }
  /// How many numbers are kept of each.
  std::size_t tables() const noexcept { return tables_; }
  /// What is thought of everything that was not tried.
  float first_value() const noexcept { return first_value_; }
  /// Rows so far.
  std::size_t size() const noexcept { return visits_.size(); }
  /// Words of a state's key.
  std::size_t words() const noexcept { return words_; }
  /// Bytes that a number of rows takes, at most.
  static double bytes_for(double rows, std::size_t words, std::size_t combinations,
                          std::size_t tables);

  /// The key of the state that senses are in: as many words as `words`.
  void key(std::span<const float> senses, std::span<std::uint64_t> out) const;
  /// The row of a state; `none` if it was never met.
  std::size_t find(std::span<const std::uint64_t> key) const;
  /// The same, made if there is none.
  std::size_t add(std::span<const std::uint64_t> key);
  /// What each combination is worth in a row.
  std::span<float> row(std::size_t row, std::size_t table = 0) noexcept {
    return {values_.data() + (row * tables_ + table) * combinations_, combinations_};
  }
  /// What each combination is worth in a row.
  std::span<const float> row(std::size_t row, std::size_t table = 0) const noexcept {
    return {values_.data() + (row * tables_ + table) * combinations_, combinations_};
  }
  /// What each combination is worth in a row: the mean over tables.
  void mean_row(std::size_t row, std::span<float> values) const;
  /// How often something was learned in a row.
  std::uint32_t& visits(std::size_t row) noexcept { return visits_[row]; }
  /// How often something was learned in a row.
  std::uint32_t visits(std::size_t row) const noexcept { return visits_[row]; }
  /// The bin of each column in a row's state.
  std::vector<std::size_t> state(std::size_t row) const;

  /// Keeps it in a checkpoint.
  void store(TensorFile& file) const;
  /// Throws Error (file) if the file holds none for that many columns and combinations.
  static StateTable from(const TensorFile& file, std::size_t columns, std::size_t combinations);

 private:
  void make_room();
  std::size_t slot(std::span<const std::uint64_t> key) const;

  StateBins bins_;
  std::vector<std::uint8_t> bits_, shift_;  // of each column in its word
  std::vector<std::uint32_t> word_;
  std::size_t words_ = 0, combinations_ = 1, tables_ = 1;
  float first_value_ = 0.0f;
  std::vector<std::uint64_t> keys_;  // row by row
  std::vector<float> values_;        // row by row, table by table
  std::vector<std::uint32_t> visits_;
  std::vector<std::uint32_t> slots_;  // row + 1, or 0: open addressing
};

}  // namespace zithercraft
