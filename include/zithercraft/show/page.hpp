#pragma once

#include <filesystem>
#include <vector>

namespace zithercraft {

/// Writes one page that opens from disk without a network and shows one to four replays side by side, in step: the
/// arena from above, in space or through a seat's eyes, with what the seats sensed, decided and were paid.
/// Throws Error (file) if a replay is damaged or the page cannot be written, Error (usage) if there are too many.
void write_page(const std::filesystem::path& html, const std::vector<std::filesystem::path>& replays);

}  // namespace zithercraft
