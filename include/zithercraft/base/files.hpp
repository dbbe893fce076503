#pragma once

#include <cstddef>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// The whole file. Throws Error (file) if it is missing or cannot be read.
std::string read_text(const std::filesystem::path& path);
std::vector<std::byte> read_bytes(const std::filesystem::path& path);

/// Replaces the file in one step: a temporary name in the same folder, synced, then renamed. Whoever reads `path` sees
/// either the old content or the new, also after a crash. Throws Error (file) and leaves the old content if it fails.
void write_atomically(const std::filesystem::path& path, std::span<const std::byte> bytes);
void write_atomically(const std::filesystem::path& path, std::string_view text);

/// Creates the folder and its parents. Throws Error (file) if it cannot, or if it is not writable.
void make_folder(const std::filesystem::path& path);

}  // namespace zithercraft
