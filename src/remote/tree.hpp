#pragma once

// Messages as trees of values, and what of them is read with care. The library that reads and
// writes their bytes costs seconds in every file that includes it, so few do.

#include <bit>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>
#include <span>
#include <string>
#include <vector>

#include "remote/message.hpp"

namespace zithercraft::remote_internal {

using Tree = nlohmann::json;

/// Typed arrays of RFC 8746: numbers whose lowest byte comes first.
enum Tag : std::uint64_t { bytes_tag = 64, u32_tag = 70, i32_tag = 78, f32_tag = 85, f64_tag = 86 };

/// Throws BadMessage: what is wrong, and where.
[[noreturn]] void bad(const std::string& where, const std::string& what);
[[noreturn]] void wrong_count(const std::string& where, std::size_t count, std::size_t wanted);

/// The tree that bytes hold. Throws BadMessage, also where it is nested too deep.
Tree tree_of(std::span<const std::uint8_t> bytes, Form form);
/// Its bytes.
std::string bytes_of(const Tree& tree, Form form);

/// A member of an object; null if there is none.
const Tree* member(const Tree& object, const char* key);
/// Throws unless it is an object with no other keys.
void check_keys(const Tree& object, const std::string& where,
                const std::vector<std::string>& known);
std::uint64_t whole(const Tree& value, const std::string& where, std::uint64_t most);
std::string text_of(const Tree& object, const char* key, const std::string& where, bool needed,
                    std::size_t longest);

/// Lists of numbers: typed arrays, or lists of what a number can be. Throws unless there are as
/// many as there is room for, finite, in their range.
void floats(const Tree& list, const std::string& where, std::span<float> out);
void small_numbers(const Tree& list, const std::string& where, std::uint8_t most,
                   std::span<std::uint8_t> out);
void check_finite(std::span<const float> numbers, const std::string& where);
/// Bytes as they are; in JSON a text of BASE64, which is read into `room`.
std::span<const std::uint8_t> bytes_in(const Tree& list, const std::string& where,
                                       std::size_t wanted, std::vector<std::uint8_t>& room);

/// Numbers of a typed array.
template <class To, class From>
void take_numbers(const std::vector<std::uint8_t>& bytes, std::span<To> out) {
  static_assert(std::endian::native == std::endian::little);
  for (std::size_t i = 0; i < out.size(); ++i) {
    From number;
    std::memcpy(&number, bytes.data() + i * sizeof number, sizeof number);
    out[i] = static_cast<To>(number);
  }
}

/// Numbers as a typed array, or in JSON as a list.
template <class T>
Tree typed(Form form, Tag tag, std::span<const T> numbers) {
  if (form == Form::text) return Tree(std::vector<T>(numbers.begin(), numbers.end()));
  std::vector<std::uint8_t> bytes(numbers.size_bytes());
  if (!bytes.empty()) std::memcpy(bytes.data(), numbers.data(), bytes.size());
  return Tree::binary(std::move(bytes), tag);
}

}  // namespace zithercraft::remote_internal
