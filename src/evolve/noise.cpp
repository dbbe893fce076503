#include "zithercraft/evolve/noise.hpp"

#include <algorithm>
#include <bit>

#include "zithercraft/base/random.hpp"

namespace zithercraft {
namespace {

constexpr std::size_t least_numbers = std::size_t{1} << 20;

}  // namespace

Noise::Noise(std::size_t most_numbers) {
  std::vector<float> row(std::max(least_numbers, std::bit_ceil(4 * most_numbers)));
  RandomStream random(derived_seed(0, "noise"), 0, 0, Purpose::evolve);
  for (float& x : row) x = random.normal();
  row_ = std::make_shared<const std::vector<float>>(std::move(row));
}

std::span<const float> Noise::slice(std::uint64_t seed, std::size_t numbers) const {
  return {row_->data() + seed % (row_->size() - numbers + 1), numbers};
}

void Noise::add(std::uint64_t seed, float strength, std::span<float> out) const {
  const float* noise = slice(seed, out.size()).data();
  for (std::size_t i = 0; i < out.size(); ++i) out[i] += strength * noise[i];
}

std::uint64_t mixed(std::uint64_t seed, std::uint64_t a, std::uint64_t b) noexcept {
  // Each step as in Steele, Lea, Flood: "Fast splittable pseudorandom number generators", 2014.
  std::uint64_t x = seed;
  for (const std::uint64_t part : {a, b}) {
    x += (part + 1) * 0x9E3779B97F4A7C15ULL;
    x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ULL;
    x = (x ^ (x >> 27)) * 0x94D049BB133111EBULL;
    x ^= x >> 31;
  }
  return x;
}

}  // namespace zithercraft
