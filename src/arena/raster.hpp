#pragma once

#include <algorithm>
#include <cmath>
#include <span>
#include <utility>

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// Fills shapes of a picture, in pixels from its top left.
class Raster {
 public:
  Raster(const MapView& view, std::span<float> pixels) : v_(view), pixels_(pixels) {}

  /// What an entity is drawn in; null if it is not drawn.
  const float* shade_of(std::size_t entity) const {
    const float* shade = v_.shades.data() + entity * v_.channels;
    return *shade < 0.0f ? nullptr : shade;
  }
  void put(std::size_t column, std::size_t row, const float* shade) {
    float* out = pixels_.data() + (row * v_.width + column) * v_.channels;
    for (std::size_t c = 0; c < v_.channels; ++c) out[c] = shade[c];
  }
  void fill_all(const float* shade) {
    for (std::size_t i = 0; i < v_.width * v_.height; ++i)
      for (std::size_t c = 0; c < v_.channels; ++c) pixels_[i * v_.channels + c] = shade[c];
  }

  /// A convex polygon, rounded by a radius: each row of pixels whose middle it covers is filled
  /// from side to side. What is smaller than a pixel fills the one it lies in.
  void fill(std::span<const Vec> corner, float round, const float* shade) {
    Vec low{1e30f, 1e30f}, high{-1e30f, -1e30f};
    for (std::size_t i = 0; i < corner.size(); ++i) {
      low = {std::min(low.x, corner[i].x - round), std::min(low.y, corner[i].y - round)};
      high = {std::max(high.x, corner[i].x + round), std::max(high.y, corner[i].y + round)};
    }
    const auto width = static_cast<float>(v_.width), height = static_cast<float>(v_.height);
    if (high.x < 0.0f || high.y < 0.0f || low.x > width || low.y > height) return;
    const auto from = static_cast<std::size_t>(std::max(0.0f, std::ceil(low.y - 0.5f)));
    const auto until =
        static_cast<std::size_t>(std::clamp(std::floor(high.y - 0.5f) + 1.0f, 0.0f, height));
    bool drawn = false;
    for (std::size_t row = from; row < until; ++row) {
      const auto [left, right] = stretch(corner, round, static_cast<float>(row) + 0.5f);
      if (left > right) continue;
      const auto begin = static_cast<std::size_t>(std::max(0.0f, std::ceil(left - 0.5f)));
      const auto end =
          static_cast<std::size_t>(std::clamp(std::floor(right - 0.5f) + 1.0f, 0.0f, width));
      for (std::size_t column = begin; column < end; ++column) put(column, row, shade);
      drawn = drawn || begin < end;
    }
    const Vec at{0.5f * (low.x + high.x), 0.5f * (low.y + high.y)};
    if (!drawn && at.x >= 0.0f && at.y >= 0.0f && at.x < width && at.y < height)
      put(static_cast<std::size_t>(at.x), static_cast<std::size_t>(at.y), shade);
  }

 private:
  // From where to where the shape lies at height y: the outermost points of its corners' circles
  // and of its sides.
  static std::pair<float, float> stretch(std::span<const Vec> corner, float round, float y) {
    float left = 1e30f, right = -1e30f;
    const auto meet = [&](float x) {
      left = std::min(left, x);
      right = std::max(right, x);
    };
    for (std::size_t i = 0; i < corner.size(); ++i) {
      const Vec a = corner[i], b = corner[(i + 1) % corner.size()];
      if (const float dy = y - a.y; round > 0.0f && std::fabs(dy) <= round) {
        const float half = std::sqrt(round * round - dy * dy);
        meet(a.x - half);
        meet(a.x + half);
      }
      if (corner.size() < 2) break;
      const Vec side = b - a;
      const float long_ = length(side);
      if (long_ == 0.0f) continue;
      // Sides moved out by the radius, to both hands: the inner one lies within and changes
      // nothing.
      const Vec out = (round / long_) * Vec{side.y, -side.x};
      for (const Vec shift : {out, -1.0f * out}) {
        const Vec p = a + shift, q = b + shift;
        if ((p.y <= y) != (q.y <= y)) meet(p.x + (y - p.y) / (q.y - p.y) * (q.x - p.x));
        if (round == 0.0f) break;
      }
    }
    return {left, right};
  }

  const MapView& v_;
  std::span<float> pixels_;
};

}  // namespace zithercraft::arena_internal
