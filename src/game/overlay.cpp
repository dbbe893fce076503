#include "zithercraft/game/overlay.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft {
namespace {

// A number of pixels or channels, 0 if it is none.
std::size_t count_of(float number) {
  constexpr float most = 4096.0f;
  return number >= 1.0f && number <= most && number == std::floor(number)
             ? static_cast<std::size_t>(number)
             : 0;
}

}  // namespace

std::optional<Raster> Raster::of(const Overlay& overlay) {
  constexpr std::size_t head = 7;
  const auto& n = overlay.numbers;
  if (overlay.form != Overlay::Form::picture || n.size() < head) return {};
  Raster raster{n[0], n[1], n[2], n[3], count_of(n[4]), count_of(n[5]), count_of(n[6]), {}};
  if (raster.channels != 1 && raster.channels != 3) return {};
  const std::size_t numbers = raster.columns * raster.rows * raster.channels;
  if (numbers == 0 || numbers != n.size() - head) return {};
  raster.brightness = std::span(n).subspan(head);
  return raster;
}

std::array<float, 3> Raster::pixel(std::size_t row, std::size_t column) const {
  const auto at = brightness.subspan((row * columns + column) * channels, channels);
  const auto shade = [](float number) { return std::clamp(number, 0.0f, 1.0f); };
  return {shade(at[0]), shade(at[channels / 2]), shade(at[channels - 1])};
}

}  // namespace zithercraft
