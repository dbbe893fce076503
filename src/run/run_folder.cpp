#include "run/run_folder.hpp"

#include <fmt/format.h>
#include <algorithm>

#include "learn/settings_model.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft::run_internal {

void delete_run(const Run& run) {
  std::error_code code;
  std::filesystem::remove_all(run.checkpoints(), code);
  for (const char* suffix : {"", "-wal", "-shm"})
    std::filesystem::remove(run.metrics().string() + suffix, code);
  std::filesystem::remove(run.demonstrations(), code);
  std::filesystem::remove(run.configuration(),
                          code);  // last: what is half deleted is still known to be a run
}

bool holds_checkpoints(const std::filesystem::path& folder) {
  std::error_code code;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code))
    if (entry.path().extension() == ".safetensors") return true;
  return false;
}

bool holds_other_files(const std::filesystem::path& folder) {
  std::error_code code;
  if (!std::filesystem::is_directory(folder, code)) return false;
  for (const auto& entry : std::filesystem::directory_iterator(folder, code)) {
    const std::string name = entry.path().filename().string();
    if (name == "checkpoints" ? holds_checkpoints(entry.path())
                              : name != "lock" && !name.starts_with("metrics.db") &&
                                    !name.starts_with("demonstrations.safetensors") &&
                                    !name.starts_with("run.toml.tmp"))
      return true;
  }
  return false;
}

void check_same_run(const Run& there, const GameSpec& game, const RunSettings& settings) {
  const auto refuse = [&](const std::string& what) {
    throw Error(ErrorKind::refused, "the run cannot be resumed with other settings: " + what,
                there.folder().string(), "give the same, or start a new run");
  };
  if (const auto d = first_difference(self_contained(game), there.game_spec()); !d.empty())
    refuse(d);
  if (settings.seed != there.settings().seed)
    refuse(fmt::format("seed: {} here, {} there", settings.seed, there.settings().seed));
  if (settings.checkpoint_every != there.settings().checkpoint_every)
    refuse(fmt::format("checkpoint_every: {} here, {} there", settings.checkpoint_every,
                       there.settings().checkpoint_every));
  if (!settings.from.empty() && settings.from != there.settings().from)
    refuse(fmt::format("from: {} here, {} there", settings.from,
                       there.settings().from.empty() ? "none" : there.settings().from));
  if (settings.roles != there.settings().roles) refuse("how the roles are played");
  if (settings.teachers != there.settings().teachers ||
      settings.teacher_episodes != there.settings().teacher_episodes)
    refuse("its teachers, or how many episodes they play");
  const std::string &method = settings.learner.method(),
                    &method_there = there.settings().learner.method();
  if (method != method_there)
    refuse(fmt::format("method: {} here, {} there", method, method_there));
  if (const auto d =
          first_difference(table_of(settings.learner), table_of(there.settings().learner));
      !d.empty())
    refuse("learner." + d);
}

bool inside(const std::filesystem::path& file, const std::filesystem::path& folder) {
  if (file.empty()) return false;
  const auto whole = std::filesystem::weakly_canonical(folder),
             part = std::filesystem::weakly_canonical(file);
  return std::mismatch(whole.begin(), whole.end(), part.begin(), part.end()).first == whole.end();
}

}  // namespace zithercraft::run_internal
