#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>

namespace zithercraft {

/// 64-bit xxHash (XXH64, seed 0) of the bytes: the checksum of all our files and the hash of arena
/// states.
std::uint64_t hash_bytes(std::span<const std::byte> bytes) noexcept;
/// The same for text.
std::uint64_t hash_text(std::string_view text) noexcept;

/// Sixteen lower-case hexadecimal digits.
std::string hex64(std::uint64_t value);

}  // namespace zithercraft
