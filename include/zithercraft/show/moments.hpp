#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <optional>

#include "zithercraft/record/replay.hpp"

/// Pictures and films of recorded matches. All throw Error (usage) if there is no such episode or
/// tick, Error (file) if the file cannot be written.
namespace zithercraft {

/// An episode's paths, with everything and its rays at a tick; half-way through if none is given.
void draw_moment(const std::filesystem::path& png, Replay& replay, std::size_t episode,
                 std::optional<std::uint32_t> tick = {});

/// Twelve moments of an episode on one sheet: its start, its end, and what lies evenly between.
void draw_sheet(const std::filesystem::path& png, Replay& replay, std::size_t episode);

/// Kinds of films.
enum class Film { gif, webm };

/// A film of an episode at the speed of the game, by the ffmpeg that is installed. Throws Error
/// (file), saying how to get it, if there is none.
void write_film(const std::filesystem::path& file, Replay& replay, std::size_t episode, Film kind);

}  // namespace zithercraft
