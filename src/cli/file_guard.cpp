#include "cli/file_guard.hpp"

#include "cli/games.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft::cli {

FileGuard& FileGuard::reads(const std::string& name) {
  if (!name.empty() && (names_file(name) || holds_run(name))) return reads_player(name);
  return *this;
}

FileGuard& FileGuard::reads(const std::vector<std::string>& names) {
  for (const std::string& name : names) reads(name);
  return *this;
}

FileGuard& FileGuard::reads_player(const std::string& name) {
  const std::string folder = holds_run(name) ? name : name.substr(0, name.rfind(':'));
  if (holds_run(folder)) {
    runs_.push_back(Run::open(folder));
  } else if (!name.empty()) {
    inputs_.push_back(name);
  }
  return *this;
}

FileGuard& FileGuard::reads_players(const std::vector<std::string>& names) {
  for (const std::string& name : names) reads_player(name);
  return *this;
}

FileGuard& FileGuard::writes(const std::string& option, const std::string& file) {
  if (!file.empty()) outputs_.emplace_back(option, file);
  return *this;
}

void FileGuard::check(bool json) const {
  bool to_standard_output = false;
  for (std::size_t i = 0; i < outputs_.size(); ++i) {
    const auto& [option, file] = outputs_[i];
    for (const std::string& input : inputs_)
      if (file != "-" && same_file(file, input))
        throw Error(ErrorKind::usage, "this command reads that file: " + file, option,
                    "write to another file");
    for (const Run& run : runs_) run.refuse_own_file(file);
    for (std::size_t other = 0; other < i; ++other)
      if (same_file(file, outputs_[other].second))
        throw Error(ErrorKind::usage, outputs_[other].first + " names the same file: " + file,
                    option, "write to another file");
    to_standard_output = to_standard_output || file == "-";
    if (json && file == "-")
      throw Error(ErrorKind::usage, "--json prints to standard output too", option + " -",
                  "name a file");
  }
  if (to_standard_output) keep_standard_output_for_files();
}

}  // namespace zithercraft::cli
