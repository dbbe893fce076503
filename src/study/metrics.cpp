#include "zithercraft/study/metrics.hpp"

#include <sqlite3.h>

#include <string>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

constexpr const char* schema = R"sql(
  CREATE TABLE IF NOT EXISTS updates (
    decisions INTEGER PRIMARY KEY, seconds REAL, decisions_per_second REAL, episodes INTEGER,
    mean_return REAL, mean_length REAL, success REAL, recent_success REAL,
    policy_loss REAL, value_loss REAL, entropy REAL, kl REAL, clip_share REAL, explained_variance REAL,
    gradient_norm REAL, learning_rate REAL);
  CREATE TABLE IF NOT EXISTS terms (
    decisions INTEGER, term TEXT, mean REAL, PRIMARY KEY (decisions, term));
)sql";

constexpr const char* insert_update =
    "INSERT OR REPLACE INTO updates VALUES (?1,?2,?3,?4,?5,?6,?7,?8,?9,?10,?11,?12,?13,?14,?15,?16)";
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
    state_->run(schema);
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
    Statement s(state_->db, insert_update);
    s.bind(row.decisions).bind(row.seconds).bind(row.decisions_per_second).bind(row.episodes);
    for (const double value : {row.mean_return, row.mean_length, row.success})
      row.episodes > 0 ? s.bind(value) : s.bind_nothing();
    const ImproveReport& l = row.learner;
    for (const double value : {row.recent_success, l.policy_loss, l.value_loss, l.entropy, l.kl, l.clip_share,
                               l.explained_variance, l.gradient_norm, l.learning_rate})
      s.bind(value);
    if (s.step() != SQLITE_DONE) state_->fail();
  }
  if (row.episodes > 0)
    for (const auto& [term, mean] : row.terms) {
      Statement s(state_->db, insert_term);
      if (s.bind(row.decisions).bind(term).bind(mean).step() != SQLITE_DONE) state_->fail();
    }
  state_->run("COMMIT");
}

std::vector<MetricsRow> Metrics::rows(std::int64_t after) const {
  std::vector<MetricsRow> rows;
  Statement s(state_->db, "SELECT * FROM updates WHERE decisions > ?1 ORDER BY decisions");
  s.bind(after);
  int code;
  while ((code = s.step()) == SQLITE_ROW) {
    MetricsRow row;
    row.decisions = s.whole(0);
    row.seconds = s.number(1);
    row.decisions_per_second = s.number(2);
    row.episodes = s.whole(3);
    row.mean_return = s.number(4);
    row.mean_length = s.number(5);
    row.success = s.number(6);
    row.recent_success = s.number(7);
    row.learner = {s.number(8),  s.number(9),  s.number(10), s.number(11),
                   s.number(12), s.number(13), s.number(14), s.number(15)};
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
