// Plays mooring with random controls and prints a hash over everything: 16 lanes of 10,000 ticks and more, states,
// observations, payments and events. The line must be the same for every compiler, level and vector width.

#include <cstdio>

#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zc = zithercraft;

int main() {
  const zc::Game game(zc::load_game(ZITHERCRAFT_DEMOS "/mooring.toml"));
  constexpr std::size_t lane_count = 16;
  constexpr int decisions = 2500;  // of 4 ticks
  zc::Lanes lanes(game, lane_count);
  for (std::size_t lane = 0; lane < lane_count; ++lane) lanes.begin(lane, {2026, static_cast<std::uint32_t>(lane), 0});
  zc::RandomStream random(7, 0, 0, zc::Purpose::user);
  std::uint64_t all = 0, events = 0;
  const auto mix = [&](std::span<const std::byte> bytes) { all = all * 0x9E3779B97F4A7C15ULL + zc::hash_bytes(bytes); };
  for (int d = 0; d < decisions; ++d) {
    for (std::size_t lane = 0; lane < lane_count; ++lane) {
      auto control = lanes.control(0, lane);
      control[0] = static_cast<float>(random.between(-0.5, 1.0));
      control[1] = static_cast<float>(random.between(-1.0, 1.0));
      lanes.advance(lane);
      mix(lanes.state(lane));
      for (const zc::Event& e : lanes.events(lane)) {
        ++events;
        mix(std::as_bytes(std::span(&e.strength, 1)));
      }
      if (lanes.outcome(lane) == zc::Outcome::running) continue;
      zc::EpisodeKey next = lanes.key(lane);
      ++next.episode;
      lanes.begin(lane, next);
    }
    mix(std::as_bytes(lanes.observations(0)));
    mix(std::as_bytes(lanes.rewards(0)));
  }
  std::printf("exactness: %s after %d ticks of %zu lanes, %llu events\n", zc::hex64(all).c_str(), 4 * decisions,
              lane_count, static_cast<unsigned long long>(events));
}
