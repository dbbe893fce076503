#pragma once

#include <string>
#include <vector>

#include "base/json.hpp"
#include "zithercraft/evaluate/statistics.hpp"

namespace zithercraft::cli {

/// What a command found, row by row: lines for people, or JSON for programs.
class Table {
 public:
  /// One thing that a row says, once for both readers. One without a key is for people alone, one
  /// without width for programs.
  struct Cell {
    std::string key{};
    Json value{};
    std::string heading{};
    std::string text{};
    int width = 0;  ///< characters, at least; negative: aligned to the right
  };

  explicit Table(bool json) : json_(json) {}

  /// Prints the headings before the first row of a part, if there are any, and the row; or keeps
  /// it.
  void add(const std::vector<Cell>& row);
  /// Ends a part: the next row has headings again, after an empty line.
  void end_part();
  /// The rows, if they are for programs; an empty list else.
  const Json& rows() const { return rows_; }

 private:
  bool json_;
  bool headed_ = false;
  Json rows_ = Json::array();
};

/// A cell for both readers whose text is its value.
Table::Cell text_cell(const std::string& key, const std::string& value, int width,
                      const std::string& heading = {});
/// A cell of a whole number.
Table::Cell whole_cell(const std::string& key, std::int64_t value, int width,
                       const std::string& heading = {});
/// A value with its interval, as `format` says; a share for programs is a percentage for people.
Table::Cell interval_cell(const std::string& key, const Interval& value, const char* format,
                          int width, const std::string& heading = {});
Table::Cell share_cell(const std::string& key, const Interval& share, const char* format, int width,
                       const std::string& heading = {});

}  // namespace zithercraft::cli
