#pragma once

#include <cstddef>
#include <span>
#include <type_traits>

/// A rule's numbers read and written as one struct of its own.
namespace zithercraft {

/// Whether a rule can keep a value of this type as its state: it is copied byte by byte.
template <class Memory>
constexpr bool can_be_kept = std::is_trivially_copyable_v<Memory> &&
                             alignof(Memory) <= alignof(double);

/// How many of a rule's numbers such a value takes up.
template <class Memory>
constexpr std::size_t numbers_for = (sizeof(Memory) + sizeof(double) - 1) / sizeof(double);

/// Throws Error (usage) if fewer bytes are kept than are asked for.
void check_memory(std::size_t asked, std::size_t kept);

/// The numbers as that struct. Throws Error (usage) if they are too few for it.
template <class Memory, class Number>
auto& memory_in(std::span<Number> numbers) {
  static_assert(std::is_same_v<std::remove_const_t<Number>, double>);
  static_assert(can_be_kept<Memory>);
  check_memory(sizeof(Memory), numbers.size_bytes());
  using Kept = std::conditional_t<std::is_const_v<Number>, const Memory, Memory>;
  return *reinterpret_cast<Kept*>(numbers.data());
}

}  // namespace zithercraft
