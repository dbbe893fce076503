#include "zithercraft/base/hash.hpp"

#define XXH_INLINE_ALL
#include <xxhash.h>

#include <fmt/format.h>

namespace zithercraft {

std::uint64_t hash_bytes(std::span<const std::byte> bytes) noexcept {
  return XXH64(bytes.data(), bytes.size(), 0);
}

std::uint64_t hash_text(std::string_view text) noexcept {
  return hash_bytes(std::as_bytes(std::span(text)));
}

std::string hex64(std::uint64_t value) { return fmt::format("{:016x}", value); }

}  // namespace zithercraft
