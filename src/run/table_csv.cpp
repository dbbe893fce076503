#include "zithercraft/run/table_csv.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "base/csv_field.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/state_table.hpp"

namespace zithercraft {
using namespace base_internal;
namespace {

const StateTable& table_in(const Policy& policy) {
  if (const StateTable* const table = policy.table()) return *table;
  throw Error(ErrorKind::usage, "the policy is no table", "table",
              "name a run of q_table, or draw the network in its place");
}

}  // namespace

std::string range_text(const Column& column, std::span<const float> edges, std::size_t bin) {
  return bin_text(column, edges, bin).substr(column.name.size() + 1);
}

std::string bin_text(const Column& column, std::span<const float> edges, std::size_t bin) {
  if (edges.empty()) return column.name + " any";
  if (column.unit == "flag" || column.unit == mask_unit)
    return column.name + (bin > 0 ? " yes" : " no");
  const auto at = [&](std::size_t edge) {
    return fmt::format("{:.4g}", static_cast<double>(edges[edge]) * column.scale);
  };
  const std::string unit = column.scale == 1.0 || column.unit.empty() ? "" : " " + column.unit;
  if (bin == 0) return column.name + " below " + at(0) + unit;
  if (bin == edges.size()) return column.name + " from " + at(bin - 1) + unit;
  return column.name + " " + at(bin - 1) + " to " + at(bin) + unit;
}

std::vector<std::string> combination_names(const std::vector<ControlInfo>& controls) {
  std::vector<std::string> names{""};
  for (const ControlInfo& control : controls) {
    std::vector<std::string> longer;
    for (const std::string& name : names)
      for (const std::string& option : control.options)
        longer.push_back(name.empty() ? option : fmt::format("{}, {}", name, option));
    names = std::move(longer);
  }
  return names;
}

std::string state_text(const Policy& policy, std::size_t row) {
  const StateTable& table = table_in(policy);
  const auto state = table.state(row);
  std::string text;
  for (std::size_t c = 0; c < state.size(); ++c) {
    const auto& edges = table.bins().edges[c];
    if (edges.empty()) continue;
    text += (text.empty() ? "" : "; ") + bin_text(policy.signature().columns[c], edges, state[c]);
  }
  return text;
}

std::string table_csv(const Policy& policy) {
  const StateTable& table = table_in(policy);
  const PolicySignature& signature = policy.signature();
  std::string text;
  for (std::size_t c = 0; c < signature.columns.size(); ++c)
    if (!table.bins().edges[c].empty()) text += csv_field(signature.columns[c].name) + ",";
  text += "learned";
  for (const std::string& name : combination_names(signature.controls))
    text += "," + csv_field(name);
  text += "\r\n";
  std::vector<std::size_t> order(table.size());
  std::iota(order.begin(), order.end(), 0u);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return table.visits(a) > table.visits(b); });
  std::vector<float> values(table.combinations());
  for (const std::size_t row : order) {
    const auto state = table.state(row);
    for (std::size_t c = 0; c < state.size(); ++c)
      if (const auto& edges = table.bins().edges[c]; !edges.empty())
        text += csv_field(range_text(signature.columns[c], edges, state[c])) + ",";
    text += fmt::format("{}", table.visits(row));
    table.mean_row(row, values);
    for (const float value : values) text += fmt::format(",{}", value);
    text += "\r\n";
  }
  return text;
}

}  // namespace zithercraft
