#include "zithercraft/study/metrics.hpp"

#include <sqlite3.h>

#include <string>

#include "zithercraft/base/error.hpp"

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
  std::string path;
  sqlite3* db = nullptr;

  [[noreturn]] void fail() const {
    throw Error(Fault::file,
                "the metrics cannot be used: " + std::string(db != nullptr ? sqlite3_errmsg(db) : "out of memory"),
                path, "check the folder's rights and space, or start afresh");
  }
  void run(const char* sql) const {
    if (sqlite3_exec(db, sql, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
  }
};

namespace {

// A prepared statement; finalised when it leaves scope.
class Statement {
 public:
  Statement(sqlite3* db, const char* sql) { good_ = sqlite3_prepare_v2(db, sql, -1, &handle_, nullptr) == SQLITE_OK; }
  ~Statement() { sqlite3_finalize(handle_); }
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  bool good() const { return good_; }
  Statement& bind(double value) { return note(sqlite3_bind_double(handle_, ++next_, value)); }
  Statement& bind(std::int64_t value) { return note(sqlite3_bind_int64(handle_, ++next_, value)); }
  Statement& bind(const std::string& value) {
    return note(sqlite3_bind_text(handle_, ++next_, value.c_str(), -1, SQLITE_TRANSIENT));
  }
  Statement& bind_nothing() { return note(sqlite3_bind_null(handle_, ++next_)); }
  int step() { return good_ ? sqlite3_step(handle_) : SQLITE_ERROR; }
  double number(int column) const { return sqlite3_column_double(handle_, column); }
  std::int64_t whole(int column) const { return sqlite3_column_int64(handle_, column); }
  std::string text(int column) const {
    const auto* bytes = sqlite3_column_text(handle_, column);
    return bytes == nullptr ? "" : reinterpret_cast<const char*>(bytes);
  }

 private:
  Statement& note(int code) {
    good_ = good_ && code == SQLITE_OK;
    return *this;
  }
  sqlite3_stmt* handle_ = nullptr;
  int next_ = 0;
  bool good_ = false;
};

}  // namespace

Metrics::Metrics(const std::filesystem::path& path) : state_(std::make_unique<State>()) {
  state_->path = path.string();
  if (sqlite3_open(path.c_str(), &state_->db) != SQLITE_OK) {
    const std::string reason = sqlite3_errmsg(state_->db);
    sqlite3_close(state_->db);
    throw Error(Fault::file, "the metrics cannot be opened: " + reason, path.string(),
                "check the folder's rights and space");
  }
  sqlite3_busy_timeout(state_->db, 5000);
  try {
    // Readers and the writer do not wait for each other.
    state_->run("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL;");
    state_->run(schema().c_str());
  } catch (...) {
    sqlite3_close(state_->db);
    throw;
  }
}

Metrics::~Metrics() { sqlite3_close(state_->db); }

void Metrics::forget_after(std::int64_t decisions) {
  for (const char* sql : {"DELETE FROM updates WHERE decisions > ?1", "DELETE FROM terms WHERE decisions > ?1"}) {
    Statement statement(state_->db, sql);
    if (statement.bind(decisions).step() != SQLITE_DONE) state_->fail();
  }
}

void Metrics::add(const MetricsRow& row) {
  state_->run("BEGIN");
  {
    std::string sql = "INSERT OR REPLACE INTO updates VALUES (?,?,?";
    for (std::size_t i = 0; i < metrics_columns().size(); ++i) sql += ",?";
    Statement s(state_->db, (sql + ")").c_str());
    s.bind(row.decisions).bind(row.episodes).bind(static_cast<std::int64_t>(row.stage));
    MetricsRow copy = row;
    for (const MetricsColumn& column : metrics_columns())
      column.of_episodes && row.episodes == 0 ? s.bind_nothing() : s.bind(column.of(copy));
    if (s.step() != SQLITE_DONE) state_->fail();
  }
  if (row.episodes > 0)
    for (const auto& [term, mean] : row.terms) {
      Statement s(state_->db, insert_term);
      if (s.bind(row.decisions).bind(term).bind(mean).step() != SQLITE_DONE) state_->fail();
    }
  state_->run("COMMIT");
}

std::optional<MetricsRow> Metrics::newest() const {
  Statement s(state_->db, "SELECT max(decisions) FROM updates");
  if (s.step() != SQLITE_ROW) state_->fail();
  const auto list = rows(s.whole(0) - 1);
  return list.empty() ? std::nullopt : std::optional(list.back());
}

std::vector<MetricsRow> Metrics::rows(std::int64_t after) const {
  std::vector<MetricsRow> rows;
  Statement s(state_->db, ("SELECT decisions, episodes, stage" + column_names(", ", "") +
                          " FROM updates WHERE decisions > ?1 ORDER BY decisions")
                             .c_str());
  s.bind(after);
  int code;
  while ((code = s.step()) == SQLITE_ROW) {
    MetricsRow row;
    row.decisions = s.whole(0);
    row.episodes = s.whole(1);
    row.stage = static_cast<std::size_t>(s.whole(2));
    int number = 3;
    for (const MetricsColumn& column : metrics_columns()) column.of(row) = s.number(number++);
    Statement terms(state_->db, "SELECT term, mean FROM terms WHERE decisions = ?1 ORDER BY rowid");
    terms.bind(row.decisions);
    while ((code = terms.step()) == SQLITE_ROW) row.terms.emplace_back(terms.text(0), terms.number(1));
    if (code != SQLITE_DONE) state_->fail();
    rows.push_back(std::move(row));
  }
  if (code != SQLITE_DONE) state_->fail();
  return rows;
}

}  // namespace zithercraft
