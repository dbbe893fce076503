#include "zithercraft/base/random.hpp"

#include <cmath>

#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/hash.hpp"

namespace zithercraft {

std::uint64_t derived_seed(std::uint64_t seed, std::string_view use) noexcept {
  return hash_text(use) ^ (seed * 0x9E3779B97F4A7C15ULL);
}

RandomStream::RandomStream(std::uint64_t seed, std::uint32_t lane, std::uint32_t episode,
                           Purpose purpose) noexcept
    : key_{static_cast<std::uint32_t>(seed), static_cast<std::uint32_t>(seed >> 32)},
      counter_{0, lane, episode, static_cast<std::uint32_t>(purpose)} {}

void RandomStream::jump(std::uint32_t section, std::uint32_t number) noexcept {
  // Number and section take the words of lane and episode, which are mixed into the key instead.
  key_[0] ^= counter_[1] * 0x9E3779B9u;
  key_[1] ^= counter_[2] * 0x85EBCA6Bu;
  counter_ = {0, number, section, counter_[3] | 0x80000000u};
  used_ = 4;
}

void RandomStream::refill() noexcept {
  auto c = counter_;
  auto k = key_;
  for (int round = 0; round < 10; ++round) {
    const std::uint64_t p0 = std::uint64_t{0xD2511F53} * c[0],
                        p1 = std::uint64_t{0xCD9E8D57} * c[2];
    c = {static_cast<std::uint32_t>(p1 >> 32) ^ c[1] ^ k[0], static_cast<std::uint32_t>(p1),
         static_cast<std::uint32_t>(p0 >> 32) ^ c[3] ^ k[1], static_cast<std::uint32_t>(p0)};
    k = {k[0] + 0x9E3779B9u, k[1] + 0xBB67AE85u};
  }
  block_ = c;
  ++counter_[0];
  used_ = 0;
}

std::uint32_t RandomStream::bits() noexcept {
  if (used_ == 4) refill();
  return block_[used_++];
}

float RandomStream::uniform() noexcept { return static_cast<float>(bits() >> 8) * 0x1p-24f; }

double RandomStream::between(double low, double high) noexcept {
  return low + (high - low) * (static_cast<double>(bits()) * (1.0 / 4294967295.0));
}

std::uint32_t RandomStream::below(std::uint32_t count) noexcept {
  return static_cast<std::uint32_t>((std::uint64_t{bits()} * count) >> 32);
}

float RandomStream::normal() noexcept {
  const double u = (static_cast<double>(bits()) + 0.5) * 0x1p-32;
  const double turn = 2.0 * exact::pi * static_cast<double>(bits()) * 0x1p-32;
  return static_cast<float>(std::sqrt(-2.0 * exact::log(u))) * exact::sin_cos(turn).cos;
}

}  // namespace zithercraft
