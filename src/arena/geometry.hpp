#pragma once

// Convex shapes of one, two or more corners, rounded by a radius: a disc is a point, a capsule a
// segment, a box a quadrangle and an outline a polygon without rounding. One routine then serves
// every pair.

#include <array>
#include <cmath>
#include <cstddef>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/arena/spec.hpp"

namespace zithercraft::arena_internal {

struct Vec {
  float x = 0.0f, y = 0.0f;
};
constexpr Vec operator+(Vec a, Vec b) { return {a.x + b.x, a.y + b.y}; }
constexpr Vec operator-(Vec a, Vec b) { return {a.x - b.x, a.y - b.y}; }
constexpr Vec operator*(float k, Vec a) { return {k * a.x, k * a.y}; }
constexpr float dot(Vec a, Vec b) { return a.x * b.x + a.y * b.y; }
constexpr float cross(Vec a, Vec b) { return a.x * b.y - a.y * b.x; }
inline float length(Vec a) { return std::sqrt(dot(a, a)); }

constexpr std::size_t most_corners = 8;

enum class Form : std::uint8_t { disc, capsule, box, outline, ball };

/// A shape in its own frame.
struct ShapeData {
  Form form = Form::disc;
  std::size_t corners = 1;
  float half_length = 0.0f;       // of the core, along the heading; outlines: of the box around it
  float half_width = 0.0f;        // of the core, across it; likewise
  float radius = 0.0f;            // rounding
  float bound = 0.0f;             // radius of a circle around the centre that holds it all
  float inner = 0.0f;             // radius of the largest circle around the centre inside it
  float inertia_per_mass = 0.0f;  // m2
  std::array<Vec, most_corners> local{};  // of an outline, counter-clockwise
};
ShapeData shape_data(const Shape& shape);

/// A shape placed in the world: corners counter-clockwise, and the outward axes to test for
/// separation.
struct Core {
  std::size_t corners = 0, axes = 0;
  float radius = 0.0f;
  std::array<Vec, most_corners> corner{}, axis{};
  std::array<float, most_corners> offset{};  // axis . point = offset on the side's line
};
Core core_of(const ShapeData& shape, const Pose& pose);
Core core_of_segment(Vec a, Vec b);
/// A convex polygon, counter-clockwise; two corners are a segment.
Core core_of_polygon(const Vec* corners, std::size_t count);
/// An upright box between two corners.
Core core_of_cells(Vec low, Vec high);

/// Signed distance between two rounded shapes (negative: they overlap) and the unit direction from
/// a to b.
struct Gap {
  float distance = 0.0f;
  Vec normal{1.0f, 0.0f};
};
Gap gap_between(const Core& a, const Core& b);

struct Manifold {
  Vec normal;  // from a to b
  std::size_t points = 0;
  std::array<Vec, 2> point{};
  std::array<float, 2> depth{};  // at least 0
};
/// Contact points where the shapes overlap; false if they do not.
bool collide(const Core& a, const Core& b, Manifold& out);

/// Whether the point lies in the shape.
bool contains(const ShapeData& shape, const Pose& pose, Vec point);

}  // namespace zithercraft::arena_internal
