#pragma once

#include <cstdint>
#include <filesystem>

#include "zithercraft/base/work_count.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// What a report holds.
struct ReportOptions {
  std::int64_t episodes = 500;  ///< scored for the table, at least 1
  std::int64_t paths = 6;       ///< episodes whose paths are drawn, at least 1
  std::uint64_t seed = 0;       ///< of those episodes
  OnProgress on_progress{};     ///< in episodes scored
};

/// Writes one page that opens from disk without a network: learning curves, a score table with
/// intervals, what each reward of each term over training, and the paths of a few episodes.
void write_report(const Run& run, const std::filesystem::path& html,
                  const ReportOptions& options = {});

}  // namespace zithercraft
