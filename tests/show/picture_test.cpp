#include "zithercraft/show/picture.hpp"

#include <cairo.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <memory>

#include "show/pictures/colours.hpp"
#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

struct Drawing {
  Lanes lanes{Game(test::mooring()), 1};
  Path path;
  Drawing() {
    const Game game(test::mooring());
    play_one(game, {random_player(1).get()}, {1, 0, 0},
             [&](const Environment& l) { extend(path, l); });
    lanes.begin(0, {1, 0, 0});
  }
};

// Colours of a PNG file with how often they occur, read back through Cairo.
std::map<std::uint32_t, int> colours_of(const std::filesystem::path& file, int& width,
                                        int& height) {
  const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> image(
      cairo_image_surface_create_from_png(file.c_str()), &cairo_surface_destroy);
  width = cairo_image_surface_get_width(image.get());
  height = cairo_image_surface_get_height(image.get());
  std::map<std::uint32_t, int> colours;
  for (int y = 0; y < height; ++y) {
    const auto* row =
        reinterpret_cast<const std::uint32_t*>(cairo_image_surface_get_data(image.get()) +
                                               y * cairo_image_surface_get_stride(image.get()));
    for (int x = 0; x < width; ++x) ++colours[row[x] & 0xffffff];
  }
  return colours;
}

TEST(Picture, PngShowsWaterHullsBerthPathAndRays) {
  const test::TemporaryFolder folder;
  const Drawing d;
  int width = 0, height = 0;
  draw_png(folder / "with.png", {.lanes = &d.lanes, .paths = {d.path}, .title = "mooring"});
  const auto with = colours_of(folder / "with.png", width, height);
  EXPECT_EQ(width, 1280);
  EXPECT_EQ(height, 800);
  const auto water =
      std::max_element(with.begin(), with.end(), [](const auto& a, const auto& b) {
        return (a.first == 0xffffff ? 0 : a.second) < (b.first == 0xffffff ? 0 : b.second);
      })->first;
  EXPECT_GT(with.at(water), 300'000);
  EXPECT_GT(with.size(), 100u);
  draw_png(folder / "without.png", {.lanes = &d.lanes, .rays = false});
  const auto without = colours_of(folder / "without.png", width, height);
  EXPECT_GT(without.at(water), with.at(water) + 2000);  // rays and path cover water
  EXPECT_GT(with.at(0xcc6600), 20);                     // the path's own colour
  EXPECT_EQ(without.count(0xcc6600), 0u);
}

TEST(Picture, SvgIsTheSamePictureAsLines) {
  const test::TemporaryFolder folder;
  const Drawing d;
  draw_svg(folder / "a.svg", {.lanes = &d.lanes, .paths = {d.path}});
  const std::string svg = test::read_file(folder / "a.svg");
  EXPECT_EQ(svg.rfind("<?xml", 0), 0u);
  EXPECT_NE(svg.find("width=\"1280"), std::string::npos);
  std::size_t lines = 0;
  for (std::size_t at = 0; (at = svg.find("<path", at)) != std::string::npos; ++at) ++lines;
  EXPECT_GT(lines, 24u + 8);
  EXPECT_NE(svg.find("</svg>"), std::string::npos);
}

TEST(Colours, OfStoneWorthLittleAreNotThoseOfTreasure) {
  const Game game(load_game(test::project_folder() / "demos" / "kelpdive.toml"));
  const auto colour_with = [&](double worth) {  // of coral
    GameSpec spec = game.spec();
    for (auto& kind : spec.arena.blocks->kinds)
      if (kind.name == "coral") kind.worth = worth;
    const Game changed(spec);
    const auto tags = changed.arena().tags();
    const auto at = std::find(tags.begin(), tags.end(), "coral") - tags.begin();
    return web_colour(tag_colours(changed)[static_cast<std::size_t>(at)]);
  };
  EXPECT_EQ(colour_with(0.02), colour_with(0.0));
  EXPECT_NE(colour_with(1.0), colour_with(0.0));
}

TEST(Picture, HeightsAndBlocksAreDrawnFromAboveACorner) {
  const test::TemporaryFolder folder;
  for (const auto& [name, least] :
       {std::pair{"flare", 300u}, {"kelpdive", 500u}, {"narrows", 100u}}) {
    Lanes lanes(Game(load_game(test::project_folder() / "demos" / (std::string(name) + ".toml"))),
                1);
    lanes.begin(0, {1, 0, 0});
    Path path;
    for (int d = 0; d < 20; ++d) {
      extend(path, lanes);
      lanes.step(0);
    }
    ASSERT_EQ(path.levels.size(), path.points.size());
    int width = 0, height = 0;
    draw_png(folder / "high.png", {.lanes = &lanes, .paths = {path}, .title = name});
    const auto colours = colours_of(folder / "high.png", width, height);
    EXPECT_GT(colours.size(), least) << name;
    EXPECT_LT(colours.at(0xffffff), width * height * 9 / 10) << name;
  }
}

TEST(Picture, BadPlacesAreErrors) {
  const Drawing d;
  EXPECT_EQ(test::error_of([&] { draw_png("/no/such/folder/a.png", {.lanes = &d.lanes}); }).kind(),
            ErrorKind::file);
  EXPECT_EQ(test::error_of([&] { draw_svg("/no/such/folder/a.svg", {.lanes = &d.lanes}); }).kind(),
            ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
