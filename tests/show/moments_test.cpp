#include "zithercraft/show/moments.hpp"

#include <cairo.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <memory>

#include "support.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

class Moments : public ::testing::Test {
 protected:
  Moments() {
    const Game game(test::mooring());
    const auto player = script_player(game, 0);
    ReplayWriter writer(folder / "a.zrep", game,
                        {"mooring", to_toml(game.spec()), {"script"}, 1, "test"});
    play_one(game, {player.get()}, {3, 0, 0},
             [&](const Environment& lanes) { writer.add(lanes, 0); });
    writer.finish();
    replay = std::make_unique<Replay>(folder / "a.zrep");
  }
  static std::pair<int, int> size_of(const std::filesystem::path& png) {
    const std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> image(
        cairo_image_surface_create_from_png(png.c_str()), &cairo_surface_destroy);
    return {cairo_image_surface_get_width(image.get()),
            cairo_image_surface_get_height(image.get())};
  }

  test::TemporaryFolder folder;
  std::unique_ptr<Replay> replay;
};

TEST_F(Moments, TicksDifferAndEndWithTheEpisode) {
  const std::uint32_t last = (replay->episodes()[0].moments - 1) * 4;
  std::string before;
  for (const std::uint32_t tick : {0u, 21u, 22u, last}) {
    draw_moment(folder / "m.png", *replay, 0, tick);
    const std::string now = test::read_file(folder / "m.png");
    EXPECT_NE(now, before) << tick;
    before = now;
  }
  EXPECT_EQ(size_of(folder / "m.png"), std::pair(1280, 800));
  EXPECT_EQ(test::error_of([&] { draw_moment(folder / "m.png", *replay, 0, last + 1); }).kind(),
            ErrorKind::usage);
  EXPECT_EQ(test::error_of([&] { draw_moment(folder / "m.png", *replay, 4); }).kind(),
            ErrorKind::usage);
}

// Each tick of a step leads on to the next; the last is what was recorded.
TEST_F(Moments, TicksBetweenStepsArePlayedAgain) {
  const Arena& arena = replay->game().arena();
  for (std::uint32_t d = 1; d < replay->episodes()[0].moments; ++d) {
    const std::uint32_t before = arena.ticks(replay->moment(0, d - 1).state.data());
    const auto ticks = replay->ticks(0, d);
    ASSERT_EQ(ticks.size(), 4u);
    for (std::uint32_t t = 0; t < 4; ++t) ASSERT_EQ(arena.ticks(ticks[t].data()), before + t + 1);
    ASSERT_EQ(ticks.back(), replay->moment(0, d).state);
  }
  EXPECT_EQ(replay->ticks(0, 0).size(), 1u);
}

TEST_F(Moments, TheSheetShowsTwelve) {
  draw_sheet(folder / "sheet.png", *replay, 0);
  EXPECT_EQ(size_of(folder / "sheet.png"), std::pair(1920, 1080));
}

TEST_F(Moments, FilmsAreMadeByFfmpegOrItIsSaidWhyNot) {
  if (std::system("command -v ffmpeg >/dev/null 2>&1") == 0) {
    write_film(folder / "a.gif", *replay, 0, Film::gif);
    EXPECT_EQ(test::read_file(folder / "a.gif").substr(0, 6), "GIF89a");
    write_film(folder / "a.webm", *replay, 0, Film::webm);
    EXPECT_EQ(test::read_file(folder / "a.webm").substr(0, 4), "\x1a\x45\xdf\xa3");
    EXPECT_EQ(test::error_of([&] { write_film(folder / "none/a.gif", *replay, 0, Film::gif); })
                  .problem()
                  .substr(0, 14),
              "ffmpeg gave up");
    EXPECT_FALSE(std::filesystem::exists(folder / "a.gif.part"));
  }
  const std::string path = std::getenv("PATH");
  ::setenv("PATH", folder.path().c_str(), 1);
  const Error error = test::error_of([&] { write_film(folder / "b.gif", *replay, 0, Film::gif); });
  ::setenv("PATH", path.c_str(), 1);
  EXPECT_EQ(error.problem(), "films are made by ffmpeg, and it is not installed");
  EXPECT_FALSE(std::filesystem::exists(folder / "b.gif"));
}

}  // namespace
}  // namespace zithercraft
