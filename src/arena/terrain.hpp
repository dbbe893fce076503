#pragma once

// Triangles that never move - uneven ground and meshes - sorted into squares of the plane.

#include <array>
#include <cstdint>
#include <vector>

#include "arena/geometry.hpp"

namespace zithercraft::arena_internal {

constexpr float boundless = 1e9f;  // metres

struct Vec3 {
  float x = 0.0f, y = 0.0f, z = 0.0f;
};
constexpr Vec3 operator+(Vec3 a, Vec3 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
constexpr Vec3 operator-(Vec3 a, Vec3 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
constexpr Vec3 operator*(float k, Vec3 a) { return {k * a.x, k * a.y, k * a.z}; }
constexpr float dot(Vec3 a, Vec3 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
constexpr Vec3 cross(Vec3 a, Vec3 b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline float length(Vec3 a) { return std::sqrt(dot(a, a)); }

struct Triangle {
  std::array<Vec3, 3> corner{};
  float low = 0.0f, high = 0.0f;  // of the corners
  Vec gradient{};                 // of the level over the plane
  float slope = 0.0f;  // tangent of the angle; `upright` for those that nothing stands on
  std::uint32_t entity = 0;

  static constexpr float upright = 50.0f;
  /// The level over a point of the plane, wherever the point lies.
  float level_at(Vec p) const {
    return corner[0].z + dot(gradient, p - Vec{corner[0].x, corner[0].y});
  }
  /// Whether the point lies over or under it.
  bool covers(Vec p) const;
};

class Terrain {
 public:
  explicit Terrain(std::vector<Triangle> triangles);

  const std::vector<Triangle>& triangles() const { return triangles_; }

  /// The highest triangle at or below `most` over a point; null if there is none.
  const Triangle* ground_at(Vec p, float most) const;
  /// The lowest triangle at or above `least` over a point; null if there is none.
  const Triangle* overhead_at(Vec p, float least) const;
  /// Replaces `found` by the numbers of all triangles whose square of the plane meets a box, each
  /// once, in order.
  void near(Vec low, Vec high, std::vector<std::uint32_t>& found) const;
  /// Closest hit of a ray that sweeps a ball; replaces `distance` and `entity` if it lies nearer.
  /// `wanted` holds a flag per tag, `tag_of` the tag of each entity. Lengths in metres, `direction`
  /// of length 1.
  void cast(Vec3 from, Vec3 direction, float radius, TagSet wanted, const std::uint8_t* tag_of,
            float& distance, std::int32_t& entity) const;

 private:
  struct Square {
    std::uint32_t first, stop;  // of `listed_`
  };
  std::int32_t column_of(float x) const;
  std::int32_t row_of(float y) const;

  std::vector<Triangle> triangles_;
  Vec origin_;
  float size_ = 1.0f;
  std::int32_t columns_ = 1, rows_ = 1;
  std::vector<Square> squares_;
  std::vector<std::uint32_t> listed_;
};

/// A triangle with its slope and gradient worked out; false if it has no area.
bool make_triangle(const std::array<Vec3, 3>& corner, std::uint32_t entity, Triangle& out);

/// The part of a triangle between two levels, seen from above: 2 to 8 corners, counter-clockwise; 0
/// if nothing is left.
std::size_t slice(const Triangle& triangle, float low, float high, std::array<Vec, 8>& corners);

}  // namespace zithercraft::arena_internal
