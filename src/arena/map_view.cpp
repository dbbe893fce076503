#include <algorithm>
#include <array>
#include <cmath>

#include "arena/blocks.hpp"
#include "arena/raster.hpp"
#include "arena/scratch.hpp"
#include "arena/side_view.hpp"

// Pictures of an arena seen from above: the ground is looked up pixel by pixel, everything else is
// filled row by row.

namespace zithercraft {
using namespace arena_internal;
namespace {

class MapPainter {
 public:
  MapPainter(const ArenaPlan& plan, const StateArrays& s, const MapView& view,
             std::vector<float>& ground, std::span<float> pixels)
      : plan_(plan),
        s_(s),
        v_(view),
        ground_(ground),
        pixels_(pixels),
        raster_(view, pixels),
        per_pixel_(view.across / static_cast<float>(view.width)),
        to_pixels_(static_cast<float>(view.width) / view.across),
        middle_{0.5f * static_cast<float>(view.width), 0.5f * static_cast<float>(view.height)},
        reach_(0.5f * per_pixel_ *
               std::sqrt(static_cast<float>(view.width * view.width + view.height * view.height))) {
  }

  void paint() {
    if (plan_.has_cells()) {
      const CellPlan& cells = plan_.cells;
      paint_ground(cells.size, cells.origin, cells.columns, cells.rows,
                   [&](std::int32_t column, std::int32_t row) { return cell_shown(column, row); });
    } else if (plan_.has_blocks()) {
      const BlocksPlan& blocks = plan_.blocks;
      paint_ground(blocks.size, {blocks.origin.x, blocks.origin.y}, blocks.columns, blocks.rows,
                   [&](std::int32_t column, std::int32_t row) { return block_shown(column, row); });
    } else {
      raster_.fill_all(v_.background.data());
    }
    if (plan_.heights.terrain)
      for (const Triangle& t : plan_.heights.terrain->triangles()) {
        const std::array<Vec, 3> corner{Vec{t.corner[0].x, t.corner[0].y},
                                        Vec{t.corner[1].x, t.corner[1].y},
                                        Vec{t.corner[2].x, t.corner[2].y}};
        if (const float* shade = raster_.shade_of(t.entity)) fill(corner, 0.0f, shade);
      }
    paint_posed(plan_.first_zone, plan_.first_zone + plan_.zones);
    for (const WallPiece& piece : plan_.pieces)
      if (const float* shade = raster_.shade_of(piece.entity); shade && stands(plan_, s_, piece)) {
        const std::array<Vec, 2> ends{piece.from, piece.to};
        if (near(piece.mid, piece.bound)) fill(ends, 0.5f * per_pixel_, shade);
      }
    paint_posed(plan_.first_item, plan_.first_item + plan_.items);
    paint_posed(0, plan_.bodies + plan_.shots);
  }

 private:
  bool near(Vec at, float bound) const {
    const Vec d = at - Vec{v_.x, v_.y};
    const float far = reach_ + bound;
    return dot(d, d) < far * far;
  }
  Vec pixel_of(Vec world) const {
    const Vec d = to_pixels_ * (world - Vec{v_.x, v_.y});
    return {middle_.x + d.x * v_.up_y - d.y * v_.up_x, middle_.y - (d.x * v_.up_x + d.y * v_.up_y)};
  }
  // ---- The ground
  const float* cell_shown(std::int32_t column, std::int32_t row) const {
    const CellPlan& cells = plan_.cells;
    const std::size_t cell =
        static_cast<std::size_t>(row) * static_cast<std::size_t>(cells.columns) +
        static_cast<std::size_t>(column);
    for (std::size_t layer = cells.layers; layer-- > 0;)
      if (const std::uint8_t kind = s_.cells[layer * cells.cells() + cell]; kind != 0)
        if (const float* shade = raster_.shade_of(cells.first_kind + kind - 1)) return shade;
    return v_.background.data();
  }
  const float* block_shown(std::int32_t column, std::int32_t row) const {
    const BlocksPlan& blocks = plan_.blocks;
    for (auto layer = static_cast<std::int32_t>(*s_.block_top); layer-- > 0;)
      if (const std::uint8_t kind = s_.blocks[block_number(blocks, column, row, layer)]; kind != 0)
        if (const float* shade = raster_.shade_of(blocks.first_kind + kind - 1)) return shade;
    return v_.background.data();
  }

  // What each square within reach shows is looked up once; pixels then only count squares.
  template <class Shown>
  void paint_ground(float size, Vec origin, std::int32_t columns, std::int32_t rows,
                    const Shown& shown) {
    const auto square = [&](float v) {
      return static_cast<std::int32_t>(std::floor(std::clamp(v / size, -1e6f, 1e6f)));
    };
    const std::int32_t column0 = square(v_.x - origin.x - reach_) - 1,
                       row0 = square(v_.y - origin.y - reach_) - 1;
    const std::int32_t wide = square(v_.x - origin.x + reach_) + 2 - column0,
                       high = square(v_.y - origin.y + reach_) + 2 - row0;
    const std::size_t n = v_.channels;
    ground_.resize(static_cast<std::size_t>(wide) * static_cast<std::size_t>(high) * n);
    float* out = ground_.data();
    for (std::int32_t row = row0; row < row0 + high; ++row)
      for (std::int32_t column = column0; column < column0 + wide; ++column, out += n) {
        const bool there = column >= 0 && row >= 0 && column < columns && row < rows;
        const float* shade = there ? shown(column, row) : v_.background.data();
        for (std::size_t c = 0; c < n; ++c) out[c] = shade[c];
      }
    // In squares from the first of those looked up; one pixel to the right is a step along (up_y,
    // -up_x).
    const float step = per_pixel_ / size,
                first_x = (v_.x - origin.x) / size - static_cast<float>(column0),
                first_y = (v_.y - origin.y) / size - static_cast<float>(row0);
    const float step_x = step * v_.up_y, step_y = -step * v_.up_x;
    for (std::size_t row = 0; row < v_.height; ++row) {
      const float up = step * (middle_.y - static_cast<float>(row) - 0.5f),
                  right = 0.5f - middle_.x;
      const float x0 = first_x + up * v_.up_x + right * step_x,
                  y0 = first_y + up * v_.up_y + right * step_y;
      float* line = pixels_.data() + row * v_.width * n;
      if (n == 1) {
        for (std::size_t column = 0; column < v_.width; ++column) {
          const auto along = static_cast<float>(static_cast<std::int32_t>(column));
          const auto x = static_cast<std::int32_t>(x0 + along * step_x),
                     y = static_cast<std::int32_t>(y0 + along * step_y);
          line[column] = ground_[static_cast<std::size_t>(y * wide + x)];
        }
        continue;
      }
      for (std::size_t column = 0; column < v_.width; ++column) {
        const auto along = static_cast<float>(static_cast<std::int32_t>(column));
        const auto x = static_cast<std::int32_t>(x0 + along * step_x),
                   y = static_cast<std::int32_t>(y0 + along * step_y);
        const float* shade = ground_.data() + static_cast<std::size_t>(y * wide + x) * n;
        for (std::size_t c = 0; c < n; ++c) line[column * n + c] = shade[c];
      }
    }
  }

  // ---- Things
  void paint_posed(std::size_t first, std::size_t stop) {
    for (std::size_t e = first; e < stop; ++e) {
      if (s_.present[e] == 0 || !near({s_.x[e], s_.y[e]}, plan_.bounds[e])) continue;
      const float* shade = raster_.shade_of(e);
      if (shade == nullptr) continue;
      const Core core = core_of(plan_.shapes[e], s_.pose(e));
      fill({core.corner.data(), core.corners}, core.radius, shade);
    }
  }

  void fill(std::span<const Vec> world, float radius, const float* shade) {
    std::array<Vec, most_corners> corner;
    for (std::size_t i = 0; i < world.size(); ++i) corner[i] = pixel_of(world[i]);
    raster_.fill({corner.data(), world.size()}, radius * to_pixels_, shade);
  }

  const ArenaPlan& plan_;
  const StateArrays& s_;
  const MapView& v_;
  std::vector<float>& ground_;
  std::span<float> pixels_;
  Raster raster_;
  float per_pixel_, to_pixels_;
  Vec middle_;   // of the picture, in pixels
  float reach_;  // metres from the middle to a corner
};

}  // namespace

void Arena::draw(const std::byte* state, const MapView& view, ArenaScratch& scratch,
                 std::span<float> pixels) const {
  const ArenaPlan& plan = plan_of(state);
  const StateArrays s = reading_of(plan, state);
  view.side ? draw_from_the_side(plan, s, view, pixels)
            : MapPainter(plan, s, view, scratch.memory_->ground, pixels).paint();
}

}  // namespace zithercraft
