#pragma once

#include <filesystem>
#include <vector>

#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// Writes one page that opens from disk without a network and shows one to four replays side by
/// side, in step: the arena from above, in space or through a seat's eyes, with what the seats
/// sensed, decided and were rewarded. `policies`: whose networks are shown at work, one for all
/// replays or one for each. Throws Error (file) if a replay is damaged or the page cannot be
/// written, Error (usage) if there are too many, (refused) if a policy does not fit.
void write_page(const std::filesystem::path& html,
                const std::vector<std::filesystem::path>& replays,
                const std::vector<Policy>& policies = {});

}  // namespace zithercraft
