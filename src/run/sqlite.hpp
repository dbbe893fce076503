#pragma once

#include <sqlite3.h>

#include <cstdint>
#include <filesystem>
#include <string>

namespace zithercraft::run_internal {

/// An SQLite database that one process writes and others may read meanwhile.
class Database {
 public:
  /// Opens or creates it. `what` names its contents in errors: "the metrics". Throws Error (file).
  Database(const std::filesystem::path& path, std::string what);
  ~Database();
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;

  void run(const char* sql) const;
  sqlite3* handle() const { return db_; }
  [[noreturn]] void fail() const;

 private:
  std::string path_, what_;
  sqlite3* db_ = nullptr;
};

/// A prepared statement; finalised when it leaves scope. Its database's `fail` says what went
/// wrong.
class Statement {
 public:
  Statement(const Database& database, const std::string& sql);
  ~Statement();
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  Statement& bind(double value) { return note(sqlite3_bind_double(handle_, ++next_, value)); }
  Statement& bind(std::int64_t value) { return note(sqlite3_bind_int64(handle_, ++next_, value)); }
  Statement& bind(const std::string& value) {
    return note(sqlite3_bind_text(handle_, ++next_, value.c_str(), -1, SQLITE_TRANSIENT));
  }
  Statement& bind_nothing() { return note(sqlite3_bind_null(handle_, ++next_)); }
  /// Whether there is a row; throws if there is an error.
  bool row();
  /// Carries out a statement that gives no rows.
  void run();

  double number(int column) const { return sqlite3_column_double(handle_, column); }
  std::int64_t whole(int column) const { return sqlite3_column_int64(handle_, column); }
  bool nothing(int column) const { return sqlite3_column_type(handle_, column) == SQLITE_NULL; }
  std::string text(int column) const;

 private:
  Statement& note(int code);
  const Database& database_;
  sqlite3_stmt* handle_ = nullptr;
  int next_ = 0;
};

}  // namespace zithercraft::run_internal
