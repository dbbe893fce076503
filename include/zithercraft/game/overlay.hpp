#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace zithercraft {

/// Something of the user's own that is drawn over a moment, or, of a game of one's own, everything
/// there is to be seen of it.
struct Overlay {
  /// What is drawn.
  enum class Form : std::uint32_t {
    points,   ///< `numbers`: x, y, z of each, metres
    line,     ///< likewise, joined in order
    cells,    ///< column and row of each
    tint,     ///< entities
    boxes,    ///< left, bottom, right and top of each, metres; filled
    text,     ///< the label alone, its middle at x, y, z; a fourth number is its height in metres
    picture,  ///< left, bottom, right, top in metres; columns, rows, channels (1 or 3); then the
              ///< brightness of each, 0 to 1, row by row from the top left
  };
  std::string name{};        ///< viewers switch overlays of one name together
  std::string label{};       ///< written beside the first point; empty for none
  Form form = Form::points;  ///< what is drawn
  std::array<std::uint8_t, 3> colour{200, 100, 0};  ///< red, green, blue
  std::vector<float> numbers{};                     ///< as the form says
  bool operator==(const Overlay&) const = default;
};

/// An overlay's picture, as its numbers describe it.
struct Raster {
  double left = 0.0, bottom = 0.0, right = 0.0, top = 0.0;  ///< metres
  std::size_t columns = 0, rows = 0, channels = 1;          ///< pixels; numbers of each
  std::span<const float> brightness{};                      ///< row by row from the top left

  /// Of an overlay; nothing if its numbers describe no picture.
  static std::optional<Raster> of(const Overlay& overlay);
  /// Red, green and blue, 0 to 1.
  std::array<float, 3> pixel(std::size_t row, std::size_t column) const;
};

}  // namespace zithercraft
