#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "zithercraft/game/stages.hpp"

namespace zithercraft::run_internal {

/// The arena's states at the recorded moments that a stage begins episodes from. The replay may be
/// held inside as a `data:` URL. Throws Error (file) if it cannot be read, Error (spec), naming
/// `where`, if it has no such moments.
std::vector<std::vector<std::byte>> recorded_moments(const RecordedStart& start,
                                                     const std::string& where);

}  // namespace zithercraft::run_internal
