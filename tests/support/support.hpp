#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "zithercraft/base/error.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft::test {

/// A folder that is deleted with everything in it.
class TemporaryFolder {
 public:
  TemporaryFolder();
  ~TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

std::filesystem::path project_folder();

/// The demo, and a smaller game that is learned in seconds: a duck in a round pond swims to its
/// jetty by two choices.
GameSpec mooring();
GameSpec duck_pond();

/// A game text with one replacement; fails the test if `from` is not in it.
std::string mooring_with(const std::string& from, const std::string& to);

struct ToolResult {
  int status = -1;  ///< 128 + signal if it was killed by one
  std::string out, err;
};

/// The built tool's path.
std::string tool();
/// Runs the built tool, or another program, and waits for it.
ToolResult run_tool(const std::vector<std::string>& arguments);
ToolResult run_program(const std::vector<std::string>& words);

/// Starts the tool in the background with both outputs thrown away; returns its process number.
int start_tool(const std::vector<std::string>& arguments);
int start_program(const std::vector<std::string>& words);
/// The same with outputs written to files.
int start_tool(const std::vector<std::string>& arguments, const std::filesystem::path& out,
               const std::filesystem::path& err);
/// Waits for a process; the status as in ToolResult.
int wait_for(int process);

/// Calls `action`, which must throw Error, and returns it.
template <class Action>
Error error_of(Action action) {
  try {
    action();
  } catch (const Error& error) {
    return error;
  }
  return Error(ErrorKind::usage, "NO ERROR WAS THROWN");
}

std::string read_file(const std::filesystem::path& path);
void write_file(const std::filesystem::path& path, const std::string& content);

/// A page that is passed on must carry the notices of the libraries in it.
void expect_licences(const std::string& page);

}  // namespace zithercraft::test
