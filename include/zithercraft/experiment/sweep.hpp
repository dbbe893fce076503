#pragma once

#include <optional>
#include <string>
#include <vector>

#include "zithercraft/experiment/study.hpp"

namespace zithercraft {

/// One side of a grid: a key of the game, or of the learner as "learner.KEY", and the values it
/// takes.
struct GridAxis {
  std::string key{};            ///< of the game, or `learner.` and a setting
  std::vector<Value> values{};  ///< that it takes in turn
  bool operator==(const GridAxis&) const = default;
};

/// "KEY=LOW:HIGH:COUNT" (evenly spaced, both ends included) or "KEY=A,B,C". Throws Error (usage),
/// naming `where`.
GridAxis parse_axis(const std::string& text, const std::string& where);

/// The plan with a variant for each cell of the grid, its rows by the second axis. Throws Error
/// (usage) if there is no axis, or more than two.
StudyPlan sweep_plan(StudyPlan plan, const std::vector<GridAxis>& axes);

/// What a measure came to in each cell.
struct SweepTable {
  /// One value of each axis.
  struct Cell {
    std::size_t runs = 0, of = 0;  ///< finished, and planned
    /// interquartile mean over the seeds; none before a run is finished
    std::optional<Interval> value{};
  };
  std::string game{}, measure{};  ///< the game's name; what is measured
  GridAxis x{}, y{};              ///< y without a key and with one value if the grid has one side
  std::vector<Cell> cells{};      ///< [y][x]
};

/// The axes of a study that `sweep_plan` made. Throws Error (refused) if it is none.
std::vector<GridAxis> axes_of(const StudyPlan& plan);
/// The table of one measure.
SweepTable sweep_table(const Study& study, const std::string& measure);

}  // namespace zithercraft
