#include <fmt/format.h>
#include <algorithm>
#include <array>

#include "base/csv_field.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
using namespace base_internal;
namespace {

using Row = MetricsRow;

// Names in the order in which they are met; `names_in` lists those of one update.
template <class List, class NamesIn>
std::vector<std::string> all_names(const std::vector<List>& lists, NamesIn names_in) {
  std::vector<std::string> names;
  for (const List& list : lists)
    for (const std::string& name : names_in(list))
      if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  return names;
}

std::vector<std::string> names_of(const std::vector<Metric>& metrics) {
  std::vector<std::string> names;
  for (const Metric& metric : metrics)
    if (metric.part == Metric::whole) names.push_back(metric.name);
  return names;
}
std::vector<std::string> names_of(const std::vector<std::pair<std::string, double>>& terms) {
  std::vector<std::string> names;
  for (const auto& [name, mean] : terms) names.push_back(name);
  return names;
}

std::string field(std::optional<double> value) { return value ? fmt::format(",{}", *value) : ","; }

std::optional<double> term_of(const std::vector<std::pair<std::string, double>>& terms,
                              const std::string& name) {
  const auto found =
      std::find_if(terms.begin(), terms.end(), [&](const auto& t) { return t.first == name; });
  return found == terms.end() ? std::nullopt : std::optional(found->second);
}

// What is known of the episodes of a further role, by the names of the columns of the first.
constexpr std::array of_role_episodes{std::pair{"mean_return", &RoleMetrics::mean_return},
                                      std::pair{"success", &RoleMetrics::success}};

// Columns of a further role; which of them there are is the same in all updates.
struct RoleColumns {
  std::string role{};
  std::vector<std::string> learner{}, terms{};
};

const RoleMetrics* role_in(const Row& row, const std::string& role) {
  const auto found = std::find_if(row.roles.begin(), row.roles.end(),
                                  [&](const RoleMetrics& own) { return own.role == role; });
  return found == row.roles.end() ? nullptr : &*found;
}

std::vector<RoleColumns> columns_of_roles(const std::vector<Row>& rows) {
  std::vector<RoleColumns> list;
  for (const std::string& role : all_names(rows, [](const Row& row) {
         std::vector<std::string> names;
         for (const RoleMetrics& own : row.roles) names.push_back(own.role);
         return names;
       })) {
    const auto of_role = [&](auto RoleMetrics::*member) {
      return all_names(rows, [&, member](const Row& row) {
        const RoleMetrics* own = role_in(row, role);
        return own == nullptr ? std::vector<std::string>{} : names_of(own->*member);
      });
    };
    list.push_back({role, of_role(&RoleMetrics::learner), of_role(&RoleMetrics::terms)});
  }
  return list;
}

std::string in_quotes(const std::string& text) {
  std::string result;
  for (const char c : text) {
    if (c == '\\' || c == '"') result += '\\';
    result += c == '\n' ? ' ' : c;
  }
  return '"' + result + '"';
}

}  // namespace

const std::vector<MetricsColumn>& metrics_columns() {
  static const std::vector<MetricsColumn> columns{
      {{"seconds", "s", "of training so far, over all sittings"}, &Row::seconds},
      {{"steps_per_second", "", "trained in this update"}, &Row::steps_per_second},
      {{"mean_return", "", "of the episodes that ended"}, &Row::mean_return, true},
      {{"mean_length", "", "steps of the episodes that ended"}, &Row::mean_length, true},
      {{"success", "", "share of the episodes that ended"}, &Row::success, true},
      {{"recent_success", "", "share of the last 100 episodes of the stage"}, &Row::recent_success},
      {{"wall_seconds", "s", "by the clock"}, &Row::wall_seconds},
      {{"busy_share", "", "of the threads' time that they worked in"}, &Row::busy_share}};
  return columns;
}

std::string metrics_csv(const std::vector<Row>& rows) {
  const auto learner = all_names(rows, [](const Row& row) { return names_of(row.learner); });
  const auto terms = all_names(rows, [](const Row& row) { return names_of(row.terms); });
  const auto roles = columns_of_roles(rows);
  std::string text = "steps,episodes,stage";
  for (const MetricsColumn& column : metrics_columns()) text += "," + column.info.name;
  for (const std::string& name : learner) text += "," + csv_field(name);
  for (const std::string& name : terms) text += "," + csv_field("term." + name);
  for (const RoleColumns& role : roles) {
    for (const auto& [name, value] : of_role_episodes)
      text += "," + csv_field(fmt::format("{}.{}", role.role, name));
    for (const std::string& name : role.learner)
      text += "," + csv_field(fmt::format("{}.{}", role.role, name));
    for (const std::string& name : role.terms)
      text += "," + csv_field(fmt::format("{}.term.{}", role.role, name));
  }
  text += '\n';
  for (const Row& row : rows) {
    text += fmt::format("{},{},{}", row.steps, row.episodes, row.stage);
    for (const MetricsColumn& column : metrics_columns())
      text += row.episodes > 0 || !column.of_episodes ? field(row.*column.value) : field({});
    for (const std::string& name : learner) text += field(row.of_learner(name));
    for (const std::string& name : terms) text += field(term_of(row.terms, name));
    for (const RoleColumns& role : roles) {
      const RoleMetrics* own = role_in(row, role.role);
      static const RoleMetrics none{};
      if (own == nullptr) own = &none;
      for (const auto& [name, value] : of_role_episodes)
        text += own->episodes > 0 ? field(own->*value) : field({});
      for (const std::string& name : role.learner) text += field(metric_in(own->learner, name));
      for (const std::string& name : role.terms) text += field(term_of(own->terms, name));
    }
    text += '\n';
  }
  return text;
}

std::string open_metrics(const MetricsRow& row, const std::vector<MetricInfo>& infos,
                         const std::vector<std::pair<std::string, std::string>>& labels) {
  std::string all;
  for (const auto& [key, value] : labels)
    all += fmt::format("{}{}={}", all.empty() ? "" : ",", key, in_quotes(value));
  std::string text;
  const auto head = [&](const std::string& name, const char* type, const std::string& about) {
    text +=
        fmt::format("# TYPE zithercraft_{0} {1}\n# HELP zithercraft_{0} {2}.\n", name, type, about);
  };
  const auto sample = [&](const std::string& name, const std::string& more, double value) {
    text += fmt::format("zithercraft_{}{{{}{}}} {}\n", name, all, more, value);
  };
  const auto label = [&](const char* name, const std::string& value) {
    return fmt::format("{}{}={}", all.empty() ? "" : ",", name, in_quotes(value));
  };
  head("steps", "counter", "taken so far");
  sample("steps_total", "", static_cast<double>(row.steps));
  head("stage", "gauge", "of the curriculum, from 0");
  sample("stage", "", static_cast<double>(row.stage));
  for (const MetricsColumn& column : metrics_columns()) {
    if (column.of_episodes && row.episodes == 0) continue;
    head(column.info.name, "gauge", column.info.about);
    sample(column.info.name, "", row.*column.value);
    for (const RoleMetrics& role : row.roles)
      for (const auto& [name, value] : of_role_episodes)
        if (role.episodes > 0 && column.info.name == name)
          sample(name, label("role", role.role), role.*value);
  }
  for (const MetricInfo& info : infos) {
    const auto value = row.of_learner(info.name);
    if (!value) continue;
    head(info.name, "gauge", info.about);
    sample(info.name, "", *value);
    for (const RoleMetrics& role : row.roles)
      if (const auto own = metric_in(role.learner, info.name))
        sample(info.name, label("role", role.role), *own);
  }
  if (!row.terms.empty()) head("term", "gauge", "reward of a term per episode");
  for (const auto& [term, mean] : row.terms) sample("term", label("term", term), mean);
  for (const RoleMetrics& role : row.roles)
    for (const auto& [term, mean] : role.terms)
      sample("term", label("role", role.role) + ",term=" + in_quotes(term), mean);
  return text + "# EOF\n";
}

}  // namespace zithercraft
