#pragma once

#include "arena/plan.hpp"

namespace zithercraft::arena_internal {

/// Compiles the arena in as many variants as it asks for, each with its varied numbers drawn. All
/// have the same entities: where a count varies, those that are too many are not there.
std::shared_ptr<const ArenaPlans> compile_variants(const ArenaSpec& spec);

}  // namespace zithercraft::arena_internal
