#pragma once

#include <cstddef>
#include <filesystem>

#include "zithercraft/record/replay.hpp"

/// Replays as files that other programs read. Both throw Error (file) if something cannot be
/// written.
namespace zithercraft {

/// Writes three tables into a folder, which is made if missing: states.csv (the pose of everything
/// with one, at each step), events.csv, and ledger.csv (reward of each term to each seat at each
/// step).
void write_csv(const std::filesystem::path& folder, Replay& replay);

/// Writes an episode as an animated glTF 2.0 scene (Khronos Group): a .glb file, or a .gltf file
/// that holds all it needs. One node for each thing, in metres and seconds; the scene's y axis
/// points up, so our (x, y, z) is its (x, z, -y). Throws Error (usage) if there is no such episode,
/// or for another ending.
void write_gltf(const std::filesystem::path& file, Replay& replay, std::size_t episode);

}  // namespace zithercraft
