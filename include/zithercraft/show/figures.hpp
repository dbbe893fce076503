#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/evaluate/behaviour.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/evaluate/matches.hpp"
#include "zithercraft/experiment/ablation.hpp"
#include "zithercraft/experiment/comparison.hpp"
#include "zithercraft/experiment/sweep.hpp"

/// Figures of studies, drawn by the gnuplot that is installed; the file's name ends with .png or
/// .svg and appears when all is done. All throw Error (file) if there is no gnuplot or the file
/// cannot be written.
namespace zithercraft {

/// Lines over a common axis, each with a band of uncertainty.
struct BandFigure {
  /// A line with a band around it.
  struct Line {
    std::string name{};  ///< in the legend
    /// Point by point; the band reaches from low to high.
    std::vector<double> x{}, mean{}, low{}, high{};
  };
  std::string title{}, x_label{}, y_label{};  ///< over the figure, and along its axes
  std::vector<Line> lines{};                  ///< in the legend's order
  bool points = false;                        ///< marks where the lines were measured
  bool share = false;                         ///< the y axis goes from 0 to 1
  std::optional<double> target{};             ///< a level to reach
};
/// Draws it into a file, .png or .svg. Throws Error (file) if it cannot be written.
void draw_bands(const std::filesystem::path& file, const BandFigure& figure);

/// A grid of cells coloured by their value, with the value and its uncertainty written into them.
struct HeatFigure {
  /// A value, or none yet.
  struct Cell {
    std::optional<Interval> value{};  ///< none for a cell that is not finished
    bool partly = false;              ///< some of its runs are not finished
  };
  std::string title{}, x_label{}, y_label{};  ///< over the figure, and along its axes
  std::vector<std::string> x{}, y{};          ///< names along the axes
  std::vector<Cell> cells{};                  ///< [y][x]
  /// Ends of the range of colours; those of the values if not given.
  std::optional<double> low{},
      high{};  ///< values that the palette reaches to at least; none: those of the cells
  std::string missing = "unfinished";  ///< shown in cells without a value
};
/// Draws it into a file, .png or .svg. Throws Error (file) if it cannot be written.
void draw_heatmap(const std::filesystem::path& file, const HeatFigure& figure);

/// Estimates under each other, each with its interval and a word about it.
struct IntervalFigure {
  /// A value with its interval.
  struct Row {
    std::string name{}, remark{};  ///< beside the interval; at its end
    Interval value{};              ///< what is drawn
  };
  std::string title{}, x_label{};  ///< over the figure, and along its axis
  std::vector<Row> rows{};         ///< from above
  std::optional<double> mark{};    ///< a value to compare with
};
/// Draws it into a file, .png or .svg. Throws Error (file) if it cannot be written.
void draw_intervals(const std::filesystem::path& file, const IntervalFigure& figure);

// ---- the figures of each study
/// Along which axis a training's curve runs.
enum class CurveAxis : std::uint8_t { steps, seconds };
/// Success while training, group by group.
BandFigure curves_of(const Comparison& comparison, CurveAxis axis = CurveAxis::steps);
/// Success of a run's checkpoints.
BandFigure figure_of(const std::vector<CheckpointScore>& scores, const std::string& run);
HeatFigure figure_of(const SweepTable& table);
/// Shares of wins of each player (rows) against each other (columns); a draw is half a win.
HeatFigure figure_of(const MatchTable& table);
/// How much the second player differs from the first, in standard deviations of the first's
/// episodes. Of these measures; without any, of all. Throws Error (usage), as the next one does, if
/// there is no such measure, or if none of them varies.
IntervalFigure figure_of(const BehaviourTable& table,
                         const std::vector<std::string>& measures = {});
/// A line for each measure, over all players; without any, for the six kinds of events that change
/// most. `x`: of each player.
BandFigure course_figure(const BehaviourTable& table, const std::vector<double>& x,
                         const std::vector<std::string>& measures = {});
/// Effects of an ablation.
IntervalFigure figure_of(const std::vector<AblationRow>& rows, const std::string& game,
                         const std::string& measure);

/// What was found, as a page of its own: the plan, every run, and the figures of a sweep or an
/// ablation, or else those of a comparison of the variants.
void write_study_page(const std::filesystem::path& html, const Study& study);
/// The same for runs.
void write_comparison_page(const std::filesystem::path& html, const Comparison& comparison);

}  // namespace zithercraft
