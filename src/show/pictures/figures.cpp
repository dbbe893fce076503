#include "zithercraft/show/figures.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>

#include "show/pictures/program.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

// Distinguishable by the colour-blind, and by lightness when printed in grey.
constexpr std::array line_colours{"#007373", "#b34700", "#4b4a9e", "#8a6d00", "#a3195b", "#4a5a66"};
constexpr const char* ink_colour = "#1e242c";

// As a text of the plotting language: in single quotes, which are doubled inside.
std::string quoted(const std::string& text) {
  std::string inside;
  for (const char c : text) inside += c == '\'' ? "''" : std::string(1, c == '\n' ? ' ' : c);
  return "'" + inside + "'";
}

// As a field of a table: in double quotes, in which only these two mean something.
std::string field(const std::string& text) {
  std::string inside;
  for (const char c : text) {
    if (c == '"' || c == '\\') inside += '\\';
    inside += c;
  }
  return "\"" + inside + "\"";
}

std::string beginning(const std::filesystem::path& file, const std::filesystem::path& part,
                      const std::string& title) {
  const std::string kind = file == "-" ? ".png" : file.extension().string();
  if (kind != ".png" && kind != ".svg")
    throw Error(ErrorKind::usage, "a figure's name ends with .png or .svg", file.string(),
                "choose one of them");
  std::string script =
      kind == ".png" ? "set terminal pngcairo size 1280,800 font 'DejaVu Sans,13' noenhanced\n"
                     : "set terminal svg size 1040,650 dynamic font 'DejaVu Sans,13' noenhanced\n";
  script +=
      "set output " + quoted(part.string()) + "\nset title " + quoted(title) + " font ',15'\n";
  script +=
      "set border 3 lc rgb '#5d6875'\nset tics nomirror textcolor rgb '#1e242c'\nset format x "
      "'%.10g'\n";
  script += "set grid lc rgb '#d8dee5' lt 1\nset key noenhanced\n";
  return script;
}

void draw(const std::filesystem::path& file, const std::string& title, const std::string& body) {
  OutputPlace place(file);
  const std::string script = beginning(file, place.part(), title) + body + "unset output\n";
  Program plotter({"gnuplot", "-d", "-"});
  if (!plotter.started())
    throw Error(ErrorKind::file, "figures are drawn by gnuplot, and it is not installed",
                file.string(), "install the package gnuplot-nox, or do without the picture");
  const bool fed =
      plotter.feed({reinterpret_cast<const unsigned char*>(script.data()), script.size()});
  if (!plotter.finish() || !fed || !std::filesystem::exists(place.part())) {
    place.discard();
    throw Error(ErrorKind::file, "gnuplot gave up: " + plotter.complaint(), file.string(),
                "check that the folder can be written and has space left");
  }
  place.publish();
}

std::string number(double value) { return std::isfinite(value) ? fmt::format("{}", value) : "NaN"; }

// Within a cell there is room for three digits.
std::string brief(double value) {
  return fmt::format("{:.{}f}", value,
                     std::fabs(value) >= 99.95   ? 0
                     : std::fabs(value) >= 9.995 ? 1
                                                 : 2);
}

}  // namespace

void draw_bands(const std::filesystem::path& file, const BandFigure& figure) {
  std::string body =
      "set xlabel " + quoted(figure.x_label) + "\nset ylabel " + quoted(figure.y_label) + "\n";
  body += "set key outside right top\nset xrange [0:*]\nset format x '%.1s%c'\n";
  if (figure.share) body += "set yrange [0:1]\n";
  std::string plots;
  const auto add = [&](const std::string& plot) {
    plots += (plots.empty() ? "plot " : ", ") + plot;
  };
  for (std::size_t i = 0; i < figure.lines.size(); ++i) {
    const BandFigure::Line& line = figure.lines[i];
    body += fmt::format("$line{} << END\n", i);
    for (std::size_t k = 0; k < line.x.size(); ++k)
      body += fmt::format("{} {} {} {}\n", number(line.x[k]), number(line.mean[k]),
                          number(line.low[k]), number(line.high[k]));
    body += "END\n";
    const char* colour = line_colours[i % line_colours.size()];
    add(fmt::format(
        "$line{} using 1:3:4 with filledcurves fc rgb '{}' fs transparent solid 0.15 notitle", i,
        colour));
    add(fmt::format("$line{} using 1:2 with {} lw 2.5 pt 7 dt {} lc rgb '{}' title {}", i,
                    figure.points ? "linespoints" : "lines", i / line_colours.size() + 1, colour,
                    quoted(line.name)));
  }
  if (figure.target)
    add(fmt::format("{} with lines lw 1.5 dt 2 lc rgb '{}' title 'target'", *figure.target,
                    ink_colour));
  draw(file, figure.title, body + plots + "\n");
}

namespace {

// The least and the greatest value of the cells, or what the figure says.
std::pair<double, double> range_of(const HeatFigure& figure) {
  double least = figure.low.value_or(INFINITY), most = figure.high.value_or(-INFINITY);
  for (const auto& cell : figure.cells)
    if (cell.value) {
      least = std::min(least, cell.value->mean);
      most = std::max(most, cell.value->mean);
    }
  if (least < most) return {least, most};
  least = std::isfinite(least) ? least - 0.5 : 0.0;  // all alike, or nothing yet
  return {least, least + 1.0};
}

// Rows for gnuplot: the cells' colours, and what is written on light and on dark ones.
struct HeatRows {
  std::string colours, light, dark;
};
HeatRows rows_of(const HeatFigure& figure, double least, double most) {
  HeatRows rows;
  for (std::size_t k = 0; k < figure.cells.size(); ++k) {
    const std::size_t x = k % figure.x.size(), y = k / figure.x.size();
    const auto& cell = figure.cells[k];
    if (!cell.value) {
      rows.light += fmt::format("{} {} {}\n", x, y, field(figure.missing));
      continue;
    }
    rows.colours += fmt::format("{} {} {}\n", x, y, cell.value->mean);
    const auto [mean, low, high] = *cell.value;
    const std::string text = field(brief(cell.value->mean) + (cell.partly ? "*" : ""));
    const std::string range =
        field(std::isfinite(high - low) ? brief(low) + " to " + brief(high) : "one seed");
    std::string& on = cell.value->mean - least > 0.55 * (most - least) ? rows.dark : rows.light;
    on += fmt::format("{} {} {}\n{} {} {}\n", x, static_cast<double>(y) + 0.15, text, x,
                      static_cast<double>(y) - 0.2, range);
  }
  return rows;
}

}  // namespace

void draw_heatmap(const std::filesystem::path& file, const HeatFigure& figure) {
  std::string body =
      "set xlabel " + quoted(figure.x_label) + "\nset ylabel " + quoted(figure.y_label) + "\n";
  const auto ticks = [&](const char* axis, const std::vector<std::string>& names) {
    body += fmt::format("set {}tics scale 0 (", axis);
    for (std::size_t i = 0; i < names.size(); ++i)
      body += fmt::format("{}{} {}", i == 0 ? "" : ", ", quoted(names[i]), i);
    body +=
        fmt::format(")\nset {}range [-0.5:{}]\n", axis, static_cast<double>(names.size()) - 0.5);
  };
  ticks("x", figure.x);
  ticks("y", figure.y);
  if (figure.y.size() == 1) body += "unset ytics\n";
  const auto [least, most] = range_of(figure);
  body +=
      "unset grid\nset palette defined (0 '#edf4f9', 0.35 '#8fc7c7', 0.7 '#007373', 1 '#00262b')\n";
  body += fmt::format("set cbrange [{}:{}]\nunset key\n", least, most);
  const HeatRows rows = rows_of(figure, least, most);
  const bool crowded = figure.x.size() > 12 || figure.y.size() > 14;
  std::string plots;
  const auto add = [&](const char* name, const std::string& lines, const std::string& how) {
    if (lines.empty()) return;
    body += fmt::format("${} << END\n{}END\n", name, lines);
    plots += fmt::format("{} ${} {}", plots.empty() ? "plot" : ",", name, how);
  };
  add("cells", rows.colours,
      "using 1:2:(0.5):(0.5):3 with boxxyerror fs solid 1 noborder fc palette");
  if (!crowded) {
    const int size = figure.x.size() > 8 ? 9 : 12;
    add("light", rows.light,
        fmt::format("using 1:2:3 with labels font ',{}' tc rgb '{}'", size, ink_colour));
    add("dark", rows.dark, fmt::format("using 1:2:3 with labels font ',{}' tc rgb 'white'", size));
  }
  draw(file, figure.title, body + plots + "\n");
}

void draw_intervals(const std::filesystem::path& file, const IntervalFigure& figure) {
  std::string body =
      "set xlabel " + quoted(figure.x_label) + "\nunset key\nset grid noytics\nset ytics scale 0 (";
  std::string rows, remarks;
  double most = -INFINITY, least = INFINITY;
  for (const auto& row : figure.rows) {
    for (const double end :
         {row.value.mean, row.value.low, row.value.high, figure.mark.value_or(row.value.mean)}) {
      if (!std::isfinite(end)) continue;
      most = std::max(most, end);
      least = std::min(least, end);
    }
  }
  const double room = most > least ? most - least : 1.0;
  for (std::size_t i = 0; i < figure.rows.size(); ++i) {
    const auto& row = figure.rows[i];
    const auto y = -static_cast<double>(i);
    body += fmt::format("{}{} {}", i == 0 ? "" : ", ", quoted(row.name), y);
    const auto end = [&](double value, double otherwise) {
      return std::isfinite(value) ? value : otherwise;
    };
    rows += fmt::format("{} {} {} {}\n", number(row.value.mean), y,
                        end(row.value.low, least - room), end(row.value.high, most + room));
    remarks += fmt::format("{} {} {}\n", most + 0.04 * room, y, field(row.remark));
  }
  body += fmt::format(")\nset yrange [{}:0.7]\nset xrange [{}:{}]\n",
                      0.3 - static_cast<double>(figure.rows.size()), least - 0.05 * room,
                      most + 0.3 * room);
  if (figure.mark)
    body +=
        fmt::format("set arrow from {0}, graph 0 to {0}, graph 1 nohead lw 1.5 dt 2 lc rgb '{1}'\n",
                    *figure.mark, ink_colour);
  body += "$rows << END\n" + rows + "END\n$remarks << END\n" + remarks + "END\n";
  body += fmt::format(
      "plot $rows using 1:2:3:4 with xerrorbars pt 7 ps 1.6 lw 2.5 lc rgb '{}', "
      "$remarks using 1:2:3 with labels left tc rgb '{}'\n",
      line_colours[0], ink_colour);
  draw(file, figure.title, body);
}

// ---- the figures of each study

BandFigure curves_of(const Comparison& comparison, CurveAxis axis) {
  const bool by_time = axis == CurveAxis::seconds;
  BandFigure figure{.title = "Success while training: interquartile mean over seeds, 95% interval",
                    .x_label = by_time ? "seconds" : "steps",
                    .y_label = "success of the last 100 episodes",
                    .share = true,
                    .target = comparison.options.target};
  for (const GroupScore& g : comparison.groups)
    figure.lines.push_back({fmt::format("{} ({})", g.name, g.success.size()),
                            by_time ? g.curve.seconds : g.curve.steps, g.curve.mean, g.curve.low,
                            g.curve.high});
  return figure;
}

BandFigure figure_of(const std::vector<CheckpointScore>& scores, const std::string& run) {
  BandFigure figure{.title = run + ": each kept checkpoint on the same episodes, 95% interval",
                    .x_label = "steps",
                    .y_label = "success",
                    .points = true,
                    .share = true};
  auto& line = figure.lines.emplace_back(BandFigure::Line{.name = "success"});
  for (const CheckpointScore& score : scores) {
    line.x.push_back(static_cast<double>(score.steps));
    line.mean.push_back(score.success.mean);
    line.low.push_back(score.success.low);
    line.high.push_back(score.success.high);
  }
  return figure;
}

HeatFigure figure_of(const SweepTable& table) {
  HeatFigure figure{.title = fmt::format("{}: {} (interquartile mean over seeds, 95% interval)",
                                         table.game, table.measure),
                    .x_label = table.x.key,
                    .y_label = table.y.key};
  for (const Value& value : table.x.values) figure.x.push_back(text_of(value));
  for (const Value& value : table.y.values)
    figure.y.push_back(table.y.key.empty() ? "" : text_of(value));
  for (const auto& cell : table.cells)
    figure.cells.push_back({cell.value, cell.runs > 0 && cell.runs < cell.of});
  return figure;
}

namespace {

// Checkpoints by what they have learned from: "2.1M".
std::string short_name(const std::string& player) {
  if (!player.starts_with("at-")) return player;
  return fmt::format("{:.1f}M", static_cast<double>(steps_of(player)) / 1e6);
}

}  // namespace

HeatFigure figure_of(const MatchTable& table) {
  const std::size_t n = table.players.size();
  HeatFigure figure{.title = table.game + ": share of wins of the row against the column",
                    .cells = std::vector<HeatFigure::Cell>(n * n),
                    .missing = ""};
  // A common beginning of all names says nothing.
  std::size_t same = table.players[0].size();
  for (const std::string& name : table.players) {
    const auto differs =
        std::mismatch(name.begin(), name.end(), table.players[0].begin(), table.players[0].end())
            .first;
    same = std::min(same, static_cast<std::size_t>(differs - name.begin()));
  }
  const std::size_t colon = table.players[0].rfind(':', same);
  for (const std::string& name : table.players)
    figure.x.push_back(short_name(colon == std::string::npos ? name : name.substr(colon + 1)));
  figure.y = figure.x;
  figure.low = 0.0;
  figure.high = 1.0;
  const auto put = [&](std::size_t row, std::size_t column, const Interval& share) {
    figure.cells[row * n + column].value = share;
  };
  for (const Pairing& m : table.pairings) {
    put(m.a, m.b, m.share);
    put(m.b, m.a, {1.0 - m.share.mean, 1.0 - m.share.high, 1.0 - m.share.low});
  }
  return figure;
}

namespace {

std::vector<std::size_t> numbers_of(const BehaviourTable& table,
                                    const std::vector<std::string>& measures) {
  std::vector<std::size_t> list;
  for (const std::string& name : measures) {
    const auto found = std::find(table.measures.begin(), table.measures.end(), name);
    if (found == table.measures.end())
      throw Error(ErrorKind::usage, "nothing called '" + name + "' was measured", "figure",
                  advice(name, table.measures));
    list.push_back(static_cast<std::size_t>(found - table.measures.begin()));
  }
  return list;
}

std::vector<std::size_t> events_that_change_most(const BehaviourTable& table, std::size_t most) {
  // How far the means go, negative, and which measure.
  std::vector<std::pair<double, std::size_t>> by_change;
  for (std::size_t m = table.first_event; m < table.measures.size(); ++m) {
    const auto [low, high] = std::minmax_element(table.rows.begin(), table.rows.end(),
                                                 [&](const BehaviourRow& a, const BehaviourRow& b) {
                                                   return a.values[m].mean < b.values[m].mean;
                                                 });
    by_change.emplace_back(low->values[m].mean - high->values[m].mean, m);
  }
  std::sort(by_change.begin(), by_change.end());
  std::vector<std::size_t> list;
  for (std::size_t i = 0; i < std::min(most, by_change.size()); ++i)
    list.push_back(by_change[i].second);
  return list;
}

}  // namespace

IntervalFigure figure_of(const BehaviourTable& table, const std::vector<std::string>& measures) {
  const BehaviourRow &first = table.rows.at(0), &second = table.rows.at(1);
  const auto name = [](const BehaviourRow& row) {
    return std::filesystem::path(row.player).filename().string();
  };
  const std::string what = table.options.seat.empty()
                               ? name(second) + " compared with " + name(first)
                               : "what others do when " + table.options.seat + " is played by " +
                                     name(second) + ", not " + name(first);
  IntervalFigure figure{
      .title = table.game + ": " + what,
      .x_label = "difference, in standard deviations over episodes; beside it the mean with " +
                 name(first) + ", then with " + name(second),
      .mark = 0.0};
  std::vector<std::size_t> list = numbers_of(table, measures);
  for (std::size_t m = 0; measures.empty() && m < table.measures.size(); ++m) list.push_back(m);
  for (const std::size_t m : list) {
    const double stddev = std::sqrt(
        0.5 * (first.stddevs[m] * first.stddevs[m] + second.stddevs[m] * second.stddevs[m]));
    // Always the same with both.
    if (!(stddev > 1e-9 * std::max(1.0, std::fabs(first.values[m].mean)))) continue;
    const Interval& d = second.differences[m];
    figure.rows.push_back(
        {table.measures[m],
         fmt::format("{:.3g}, {:.3g}", first.values[m].mean, second.values[m].mean),
         {d.mean / stddev, d.low / stddev, d.high / stddev}});
  }
  if (figure.rows.empty())
    throw Error(ErrorKind::usage,
                "nothing varies from episode to episode that a difference could be measured by",
                "figure", "play more episodes, or draw other measures");
  return figure;
}

BandFigure course_figure(const BehaviourTable& table, const std::vector<double>& x,
                         const std::vector<std::string>& measures) {
  BandFigure figure{.title = table.game + ": what they do, per seat and episode",
                    .x_label = "steps",
                    .y_label = "mean, 95% interval",
                    .points = true};
  for (const std::size_t m :
       measures.empty() ? events_that_change_most(table, 6) : numbers_of(table, measures)) {
    BandFigure::Line line{.name = table.measures[m]};
    for (std::size_t p = 0; p < table.rows.size(); ++p) {
      line.x.push_back(x.at(p));
      line.mean.push_back(table.rows[p].values[m].mean);
      line.low.push_back(table.rows[p].values[m].low);
      line.high.push_back(table.rows[p].values[m].high);
    }
    figure.lines.push_back(std::move(line));
  }
  return figure;
}

IntervalFigure figure_of(const std::vector<AblationRow>& rows, const std::string& game,
                         const std::string& measure) {
  IntervalFigure figure{.title = game + ": what each part is worth, 95% interval over seeds",
                        .x_label = "loss of " + measure + " without it",
                        .mark = 0.0};
  for (const AblationRow& row : rows)
    if (!row.part.empty() && row.runs > 0)
      figure.rows.push_back({row.part, name_of(row.verdict), row.effect});
  return figure;
}

}  // namespace zithercraft
