#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/arena/effects.hpp"

/// What gives an arena height: gravity, a floor, uneven ground and meshes.
namespace zithercraft {

/// A level floor without end.
struct Floor {
  std::string name = "floor";        ///< of its entity
  std::string tag{};                 ///< empty means the same as the name
  double level = 0.0;                ///< metres
  double bounce = 0.0;               ///< as for bodies
  double grip = 0.3;                 ///< as for bodies
  std::vector<Effect> effects{};     ///< on those who stand on it
  std::vector<std::string> kills{};  ///< tags of bodies that die when they touch it
  bool operator==(const Floor&) const = default;
};

/// Bodies are upright: their shapes reach from a foot to a top. They push each other aside in the
/// plane, stand on each other and on the ground, and are stopped by what is overhead.
struct Heights {
  double gravity = 9.81;            ///< m/s2 downwards, at least 0
  std::optional<Floor> floor{};     ///< an endless plane; none for no floor
  std::optional<double> ceiling{};  ///< metres; nothing rises above it
  double lowest = -100.0;           ///< metres; a body whose foot falls below it dies
  bool operator==(const Heights&) const = default;
};

/// Uneven ground: heights on a grid, with two triangles between each four of them.
struct GroundSpec {
  std::string name = "ground";  ///< of its entity
  std::string tag{};            ///< empty means the same as the name
  std::string file{};           ///< .npy of two dimensions or grey .png, instead of `levels`
  std::vector<std::vector<double>> levels{};  ///< rows from low y to high y, along x, metres
  std::array<double, 2> origin{0, 0};  ///< metres: where the first number of the first row stands
  double spacing = 1.0;                ///< metres from number to number, above 0
  double scale = 1.0;                  ///< metres for 1 in a .npy, or for white in a .png
  double lift = 0.0;                   ///< metres added to all
  double bounce = 0.0, grip = 0.3;     ///< as for bodies
  std::vector<Effect> effects{};       ///< on those who touch it
  std::vector<std::string> kills{};    ///< tags of bodies that die when they touch it
  bool operator==(const GroundSpec&) const = default;
};

/// Triangles that never move, from a glTF 2.0 file or listed here. Both of their sides count.
///
/// A node of the file whose `extras` hold a text `tag` is of that tag, and so are those below it;
/// the others are of the mesh's own tag. The file's y axis points up, so its (x, y, z) is our (x,
/// -z, y).
struct MeshSpec {
  std::string name{};  ///< of its entity
  std::string tag{};   ///< empty means the same as the name
  std::string file{};  ///< .gltf or .glb, instead of corners and triangles
  std::vector<std::array<double, 3>> corners{};          ///< metres
  std::vector<std::array<std::int64_t, 3>> triangles{};  ///< numbers of corners, from 0
  std::array<double, 3> at{0, 0, 0};                     ///< metres: where its own origin stands
  double heading = 0.0;                                  ///< degrees
  double scale = 1.0;                                    ///< above 0
  double bounce = 0.0, grip = 0.3;                       ///< as for bodies
  std::vector<Effect> effects{};                         ///< as for bodies
  std::vector<std::string> kills{};                      ///< as for bodies
  bool operator==(const MeshSpec&) const = default;
};

}  // namespace zithercraft
