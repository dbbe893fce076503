#pragma once

// Where things stand in the block that is a lane's state, behind its arena.

#include <cstddef>
#include <cstdint>
#include <span>

#include "game/plan.hpp"

namespace zithercraft::game_internal {

template <class T>
std::span<T> part_of(std::byte* block, std::size_t offset, std::size_t seat, std::size_t count) {
  return {reinterpret_cast<T*>(block + offset) + seat * count, count};
}

inline Books& books(const GamePlan& plan, std::byte* block) {
  return *reinterpret_cast<Books*>(block + plan.books_offset);
}

inline std::span<double> ledger_of(const RolePlan& role, std::byte* block, std::size_t seat) {
  return part_of<double>(block, role.ledger_offset, seat, role.terms.size());
}
inline std::span<std::uint64_t> memory_of(const RolePlan& role, std::byte* block,
                                          std::size_t seat) {
  return part_of<std::uint64_t>(block, role.memory_offset, seat, role.memory_words);
}
inline std::span<float> given_to(const RolePlan& role, std::byte* block, std::size_t seat) {
  return part_of<float>(block, role.given_offset, seat, role.controls.size());
}
/// Whom the seat's targets are: 1 + the entity, 0 for nobody.
inline std::span<std::uint32_t> targets_of(const RolePlan& role, std::byte* block,
                                           std::size_t seat) {
  return part_of<std::uint32_t>(block, role.targets_offset, seat, role.targets.size());
}
inline std::span<float> kept_by(const RolePlan& role, std::byte* block, std::size_t seat) {
  return part_of<float>(block, role.kept_offset, seat, role.kept_columns);
}
inline std::span<std::uint64_t> cutoff_memory(const GamePlan& plan, std::byte* block) {
  return part_of<std::uint64_t>(block, plan.cutoffs.memory_offset, 0, plan.cutoffs.memory_words);
}

/// What rules end the episode with (a verdict; whether it is cut off), then the coded ones'
/// numbers.
constexpr std::size_t rule_verdict = 0, rule_cuts_off = 1, first_rule_number = 2;
inline std::span<double> rule_numbers(const GamePlan& plan, std::byte* block) {
  return part_of<double>(block, plan.rules_offset, 0, plan.rule_numbers + first_rule_number);
}
inline std::span<std::uint64_t> rule_memory(const GamePlan& plan, std::byte* block) {
  return part_of<std::uint64_t>(block, plan.rule_words_offset, 0, plan.rule_words);
}

}  // namespace zithercraft::game_internal
