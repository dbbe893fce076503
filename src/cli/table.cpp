#include "cli/table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>

#include "evaluate/interval_text.hpp"
#include "evaluate/intervals_json.hpp"

namespace zithercraft::cli {
using namespace evaluate_internal;
namespace {

void print_line(const std::vector<Table::Cell>& row, std::string Table::Cell::*what) {
  std::string line;
  for (const Table::Cell& cell : row) {
    if (cell.width == 0) continue;
    if (!line.empty()) line += ' ';
    const int width = std::abs(cell.width);
    line += cell.width < 0 ? fmt::format("{:>{}}", cell.*what, width)
                           : fmt::format("{:<{}}", cell.*what, width);
  }
  line.erase(line.find_last_not_of(' ') + 1);
  fmt::print("{}\n", line);
}

}  // namespace

void Table::add(const std::vector<Cell>& row) {
  if (json_) {
    Json object;
    for (const Cell& cell : row)
      if (!cell.key.empty()) object[cell.key] = cell.value;
    rows_.push_back(std::move(object));
    return;
  }
  if (!headed_ &&
      std::any_of(row.begin(), row.end(), [](const Cell& cell) { return !cell.heading.empty(); }))
    print_line(row, &Cell::heading);
  headed_ = true;
  print_line(row, &Cell::text);
  std::fflush(stdout);
}

void Table::end_part() {
  headed_ = false;
  if (!json_) fmt::print("\n");
}

Table::Cell text_cell(const std::string& key, const std::string& value, int width,
                      const std::string& heading) {
  return {key, value, heading, value, width};
}
Table::Cell whole_cell(const std::string& key, std::int64_t value, int width,
                       const std::string& heading) {
  return {key, value, heading, std::to_string(value), width};
}
Table::Cell interval_cell(const std::string& key, const Interval& value, const char* format,
                          int width, const std::string& heading) {
  return {key, json_of(value), heading, with_range(value, format), width};
}
Table::Cell share_cell(const std::string& key, const Interval& share, const char* format, int width,
                       const std::string& heading) {
  return {key, json_of(share), heading, with_range(in_percent(share), format), width};
}

}  // namespace zithercraft::cli
