#pragma once

// The bytes of a replay; docs/formats/replay.md is the specification. All numbers are
// little-endian.

#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/hash.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft::replay_format {

static_assert(std::endian::native == std::endian::little);

constexpr std::array<char, 8> magic{'Z', 'R', 'E', 'P', '\r', '\n', '\x1a', '\n'};
constexpr std::array<char, 8> end_magic{'Z', 'R', 'E', 'P', ' ', 'E', 'N', 'D'};
constexpr std::uint32_t version = 5;
constexpr std::uint32_t chunk_magic = 0x4B4E4843;  // "CHNK"
constexpr std::uint32_t moments_per_chunk = 64;
// Bytes from which a chunk is closed before it has all its moments.
constexpr std::size_t full_chunk = 32u << 20;
constexpr std::uint32_t largest_chunk = 1u << 30;

enum class ChunkKind : std::uint32_t { moments = 1, index = 2 };

struct FileStart {
  std::array<char, 8> magic;
  std::uint32_t version, header_bytes;
  std::uint64_t header_checksum;
};

struct ChunkHeader {
  std::uint32_t magic = chunk_magic, kind = 0;
  std::uint32_t raw_bytes = 0, stored_bytes = 0;
  std::uint32_t episode = 0, first_step = 0, moments = 0, outcome = 0;
  std::uint64_t checksum = 0;
};
static_assert(sizeof(ChunkHeader) == 40);

struct IndexEntry {
  std::uint64_t offset = 0;
  std::uint32_t episode = 0, first_step = 0, moments = 0, outcome = 0;
};
static_assert(sizeof(IndexEntry) == 24);

struct FileEnd {
  std::uint64_t index_offset, checksum;
  std::array<char, 8> magic;
};

/// Covers the header's other fields and the stored bytes.
inline std::uint64_t chunk_checksum(ChunkHeader header, std::span<const std::byte> stored) {
  header.checksum = 0;
  return hash_bytes(std::as_bytes(std::span(&header, 1))) ^ hash_bytes(stored);
}

inline std::uint64_t end_checksum(std::uint64_t index_offset) {
  return hash_bytes(std::as_bytes(std::span(&index_offset, 1)));
}

// An event as stored: 40 bytes without padding that could hold anything.
struct StoredEvent {
  std::uint32_t tick, kind;
  std::int32_t who, whom;
  float x, y, z, strength;
  std::int32_t detail;
  std::array<std::uint8_t, 2> by_who, by_whom;  // way and rise
};
static_assert(sizeof(StoredEvent) == 40);

inline std::array<std::uint8_t, 2> stored(Seen seen) {
  return {static_cast<std::uint8_t>(seen.way), static_cast<std::uint8_t>(seen.rise)};
}

template <class T>
void append(std::vector<std::byte>& out, std::span<const T> values) {
  const auto bytes = std::as_bytes(values);
  out.insert(out.end(), bytes.begin(), bytes.end());
}
template <class T>
void append_one(std::vector<std::byte>& out, const T& value) {
  append(out, std::span<const T>(&value, 1));
}

}  // namespace zithercraft::replay_format
