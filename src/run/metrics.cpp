#include "zithercraft/run/metrics.hpp"

#include <algorithm>
#include <array>
#include <string>

#include "run/sqlite.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
using namespace run_internal;
namespace {

constexpr std::array words_of_drawn{
    std::pair{"line", Drawn::line}, std::pair{"lower", Drawn::lower},
    std::pair{"upper", Drawn::upper}, std::pair{"standard_error", Drawn::standard_error}};

std::string word_of(Drawn drawn) {
  for (const auto& [word, value] : words_of_drawn)
    if (value == drawn) return word;
  return {};
}
Drawn drawn_of(const std::string& word) {
  for (const auto& [known, value] : words_of_drawn)
    if (word == known) return value;
  return Drawn::line;
}

// Names of columns, each behind a comma.
std::string listed(const std::vector<std::string>& names, const char* after = "") {
  std::string text;
  for (const std::string& name : names) text += ", \"" + name + '"' + after;
  return text;
}

std::vector<std::string> common_names() {
  std::vector<std::string> names;
  for (const MetricsColumn& column : metrics_columns()) names.push_back(column.info.name);
  return names;
}

constexpr std::int64_t version = 3;

// Of a first policy these are in `updates`, of a further one in `roles`.
constexpr const char* first_role = "";

std::string schema() {
  return "PRAGMA user_version = " + std::to_string(version) +
         ";"
         "CREATE TABLE IF NOT EXISTS updates (steps INTEGER PRIMARY KEY, episodes INTEGER, stage "
         "INTEGER" +
         listed(common_names(), " REAL") +
         ");"
         "CREATE TABLE IF NOT EXISTS metrics (name TEXT PRIMARY KEY, unit TEXT, about TEXT, chart "
         "TEXT, drawn TEXT, of_parts INTEGER);"
         "CREATE TABLE IF NOT EXISTS terms (steps INTEGER, term TEXT, mean REAL, PRIMARY KEY "
         "(steps, term));"
         "CREATE TABLE IF NOT EXISTS roles (steps INTEGER, role TEXT, episodes INTEGER, "
         "mean_return REAL, success REAL, PRIMARY KEY (steps, role));"
         "CREATE TABLE IF NOT EXISTS role_terms (steps INTEGER, role TEXT, term TEXT, mean REAL, "
         "PRIMARY KEY (steps, role, term));"
         "CREATE TABLE IF NOT EXISTS parts (steps INTEGER, role TEXT, part INTEGER, metric TEXT, "
         "value REAL, PRIMARY KEY (steps, role, part, metric));";
}

std::string places(std::size_t count) {
  std::string text = "?";
  for (std::size_t i = 1; i < count; ++i) text += ",?";
  return text;
}

}  // namespace

struct Metrics::State {
  explicit State(const std::filesystem::path& path) : db(path, "the metrics") {}

  // Tables of a run of another version lack columns; what it did not keep is unknown.
  void complete(const std::string& table, const std::vector<std::string>& needed) {
    std::vector<std::string> there;
    Statement s(db, "SELECT name FROM pragma_table_info('" + table + "')");
    while (s.row()) there.push_back(s.text(0));
    for (const std::string& name : needed)
      if (std::find(there.begin(), there.end(), name) == there.end())
        db.run(("ALTER TABLE " + table + " ADD COLUMN \"" + name + "\" REAL").c_str());
  }

  // All at once: other programs may open the metrics at the same moment.
  void make(const std::vector<MetricInfo>& described) {
    db.run("BEGIN IMMEDIATE");
    db.run(schema().c_str());
    for (const MetricInfo& info : described)
      Statement(db, "INSERT OR REPLACE INTO metrics VALUES (?1,?2,?3,?4,?5,?6)")
          .bind(info.name)
          .bind(info.unit)
          .bind(info.about)
          .bind(info.chart)
          .bind(word_of(info.drawn))
          .bind(std::int64_t{info.of_parts})
          .run();
    read_descriptions();
    complete("updates", common_names());
    complete("updates", names);
    complete("roles", names);
    db.run("COMMIT");
  }

  bool made() const {
    Statement s(db, "PRAGMA user_version");
    return s.row() && s.whole(0) == version;
  }

  void read_descriptions() {
    Statement s(db, "SELECT name, unit, about, chart, drawn, of_parts FROM metrics ORDER BY rowid");
    while (s.row()) {
      infos.push_back(
          {s.text(0), s.text(1), s.text(2), s.text(3), drawn_of(s.text(4)), s.whole(5) != 0});
      if (!infos.back().of_parts) names.push_back(infos.back().name);
    }
  }

  // One value for each name; those that an update does not have are nothing.
  void bind_learner(Statement& s, const std::vector<Metric>& list) const {
    for (const std::string& name : names) {
      const auto value = metric_in(list, name);
      value ? s.bind(*value) : s.bind_nothing();
    }
  }
  std::vector<Metric> learner_from(const Statement& s, int first) const {
    std::vector<Metric> list;
    for (std::size_t i = 0; i < names.size(); ++i)
      if (const int column = first + static_cast<int>(i); !s.nothing(column))
        list.push_back({names[i], s.number(column)});
    return list;
  }

  void add_parts(std::int64_t steps, const std::string& role, const std::vector<Metric>& list) {
    for (const Metric& metric : list) {
      if (std::none_of(infos.begin(), infos.end(),
                       [&](const MetricInfo& info) { return info.name == metric.name; }))
        throw Error(ErrorKind::usage, "the method reports '" + metric.name + "' unannounced",
                    "LearningMethod::metrics", "describe it there");
      if (metric.part == Metric::whole) continue;
      Statement(db, "INSERT OR REPLACE INTO parts VALUES (?1,?2,?3,?4,?5)")
          .bind(steps)
          .bind(role)
          .bind(metric.part)
          .bind(metric.name)
          .bind(metric.value)
          .run();
    }
  }
  void get_parts(std::int64_t steps, const std::string& role, std::vector<Metric>& list) const {
    Statement s(db,
                "SELECT metric, value, part FROM parts WHERE steps = ?1 AND role = ?2 ORDER BY "
                "part, rowid");
    s.bind(steps).bind(role);
    while (s.row()) list.push_back({s.text(0), s.number(1), s.whole(2)});
  }

  void add_role(std::int64_t steps, const RoleMetrics& role) {
    Statement s(db, "INSERT OR REPLACE INTO roles (steps, role, episodes, mean_return, success" +
                        listed(names) + ") VALUES (" + places(5 + names.size()) + ")");
    s.bind(steps).bind(role.role).bind(role.episodes);
    for (const double value : {role.mean_return, role.success})
      role.episodes > 0 ? s.bind(value) : s.bind_nothing();
    bind_learner(s, role.learner);
    s.run();
    add_parts(steps, role.role, role.learner);
    if (role.episodes == 0) return;
    for (const auto& [term, mean] : role.terms)
      Statement(db, "INSERT OR REPLACE INTO role_terms VALUES (?1,?2,?3,?4)")
          .bind(steps)
          .bind(role.role)
          .bind(term)
          .bind(mean)
          .run();
  }

  std::vector<RoleMetrics> roles_at(std::int64_t steps) const {
    std::vector<RoleMetrics> roles;
    Statement s(db, "SELECT role, episodes, mean_return, success" + listed(names) +
                        " FROM roles WHERE steps = ?1 ORDER BY rowid");
    s.bind(steps);
    while (s.row()) {
      RoleMetrics role{.role = s.text(0),
                       .episodes = s.whole(1),
                       .mean_return = s.number(2),
                       .success = s.number(3)};
      role.learner = learner_from(s, 4);
      get_parts(steps, role.role, role.learner);
      Statement terms(
          db, "SELECT term, mean FROM role_terms WHERE steps = ?1 AND role = ?2 ORDER BY rowid");
      terms.bind(steps).bind(role.role);
      while (terms.row()) role.terms.emplace_back(terms.text(0), terms.number(1));
      roles.push_back(std::move(role));
    }
    return roles;
  }

  mutable Database db;
  std::vector<MetricInfo> infos;   // of what the method reports
  std::vector<std::string> names;  // of those that are no numbers of parts
};

Metrics::Metrics(const std::filesystem::path& path, const std::vector<MetricInfo>& infos)
    : state_(std::make_unique<State>(path)) {
  if (infos.empty() && state_->made()) {
    state_->read_descriptions();
  } else {
    state_->make(infos);
  }
}

Metrics::~Metrics() = default;

const std::vector<MetricInfo>& Metrics::infos() const noexcept { return state_->infos; }

void Metrics::forget_after(std::int64_t steps) {
  for (const char* table : {"updates", "terms", "roles", "role_terms", "parts"})
    Statement(state_->db, std::string("DELETE FROM ") + table + " WHERE steps > ?1")
        .bind(steps)
        .run();
}

void Metrics::add(const MetricsRow& row) {
  State& state = *state_;
  state.db.run("BEGIN");
  Statement s(state.db, "INSERT OR REPLACE INTO updates (steps, episodes, stage" +
                            listed(common_names()) + listed(state.names) + ") VALUES (" +
                            places(3 + metrics_columns().size() + state.names.size()) + ")");
  s.bind(row.steps).bind(row.episodes).bind(static_cast<std::int64_t>(row.stage));
  for (const MetricsColumn& column : metrics_columns())
    row.episodes > 0 || !column.of_episodes ? s.bind(row.*column.value) : s.bind_nothing();
  state.bind_learner(s, row.learner);
  s.run();
  state.add_parts(row.steps, first_role, row.learner);
  if (row.episodes > 0)
    for (const auto& [term, mean] : row.terms)
      Statement(state.db, "INSERT OR REPLACE INTO terms VALUES (?1,?2,?3)")
          .bind(row.steps)
          .bind(term)
          .bind(mean)
          .run();
  for (const RoleMetrics& role : row.roles) state.add_role(row.steps, role);
  state.db.run("COMMIT");
}

std::optional<MetricsRow> Metrics::newest() const {
  Statement s(state_->db, "SELECT max(steps) FROM updates");
  s.row();
  const auto list = rows(s.whole(0) - 1);
  return list.empty() ? std::nullopt : std::optional(list.back());
}

std::vector<MetricsRow> Metrics::rows(std::int64_t after) const {
  const State& state = *state_;
  std::vector<MetricsRow> rows;
  Statement s(state.db, "SELECT steps, episodes, stage" + listed(common_names()) +
                            listed(state.names) + " FROM updates WHERE steps > ?1 ORDER BY steps");
  s.bind(after);
  while (s.row()) {
    MetricsRow row;
    row.steps = s.whole(0);
    row.episodes = s.whole(1);
    row.stage = static_cast<std::size_t>(s.whole(2));
    int number = 3;
    for (const MetricsColumn& column : metrics_columns()) row.*column.value = s.number(number++);
    row.learner = state.learner_from(s, number);
    state.get_parts(row.steps, first_role, row.learner);
    Statement terms(state.db, "SELECT term, mean FROM terms WHERE steps = ?1 ORDER BY rowid");
    terms.bind(row.steps);
    while (terms.row()) row.terms.emplace_back(terms.text(0), terms.number(1));
    row.roles = state.roles_at(row.steps);
    rows.push_back(std::move(row));
  }
  return rows;
}

}  // namespace zithercraft
