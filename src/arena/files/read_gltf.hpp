#pragma once

#include <string>
#include <vector>

#include "arena/terrain.hpp"

namespace zithercraft::arena_internal {

/// Triangles of one tag; an empty tag is that of the mesh itself. Our axes: z up, metres.
struct TaggedTriangles {
  std::string tag{};
  std::vector<std::array<Vec3, 3>> triangles{};
};

/// The triangles of the default scene of a glTF 2.0 file, .glb or .gltf with its buffers inside.
/// Throws Error (file) naming `where` if the bytes are none, or hold more than a million triangles.
std::vector<TaggedTriangles> read_gltf(const std::string& bytes, const std::string& where);

}  // namespace zithercraft::arena_internal
