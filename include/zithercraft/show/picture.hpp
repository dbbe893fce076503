#pragma once

#include <cstddef>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/lanes.hpp"

namespace zithercraft {

/// A path that was travelled; drawn as a line whose end mark shows the outcome.
struct Path {
  std::vector<Point> points{};         ///< from the first to the last
  std::vector<double> levels{};        ///< of the foot at each point, metres; empty for none
  Outcome outcome = Outcome::running;  ///< how it ended
};

/// An arena, or a custom game with a frame, at one moment: flat ones seen from above, those with
/// height from above a corner, without perspective. Worlds of blocks are cut open before the first
/// seat.
struct Picture {
  const Lanes* lanes = nullptr;     ///< lane 0 is drawn
  bool rays = true;                 ///< the rays of every seat
  std::vector<Path> paths{};        ///< drawn over the arena
  std::string title{};              ///< one line above the arena
  bool legend = true;               ///< names the colours beside the arena
  int width = 1280, height = 800;   ///< pixels (PNG) or points (SVG)
  std::vector<Overlay> overlays{};  ///< drawn last; all there is to see of a custom game
};

/// Draw the picture. Throw Error (file) if it cannot be written.
void draw_png(const std::filesystem::path& file, const Picture& picture);
/// The same as an SVG file.
void draw_svg(const std::filesystem::path& file, const Picture& picture);
/// The picture as SVG text.
std::string svg_text(const Picture& picture);

/// The path of a seat's body through consecutive arena states of one game.
void extend(Path& path, const Environment& environment, std::size_t role = 0, std::size_t seat = 0);

}  // namespace zithercraft
