#include "arena/side_view.hpp"

#include <algorithm>
#include <array>

#include "arena/blocks.hpp"
#include "arena/casts/cast_cells.hpp"
#include "arena/physics/standing.hpp"
#include "arena/raster.hpp"

// Pictures of an arena with height from the side, without perspective: what lies in the upright
// plane through the middle is looked up pixel by pixel, everything else is filled as it projects
// onto that plane.

namespace zithercraft::arena_internal {
namespace {

class SidePainter {
 public:
  SidePainter(const ArenaPlan& plan, const StateArrays& s, const MapView& view,
              std::span<float> pixels)
      : plan_(plan),
        s_(s),
        v_(view),
        raster_(view, pixels),
        to_pixels_(static_cast<float>(view.width) / view.across),
        right_{view.up_x, view.up_y},
        middle_{0.5f * static_cast<float>(view.width), 0.5f * static_cast<float>(view.height)} {}

  void paint() {
    raster_.fill_all(v_.background.data());
    paint_floor();
    if (plan_.has_cells() || plan_.has_blocks()) paint_slice();
    if (plan_.heights.terrain)
      for (const Triangle& t : plan_.heights.terrain->triangles())
        if (const float* shade = raster_.shade_of(t.entity)) {
          std::array<Vec, 3> corner;
          for (std::size_t k = 0; k < 3; ++k)
            corner[k] = pixel_of({t.corner[k].x, t.corner[k].y}, t.corner[k].z);
          raster_.fill(corner, 0.0f, shade);
        }
    paint_posed(plan_.first_zone, plan_.first_zone + plan_.zones);
    for (const WallPiece& piece : plan_.pieces)
      if (const float* shade = raster_.shade_of(piece.entity); shade && stands(plan_, s_, piece))
        fill_between(along(piece.from), along(piece.to), {piece.low, piece.high}, shade);
    paint_posed(plan_.first_item, plan_.first_item + plan_.items);
    paint_posed(0, plan_.bodies + plan_.shots);
  }

 private:
  // Metres to the right of the picture's middle.
  float along(Vec at) const { return dot(at - Vec{v_.x, v_.y}, right_); }
  Vec pixel_of(Vec at, float level) const { return pixel_at(along(at), level); }
  Vec pixel_at(float along, float level) const {
    return {middle_.x + to_pixels_ * along, middle_.y - to_pixels_ * (level - v_.z)};
  }

  // An upright rectangle; what has no end reaches beyond the picture.
  void fill_between(float a, float b, Band band, const float* shade) {
    const float far = 2.0f * (v_.across + static_cast<float>(v_.height) / to_pixels_);
    const float low = std::max(band.low, v_.z - far), high = std::min(band.high, v_.z + far);
    if (low >= high) return;
    const std::array corner{pixel_at(a, low), pixel_at(b, low), pixel_at(b, high),
                            pixel_at(a, high)};
    raster_.fill(corner, 0.0f, shade);
  }

  void paint_floor() {
    if (plan_.heights.floor == nowhere) return;
    if (const float* shade = raster_.shade_of(plan_.heights.floor))
      fill_between(-v_.across, v_.across, {-boundless, plan_.heights.floor_level}, shade);
  }

  void paint_slice() {
    for (std::size_t column = 0; column < v_.width; ++column) {
      const float right = (static_cast<float>(column) + 0.5f - middle_.x) / to_pixels_;
      const Vec at = Vec{v_.x, v_.y} + right * right_;
      for (std::size_t row = 0; row < v_.height; ++row) {
        const float level = v_.z + (middle_.y - static_cast<float>(row) - 0.5f) / to_pixels_;
        if (const float* shade = shown_at(at, level)) raster_.put(column, row, shade);
      }
    }
  }

  // What fills a point of the slice; null for nothing that is drawn.
  const float* shown_at(Vec at, float level) const {
    if (plan_.has_blocks()) {
      const Vec3 point{at.x, at.y, level};
      const BlockBox box = blocks_within(plan_.blocks, point, point);
      if (box.column0 > box.column1 || box.row0 > box.row1 || box.layer0 > box.layer1)
        return nullptr;
      const std::uint8_t kind =
          s_.blocks[block_number(plan_.blocks, box.column0, box.row0, box.layer0)];
      return kind == 0 ? nullptr : raster_.shade_of(plan_.blocks.first_kind + kind - 1);
    }
    const CellPlan& cells = plan_.cells;
    const CellBox box = cells_within(cells, at, at);
    if (level < plan_.heights.floor_level || box.column0 > box.column1 || box.row0 > box.row1)
      return nullptr;
    const std::size_t cell = cell_number(cells, box.column0, box.row0);
    for (std::size_t layer = cells.layers; layer-- > 0;) {
      const std::uint8_t kind = s_.cells[layer * cells.cells() + cell];
      if (kind != 0 && cells.solid[kind] != 0 && level <= cells.top[kind])
        return raster_.shade_of(cells.first_kind + kind - 1);
    }
    return nullptr;
  }

  void paint_posed(std::size_t first, std::size_t stop) {
    for (std::size_t e = first; e < stop; ++e) {
      if (s_.present[e] == 0) continue;
      const float middle = along({s_.x[e], s_.y[e]}), bound = plan_.bounds[e];
      if (std::fabs(middle) > 0.5f * v_.across + bound) continue;
      const float* shade = raster_.shade_of(e);
      if (shade == nullptr) continue;
      const Band band = band_of(plan_, s_, e);
      const Core core = core_of(plan_.shapes[e], s_.pose(e));
      if (plan_.shapes[e].form == Form::ball) {
        const Vec centre = pixel_at(middle, 0.5f * (band.low + band.high));
        raster_.fill({&centre, 1}, core.radius * to_pixels_, shade);
        continue;
      }
      float least = boundless, most = -boundless;
      for (std::size_t k = 0; k < core.corners; ++k) {
        least = std::min(least, along(core.corner[k]) - core.radius);
        most = std::max(most, along(core.corner[k]) + core.radius);
      }
      fill_between(least, most, band, shade);
    }
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const MapView& v_;
  Raster raster_;
  float to_pixels_;
  Vec right_;   // unit direction that is to the right in the picture
  Vec middle_;  // of the picture, in pixels
};

}  // namespace

void draw_from_the_side(const ArenaPlan& plan, const StateArrays& s, const MapView& view,
                        std::span<float> pixels) {
  SidePainter(plan, s, view, pixels).paint();
}

}  // namespace zithercraft::arena_internal
