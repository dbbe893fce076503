#include "zithercraft/study/metrics.hpp"

#include <algorithm>
#include <string>

#include "sqlite.hpp"

namespace zithercraft {
namespace {

template <class Column>
std::string names_of(std::span<const Column> columns, const char* before, const char* after) {
  std::string names;
  for (const Column& column : columns) names += std::string(before) + column.name + after;
  return names;
}
std::string column_names(const char* before, const char* after) {
  return names_of(metrics_columns(), before, after);
}

std::string schema() {
  return "PRAGMA user_version = 2;CREATE TABLE IF NOT EXISTS updates (steps INTEGER PRIMARY KEY, "
         "episodes INTEGER, stage INTEGER" +
         column_names(", ", " REAL") +
         ");"
         "CREATE TABLE IF NOT EXISTS terms (steps INTEGER, term TEXT, mean REAL, PRIMARY KEY "
         "(steps, term));"
         "CREATE TABLE IF NOT EXISTS roles (steps INTEGER, role TEXT, episodes INTEGER" +
         names_of(role_columns(), ", ", " REAL") +
         ", PRIMARY KEY (steps, role));"
         "CREATE TABLE IF NOT EXISTS species (steps INTEGER, species INTEGER, size INTEGER, age "
         "INTEGER, "
         "without_gain INTEGER, best REAL, PRIMARY KEY (steps, species));"
         "CREATE TABLE IF NOT EXISTS role_terms (steps INTEGER, role TEXT, term TEXT, mean REAL, "
         "PRIMARY KEY "
         "(steps, role, term));";
}

std::string places(std::size_t count) {
  std::string text = "?";
  for (std::size_t i = 1; i < count; ++i) text += ",?";
  return text;
}

constexpr const char* insert_term = "INSERT OR REPLACE INTO terms VALUES (?1,?2,?3)";
constexpr const char* insert_role_term = "INSERT OR REPLACE INTO role_terms VALUES (?1,?2,?3,?4)";

}  // namespace

struct Metrics::State {
  explicit State(const std::filesystem::path& path) : db(path, "the metrics") {}
  Database db;
};

Metrics::Metrics(const std::filesystem::path& path) : state_(std::make_unique<State>(path)) {
  state_->db.run(schema().c_str());
  // A run of an earlier version continues; what it did not keep is unknown.
  const auto complete = [&](const std::string& table, const auto& columns) {
    std::vector<std::string> there;
    Statement s(state_->db, "SELECT name FROM pragma_table_info('" + table + "')");
    while (s.row()) there.push_back(s.text(0));
    for (const auto& column : columns)
      if (std::find(there.begin(), there.end(), column.name) == there.end())
        state_->db.run(("ALTER TABLE " + table + " ADD COLUMN " + column.name + " REAL").c_str());
  };
  complete("updates", metrics_columns());
  complete("roles", role_columns());
}

Metrics::~Metrics() = default;

void Metrics::forget_after(std::int64_t steps) {
  for (const char* table : {"updates", "terms", "roles", "role_terms", "species"})
    Statement(state_->db, std::string("DELETE FROM ") + table + " WHERE steps > ?1")
        .bind(steps)
        .run();
}

void Metrics::add_role(std::int64_t steps, RoleMetrics role) {
  Statement s(state_->db, "INSERT OR REPLACE INTO roles (steps, role, episodes" +
                              names_of(role_columns(), ", ", "") + ") VALUES (" +
                              places(3 + role_columns().size()) + ")");
  s.bind(steps).bind(role.role).bind(role.episodes);
  for (const RoleColumn& column : role_columns())
    knows(role, column.known) ? s.bind(column.of(role)) : s.bind_nothing();
  s.run();
  if (role.episodes == 0) return;
  for (const auto& [term, mean] : role.terms)
    Statement(state_->db, insert_role_term).bind(steps).bind(role.role).bind(term).bind(mean).run();
}

std::vector<RoleMetrics> Metrics::roles_at(std::int64_t steps) const {
  std::vector<RoleMetrics> roles;
  Statement s(state_->db, "SELECT role, episodes" + names_of(role_columns(), ", ", "") +
                              " FROM roles WHERE steps = ?1 ORDER BY rowid");
  s.bind(steps);
  while (s.row()) {
    RoleMetrics role{.role = s.text(0), .episodes = s.whole(1)};
    int number = 2;
    for (const RoleColumn& column : role_columns()) column.of(role) = s.number(number++);
    Statement terms(
        state_->db,
        "SELECT term, mean FROM role_terms WHERE steps = ?1 AND role = ?2 ORDER BY rowid");
    terms.bind(steps).bind(role.role);
    while (terms.row()) role.terms.emplace_back(terms.text(0), terms.number(1));
    roles.push_back(std::move(role));
  }
  return roles;
}

std::vector<SpeciesReport> Metrics::species_at(std::int64_t steps) const {
  std::vector<SpeciesReport> list;
  Statement s(state_->db,
              "SELECT species, size, age, without_gain, best FROM species WHERE steps = ?1 ORDER "
              "BY species");
  s.bind(steps);
  while (s.row())
    list.push_back({.number = s.whole(0),
                    .size = static_cast<std::size_t>(s.whole(1)),
                    .age = s.whole(2),
                    .without_gain = s.whole(3),
                    .best = s.number(4)});
  return list;
}

void Metrics::add(const MetricsRow& row) {
  state_->db.run("BEGIN");
  Statement s(state_->db, "INSERT OR REPLACE INTO updates (steps, episodes, stage" +
                              column_names(", ", "") + ") VALUES (" +
                              places(3 + metrics_columns().size()) + ")");
  s.bind(row.steps).bind(row.episodes).bind(static_cast<std::int64_t>(row.stage));
  MetricsRow copy = row;
  for (const MetricsColumn& column : metrics_columns())
    knows(row, column.known) ? s.bind(column.of(copy)) : s.bind_nothing();
  s.run();
  if (row.episodes > 0)
    for (const auto& [term, mean] : row.terms)
      Statement(state_->db, insert_term).bind(row.steps).bind(term).bind(mean).run();
  for (const RoleMetrics& role : row.roles) add_role(row.steps, role);
  for (const SpeciesReport& species : row.evolution.species)
    Statement(state_->db, "INSERT OR REPLACE INTO species VALUES (?1,?2,?3,?4,?5,?6)")
        .bind(row.steps)
        .bind(species.number)
        .bind(static_cast<std::int64_t>(species.size))
        .bind(species.age)
        .bind(species.without_gain)
        .bind(species.best)
        .run();
  state_->db.run("COMMIT");
}

std::optional<MetricsRow> Metrics::newest() const {
  Statement s(state_->db, "SELECT max(steps) FROM updates");
  s.row();
  const auto list = rows(s.whole(0) - 1);
  return list.empty() ? std::nullopt : std::optional(list.back());
}

std::vector<MetricsRow> Metrics::rows(std::int64_t after) const {
  std::vector<MetricsRow> rows;
  Statement s(state_->db, "SELECT steps, episodes, stage" + column_names(", ", "") +
                              " FROM updates WHERE steps > ?1 ORDER BY steps");
  s.bind(after);
  while (s.row()) {
    MetricsRow row;
    row.steps = s.whole(0);
    row.episodes = s.whole(1);
    row.stage = static_cast<std::size_t>(s.whole(2));
    int number = 3;
    for (const MetricsColumn& column : metrics_columns()) column.of(row) = s.number(number++);
    Statement terms(state_->db, "SELECT term, mean FROM terms WHERE steps = ?1 ORDER BY rowid");
    terms.bind(row.steps);
    while (terms.row()) row.terms.emplace_back(terms.text(0), terms.number(1));
    row.roles = roles_at(row.steps);
    row.evolution.generation = static_cast<std::int64_t>(row.generation);
    for (RoleMetrics& role : row.roles) role.evolution.generation = row.evolution.generation;
    row.evolution.led_since = static_cast<std::int64_t>(row.led_since);
    if (row.species > 0.0) row.evolution.species = species_at(row.steps);
    rows.push_back(std::move(row));
  }
  return rows;
}

}  // namespace zithercraft
