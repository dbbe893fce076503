// Records a match with drawings of our own over it, and writes a page that shows both: a line from
// the skiff to its berth at every moment, and the skiff in red while a hull is close.

#include <cstdio>

#include "zithercraft/zithercraft.hpp"

namespace zc = zithercraft;

int main(int argc, char** argv) {
  const std::string name = argc > 1 ? argv[1] : "drawn";
  try {
    const zc::Game game(zc::demo_game("mooring"));
    const auto player = zc::script_player(game, 0);
    zc::ReplayWriter writer(name + ".zrep", game,
                            {"mooring", zc::to_toml(game.spec()), {player->name()}, 1, "example"});
    zc::play_one(game, {player.get()}, {.seed = 1}, [&](const zc::Environment& play) {
      const zc::SeatView skiff(play, 0, 0, 0);
      const zc::Pose here = skiff.pose();
      const zc::Bearing berth = skiff.nearest("berth"), hull = skiff.nearest("hull");
      const zc::Pose there = skiff.view().pose(berth.entity);
      writer.draw({.name = "way home",
                   .form = zc::Overlay::Form::line,
                   .colour = {0, 90, 160},
                   .numbers = {here.x, here.y, 0, there.x, there.y, 0}});
      if (hull.distance < 4.0f)
        writer.draw({.name = "close",
                     .label = "mind the hull",
                     .form = zc::Overlay::Form::tint,
                     .colour = {200, 0, 60},
                     .numbers = {static_cast<float>(skiff.body().number())}});
      writer.add(play, 0);
    });
    writer.finish();
    zc::write_page(name + ".html", {name + ".zrep"});
    std::printf("open %s.html in a browser\n", name.c_str());
  } catch (const zc::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
