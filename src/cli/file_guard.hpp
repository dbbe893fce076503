#pragma once

#include <string>
#include <utility>
#include <vector>

#include "zithercraft/run/run.hpp"

namespace zithercraft::cli {

/// What a command reads and writes, compared before it writes anything: no output may be a file
/// that it reads, a file of a run that it reads, or another output.
class FileGuard {
 public:
  /// A file, `-`, or the name of a demo game, which is no file. Empty names are left out.
  FileGuard& reads(const std::string& name);
  FileGuard& reads(const std::vector<std::string>& names);
  /// A run, RUN:CHECKPOINT, a checkpoint's file, a replay, or a word like `random`.
  FileGuard& reads_player(const std::string& name);
  FileGuard& reads_players(const std::vector<std::string>& names);
  FileGuard& writes(const std::string& option, const std::string& file);
  /// Throws Error (usage). If something is written to `-`, messages go to standard error from now
  /// on; with `json`, which prints its result to standard output, `-` is refused.
  void check(bool json) const;

 private:
  std::vector<std::string> inputs_;
  std::vector<Run> runs_;
  std::vector<std::pair<std::string, std::string>> outputs_;  // option and file
};

}  // namespace zithercraft::cli
