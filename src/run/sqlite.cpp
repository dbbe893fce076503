#include "run/sqlite.hpp"

#include <utility>

#include "zithercraft/base/error.hpp"

namespace zithercraft::run_internal {

Database::Database(const std::filesystem::path& path, std::string what)
    : path_(path.string()), what_(std::move(what)) {
  if (sqlite3_open(path.c_str(), &db_) != SQLITE_OK) {
    const std::string reason = sqlite3_errmsg(db_);
    sqlite3_close(db_);
    throw Error(ErrorKind::file, what_ + " cannot be opened: " + reason, path_,
                "check the folder's rights and space");
  }
  sqlite3_busy_timeout(db_, 5000);
  try {
    // Readers and the writer do not wait for each other.
    run("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL;");
  } catch (...) {
    sqlite3_close(db_);
    throw;
  }
}

Database::~Database() { sqlite3_close(db_); }

void Database::fail() const {
  throw Error(ErrorKind::file, what_ + " cannot be used: " + std::string(sqlite3_errmsg(db_)),
              path_, "check the folder's rights and space, or start afresh");
}

void Database::run(const char* sql) const {
  if (sqlite3_exec(db_, sql, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
}

Statement::Statement(const Database& database, const std::string& sql) : database_(database) {
  if (sqlite3_prepare_v2(database.handle(), sql.c_str(), -1, &handle_, nullptr) != SQLITE_OK)
    database_.fail();
}
Statement::~Statement() { sqlite3_finalize(handle_); }

Statement& Statement::note(int code) {
  if (code != SQLITE_OK) database_.fail();
  return *this;
}

bool Statement::row() {
  const int code = sqlite3_step(handle_);
  if (code != SQLITE_ROW && code != SQLITE_DONE) database_.fail();
  return code == SQLITE_ROW;
}

void Statement::run() {
  while (row()) {
  }
}

std::string Statement::text(int column) const {
  const auto* bytes = sqlite3_column_text(handle_, column);
  return bytes == nullptr ? "" : reinterpret_cast<const char*>(bytes);
}

}  // namespace zithercraft::run_internal
