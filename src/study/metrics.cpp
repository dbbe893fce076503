#include "zithercraft/study/metrics.hpp"

#include <string>

#include "sqlite.hpp"

namespace zithercraft {
namespace {

std::string column_names(const char* before, const char* after) {
  std::string names;
  for (const MetricsColumn& column : metrics_columns()) names += std::string(before) + column.name + after;
  return names;
}

std::string schema() {
  return "CREATE TABLE IF NOT EXISTS updates (decisions INTEGER PRIMARY KEY, episodes INTEGER, stage INTEGER" +
         column_names(", ", " REAL") +
         ");"
         "CREATE TABLE IF NOT EXISTS terms (decisions INTEGER, term TEXT, mean REAL, PRIMARY KEY (decisions, term));";
}

constexpr const char* insert_term = "INSERT OR REPLACE INTO terms VALUES (?1,?2,?3)";

}  // namespace

struct Metrics::State {
  explicit State(const std::filesystem::path& path) : db(path, "the metrics") {}
  Database db;
};

Metrics::Metrics(const std::filesystem::path& path) : state_(std::make_unique<State>(path)) {
  state_->db.run(schema().c_str());
}

Metrics::~Metrics() = default;

void Metrics::forget_after(std::int64_t decisions) {
  for (const char* sql : {"DELETE FROM updates WHERE decisions > ?1", "DELETE FROM terms WHERE decisions > ?1"})
    Statement(state_->db, sql).bind(decisions).run();
}

void Metrics::add(const MetricsRow& row) {
  state_->db.run("BEGIN");
  std::string sql = "INSERT OR REPLACE INTO updates VALUES (?,?,?";
  for (std::size_t i = 0; i < metrics_columns().size(); ++i) sql += ",?";
  Statement s(state_->db, sql + ")");
  s.bind(row.decisions).bind(row.episodes).bind(static_cast<std::int64_t>(row.stage));
  MetricsRow copy = row;
  for (const MetricsColumn& column : metrics_columns())
    column.of_episodes&& row.episodes == 0 ? s.bind_nothing() : s.bind(column.of(copy));
  s.run();
  if (row.episodes > 0)
    for (const auto& [term, mean] : row.terms)
      Statement(state_->db, insert_term).bind(row.decisions).bind(term).bind(mean).run();
  state_->db.run("COMMIT");
}

std::optional<MetricsRow> Metrics::newest() const {
  Statement s(state_->db, "SELECT max(decisions) FROM updates");
  s.row();
  const auto list = rows(s.whole(0) - 1);
  return list.empty() ? std::nullopt : std::optional(list.back());
}

std::vector<MetricsRow> Metrics::rows(std::int64_t after) const {
  std::vector<MetricsRow> rows;
  Statement s(state_->db, "SELECT decisions, episodes, stage" + column_names(", ", "") +
                              " FROM updates WHERE decisions > ?1 ORDER BY decisions");
  s.bind(after);
  while (s.row()) {
    MetricsRow row;
    row.decisions = s.whole(0);
    row.episodes = s.whole(1);
    row.stage = static_cast<std::size_t>(s.whole(2));
    int number = 3;
    for (const MetricsColumn& column : metrics_columns()) column.of(row) = s.number(number++);
    Statement terms(state_->db, "SELECT term, mean FROM terms WHERE decisions = ?1 ORDER BY rowid");
    terms.bind(row.decisions);
    while (terms.row()) row.terms.emplace_back(terms.text(0), terms.number(1));
    rows.push_back(std::move(row));
  }
  return rows;
}

}  // namespace zithercraft
