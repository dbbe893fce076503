#pragma once

// Demonstrations, as policies learn from them.

#include <span>
#include <vector>

#include "learn/values/experience.hpp"
#include "zithercraft/learn/demonstrations.hpp"

namespace zithercraft {
class Heads;
}

namespace zithercraft::learn_internal {

/// Demonstrations as steps to learn from; controls become actions: what was done, or what the
/// player had wanted. Nothing is remembered before a span.
Experience experience_of(std::span<const Demonstration* const> demonstrations, const Role& role,
                         const Heads& heads, double discount, const KeptBesides& besides = {},
                         bool wanted = false);
/// Those of some roles.
std::vector<const Demonstration*> demonstrations_of(const Demonstrations* all,
                                                    std::span<const std::size_t> roles);

}  // namespace zithercraft::learn_internal
