#pragma once

#include <cstddef>
#include <cstdint>

namespace zithercraft {

/// Some of an arena's tags, by their numbers (see Arena::tag).
class TagSet {
 public:
  static constexpr std::size_t most = 64;  ///< an arena has no more tags than this

  constexpr TagSet() = default;  ///< none
  /// Every tag.
  static constexpr TagSet all() { return TagSet(~std::uint64_t{0}); }
  /// One tag alone; its number is below `most`.
  static constexpr TagSet of(std::size_t tag) { return TagSet(std::uint64_t{1} << tag); }

  /// Whether a tag is among them.
  constexpr bool holds(std::size_t tag) const { return ((bits_ >> tag) & 1u) != 0; }
  /// Whether no tag is.
  constexpr bool empty() const { return bits_ == 0; }
  /// Those of both.
  constexpr TagSet operator|(TagSet other) const { return TagSet(bits_ | other.bits_); }
  /// Those in both.
  constexpr TagSet operator&(TagSet other) const { return TagSet(bits_ & other.bits_); }
  /// Adds those of the other.
  constexpr TagSet& operator|=(TagSet other) { return *this = *this | other; }
  /// Whether any tag is in both.
  constexpr bool meets(TagSet other) const { return (bits_ & other.bits_) != 0; }
  constexpr bool operator==(const TagSet&) const = default;

 private:
  explicit constexpr TagSet(std::uint64_t bits) : bits_(bits) {}
  std::uint64_t bits_ = 0;
};

}  // namespace zithercraft
