#include "zithercraft/base/hash.hpp"

#define XXH_INLINE_ALL
#include <xxhash.h>

namespace zithercraft {

std::uint64_t hash_bytes(std::span<const std::byte> bytes) noexcept {
  return XXH64(bytes.data(), bytes.size(), 0);
}

std::uint64_t hash_text(std::string_view text) noexcept {
  return hash_bytes(std::as_bytes(std::span(text)));
}

std::string hex64(std::uint64_t value) {
  std::string text(16, '0');
  for (auto digit = text.rbegin(); digit != text.rend(); ++digit, value >>= 4)
    *digit = "0123456789abcdef"[value & 15];
  return text;
}

}  // namespace zithercraft
