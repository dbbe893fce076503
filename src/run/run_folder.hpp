#pragma once

// What a run's folder holds, and whether a training may use it.

#include "zithercraft/run/run.hpp"

namespace zithercraft::run_internal {

void delete_run(const Run& run);
bool holds_checkpoints(const std::filesystem::path& folder);
/// Whether there is more than an interrupted start leaves behind: a folder without a run may be
/// used if there is not.
bool holds_other_files(const std::filesystem::path& folder);
/// Throws Error (refused), naming the first difference, unless the run can be resumed with this
/// game and these settings; the length may differ.
void check_same_run(const Run& there, const GameSpec& game, const RunSettings& settings);
/// Whether a file lies in a folder.
bool inside(const std::filesystem::path& file, const std::filesystem::path& folder);

}  // namespace zithercraft::run_internal
