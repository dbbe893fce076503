#include "zithercraft/show/figures.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <limits>

#include "support.hpp"

namespace zithercraft {
namespace {

constexpr double endless = std::numeric_limits<double>::infinity();

BandFigure bands() {
  BandFigure figure{.title = "it's \"quoted\" $x `y`",
                    .x_label = "steps",
                    .y_label = "success",
                    .share = true,
                    .target = 0.9};
  figure.lines = {{"one's", {1e5, 2e5, 3e5}, {0.1, 0.5, 0.9}, {0.0, 0.4, 0.8}, {0.2, 0.6, 1.0}},
                  {"two", {1e5, 2e5}, {0.2, 0.3}, {-endless, 0.1}, {endless, 0.5}}};
  return figure;
}
HeatFigure heat() {
  HeatFigure figure{
      .title = "heat", .x_label = "x", .y_label = "y", .x = {"0", "a'b"}, .y = {"low", "high"}};
  figure.cells = {{Interval{0.2, 0.1, 0.3}},
                  {Interval{0.9, -endless, endless}, true},
                  {},
                  {Interval{123.4, 100, 140}}};
  return figure;
}
IntervalFigure intervals() {
  IntervalFigure figure{.title = "intervals", .x_label = "loss", .mark = 0.0};
  figure.rows = {{"term.bump", "helps", {0.3, 0.1, 0.5}},
                 {"term.time", "no \"effect\" \\ shown", {0.0, -endless, endless}}};
  return figure;
}

// Width and height as a PNG file states them (ISO/IEC 15948, chapter 11.2.2).
std::pair<int, int> size_of_png(const std::filesystem::path& file) {
  const std::string bytes = test::read_file(file);
  EXPECT_TRUE(bytes.starts_with("\x89PNG"));
  const auto number = [&](std::size_t at) {
    int n = 0;
    for (std::size_t i = at; i < at + 4; ++i) n = 256 * n + static_cast<unsigned char>(bytes[i]);
    return n;
  };
  return {number(16), number(20)};
}

TEST(Figures, AreDrawnAsPngAndSvg) {
  const test::TemporaryFolder folder;
  const auto check = [&](auto draw, const auto& figure, const char* word) {
    draw(folder / "f.png", figure);
    EXPECT_EQ(size_of_png(folder / "f.png"), std::pair(1280, 800));
    draw(folder / "f.svg", figure);
    const std::string svg = test::read_file(folder / "f.svg");
    EXPECT_NE(svg.find("<svg"), std::string::npos);
    EXPECT_NE(svg.find(word), std::string::npos) << word;
    EXPECT_FALSE(std::filesystem::exists(folder / "f.svg.part"));
  };
  check(draw_bands, bands(), ">two<");
  check(draw_heatmap, heat(), "unfinished");
  check(draw_intervals, intervals(), "term.bump");
  HeatFigure nothing = heat();
  for (auto& cell : nothing.cells) cell.value.reset();
  check(draw_heatmap, nothing, "unfinished");
}

TEST(Figures, SayWhatIsMissing) {
  const test::TemporaryFolder folder;
  EXPECT_EQ(test::error_of([&] { draw_bands(folder / "f.jpg", bands()); }).kind(),
            ErrorKind::usage);
  EXPECT_NE(test::error_of([&] { draw_bands(folder / "no/f.png", bands()); })
                .problem()
                .find("gnuplot gave up"),
            std::string::npos);
  const std::string path = std::getenv("PATH");
  ::setenv("PATH", folder.path().c_str(), 1);
  const Error error = test::error_of([&] { draw_bands(folder / "f.png", bands()); });
  ::setenv("PATH", path.c_str(), 1);
  EXPECT_EQ(error.kind(), ErrorKind::file);
  EXPECT_NE(error.fix().find("gnuplot-nox"), std::string::npos);
}

TEST(StudyPage, HoldsTableFiguresAndPlan) {
  const test::TemporaryFolder folder;
  StudyPlan plan{.name = "<pond>", .games = {test::duck_pond()}, .seeds = {1, 2}, .steps = 600};
  plan.learner = PolicyGradientSettings{
      .policy_layers = {8}, .value_layers = {8}, .lanes = 16, .horizon = 32, .minibatch = 256};
  plan.episodes = 10;
  const auto page = [&](const StudyPlan& of, const char* name) {
    write_study_page(folder / "page.html", run_study(of, {.folder = folder / name}));
    return test::read_file(folder / "page.html");
  };
  const std::string plain = page(plan, "plain");
  EXPECT_NE(plain.find("<h1>&lt;pond"), std::string::npos);
  EXPECT_NE(plain.find("2 of 2 runs are finished"), std::string::npos);
  EXPECT_NE(plain.find("<svg"), std::string::npos);
  EXPECT_NE(plain.find("study.toml"), std::string::npos);
  const std::string sweep = page(sweep_plan(plan, {{"term.hurry", {-0.1, -0.2}}}), "sweep");
  EXPECT_NE(sweep.find("term.hurry=-0.2"), std::string::npos);
  const std::string ablation = page(ablation_plan(plan, {.senses = false}), "ablation");
  EXPECT_NE(ablation.find("without term.nearer"), std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(folder / "page.html.figure.svg"));
}

TEST(Figures, OfMatchesHaveAShareForEachTwo) {
  MatchTable table;
  table.game = "barge";
  table.players = {"runs/tugs:at-000001500000", "runs/tugs:at-000015000000", "runs/tugs:last"};
  table.ratings.resize(3);
  Pairing won{0, 1, {0, 1, 10, 0, 30}};
  won.share = {0.25, 0.1, 0.4};
  table.pairings = {won};
  const HeatFigure figure = figure_of(table);
  EXPECT_EQ(figure.x, (std::vector<std::string>{"1.5M", "15.0M", "last"}));
  EXPECT_EQ(figure.cells[0 * 3 + 1].value->mean, 0.25);
  EXPECT_EQ(figure.cells[1 * 3 + 0].value->mean, 0.75);
  EXPECT_NEAR(figure.cells[1 * 3 + 0].value->low, 0.6, 1e-9);
  EXPECT_FALSE(figure.cells[0].value);
  EXPECT_FALSE(figure.cells[2].value);
  const test::TemporaryFolder folder;
  draw_heatmap(folder / "table.png", figure);
  EXPECT_GT(size_of_png(folder / "table.png").first, 1000);
}

}  // namespace
}  // namespace zithercraft
