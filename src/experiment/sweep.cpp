#include "zithercraft/experiment/sweep.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/experiment/measure.hpp"

namespace zithercraft {
namespace {

constexpr std::string_view learner_prefix = "learner.";
constexpr std::size_t most_values = 1000;

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> parts;
  int depth = 0;  // commas within lists and texts belong to a value
  bool quoted = false;
  parts.emplace_back();
  for (const char c : text) {
    if (c == '"') quoted = !quoted;
    if (!quoted) depth += c == '[' ? 1 : c == ']' ? -1 : 0;
    if (c == at && depth == 0 && !quoted) {
      parts.emplace_back();
    } else {
      parts.back() += c;
    }
  }
  return parts;
}

double number(const Value& value, const std::string& where) {
  if (const auto* whole = std::get_if<std::int64_t>(&value.held))
    return static_cast<double>(*whole);
  if (const auto* real = std::get_if<double>(&value.held)) return *real;
  throw Error(ErrorKind::usage, "a range needs numbers", where, "write it as KEY=LOW:HIGH:COUNT");
}

bool is_number(const Value& value) {
  return std::holds_alternative<std::int64_t>(value.held) ||
         std::holds_alternative<double>(value.held);
}

std::vector<Value> evenly_spaced(const std::vector<std::string>& parts, const std::string& where) {
  const Value from = parse_value(parts[0], where), to = parse_value(parts[1], where),
              wanted = parse_value(parts[2], where);
  const double low = number(from, where), high = number(to, where);
  const auto* count = std::get_if<std::int64_t>(&wanted.held);
  if (count == nullptr || *count < 2 || *count > static_cast<std::int64_t>(most_values))
    throw Error(ErrorKind::usage, "a range has 2 to 1000 values", where,
                "write it as KEY=LOW:HIGH:COUNT");
  std::vector<Value> values;
  bool whole =
      !std::holds_alternative<double>(from.held) && !std::holds_alternative<double>(to.held);
  for (std::int64_t i = 0; i < *count; ++i) {
    // The ends exactly, and between them what a person would have written: 0.05, not
    // 0.050000000000000003.
    const auto share = static_cast<double>(i), rest = static_cast<double>(*count - 1 - i);
    const double value =
        std::stod(fmt::format("{:.12g}", (low * rest + high * share) / (share + rest)));
    whole = whole && value == std::round(value);
    values.emplace_back(value);
  }
  if (whole)
    for (Value& value : values) value = static_cast<std::int64_t>(std::get<double>(value.held));
  return values;
}

void put(Variant& variant, const std::string& key, const Value& value) {
  if (key.starts_with(learner_prefix)) {
    variant.learner[key.substr(learner_prefix.size())] = value;
  } else {
    variant.set[key] = value;
  }
}

// What a variant sets, keys of the learner by their full names.
KeyValues keys_of(const Variant& variant) {
  KeyValues keys = variant.set;
  for (const auto& [key, value] : variant.learner) keys[std::string(learner_prefix) + key] = value;
  return keys;
}

[[noreturn]] void no_sweep(const StudyPlan& plan) {
  throw Error(ErrorKind::refused, "the study is no sweep over a grid", plan.name,
              "name the folder of a sweep");
}

}  // namespace

GridAxis parse_axis(const std::string& text, const std::string& where) {
  const std::size_t equals = text.find('=');
  if (equals == std::string::npos || equals == 0 || equals + 1 == text.size())
    throw Error(ErrorKind::usage, "'" + text + "' is no axis", where,
                "write KEY=LOW:HIGH:COUNT or KEY=A,B,C");
  GridAxis axis{text.substr(0, equals), {}};
  const std::string values = text.substr(equals + 1), place = where + " " + axis.key;
  if (const auto parts = split(values, ':'); parts.size() == 3) {
    axis.values = evenly_spaced(parts, place);
  } else {
    for (const std::string& part : split(values, ','))
      axis.values.push_back(parse_value(part, place));
  }
  for (auto value = axis.values.begin(); value != axis.values.end(); ++value)
    if (std::find(axis.values.begin(), value, *value) != value)
      throw Error(ErrorKind::usage, "the value " + text_of(*value) + " is there twice", place,
                  "give each once");
  if (axis.values.size() > most_values)
    throw Error(ErrorKind::usage, "an axis has at most 1000 values", place, "give fewer");
  return axis;
}

StudyPlan sweep_plan(StudyPlan plan, const std::vector<GridAxis>& axes) {
  if (axes.empty() || axes.size() > 2)
    throw Error(ErrorKind::usage, "a sweep goes over one key or two", "grid",
                "give one or two axes");
  if (axes.size() == 2 && axes[0].key == axes[1].key)
    throw Error(ErrorKind::usage, "both axes are of the key '" + axes[0].key + "'", "grid",
                "give two keys");
  plan.variants.clear();
  const std::size_t rows = axes.size() == 2 ? axes[1].values.size() : 1;
  for (std::size_t row = 0; row < rows; ++row)
    for (const Value& value : axes[0].values) {
      Variant variant{.name = axes[0].key + "=" + text_of(value)};
      put(variant, axes[0].key, value);
      if (axes.size() == 2) {
        variant.name += " " + axes[1].key + "=" + text_of(axes[1].values[row]);
        put(variant, axes[1].key, axes[1].values[row]);
      }
      plan.variants.push_back(std::move(variant));
    }
  return plan;
}

std::vector<GridAxis> axes_of(const StudyPlan& plan) {
  std::vector<GridAxis> axes;
  for (const Variant& variant : plan.variants) {
    const auto keys = keys_of(variant);
    if (!variant.without.empty() || !variant.method.empty() || keys.empty() || keys.size() > 2)
      no_sweep(plan);
    if (axes.empty())
      for (const auto& [key, value] : keys) axes.push_back({key, {}});
    for (GridAxis& axis : axes) {
      const auto found = keys.find(axis.key);
      if (found == keys.end()) no_sweep(plan);
      if (std::find(axis.values.begin(), axis.values.end(), found->second) == axis.values.end())
        axis.values.push_back(found->second);
    }
  }
  // Cells that were added later may lie between others.
  for (GridAxis& axis : axes)
    if (std::all_of(axis.values.begin(), axis.values.end(), is_number))
      std::sort(axis.values.begin(), axis.values.end(),
                [](const Value& a, const Value& b) { return number(a, "") < number(b, ""); });
  // From one variant to the next the first axis changes.
  if (axes.size() == 2 && plan.variants.size() > 1 &&
      keys_of(plan.variants[0]).at(axes[0].key) == keys_of(plan.variants[1]).at(axes[0].key))
    std::swap(axes[0], axes[1]);
  return axes;
}

SweepTable sweep_table(const Study& study, const std::string& measure) {
  const auto axes = axes_of(study.plan());
  SweepTable table{.game = study.plan().games.at(0).name, .measure = measure, .x = axes[0]};
  table.y = axes.size() == 2 ? axes[1] : GridAxis{{}, {Value()}};
  table.cells.resize(table.x.values.size() * table.y.values.size());
  for (const Variant& variant : study.plan().variants) {
    const auto keys = keys_of(variant);
    const auto place = [&](const GridAxis& axis) {
      if (axis.key.empty()) return std::ptrdiff_t{0};
      return std::find(axis.values.begin(), axis.values.end(), keys.at(axis.key)) -
             axis.values.begin();
    };
    auto& cell = table.cells[static_cast<std::size_t>(place(table.y)) * table.x.values.size() +
                             static_cast<std::size_t>(place(table.x))];
    const auto values = study.values(table.game, variant.name, measure);
    cell.of = study.plan().seeds.size();
    cell.runs = values.size();
    if (!values.empty()) cell.value = measure_interval(measure, values, study.plan().episodes);
  }
  return table;
}

}  // namespace zithercraft
