// Plays every demo with random controls and prints a hash over everything: 10,000 ticks and more of
// each lane, states, observations, rewards and events. The lines must be the same for every
// compiler, level and vector width.

#include <cstdio>
#include <filesystem>
#include <string>
#include <utility>

#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zc = zithercraft;

namespace {

void set_random_controls(zc::Lanes& lanes, std::size_t role, std::size_t row,
                         zc::RandomStream& random) {
  const auto& infos = lanes.game().roles()[role].controls;
  const auto controls = lanes.control(role, row);
  for (std::size_t c = 0; c < controls.size(); ++c)
    controls[c] =
        infos[c].is_choice()
            ? static_cast<float>(random.below(static_cast<std::uint32_t>(infos[c].options.size())))
            : static_cast<float>(random.between(infos[c].low, infos[c].high));
}

void play(const std::string& name, std::size_t lane_count) {
  const zc::Game game(zc::load_game(std::string(ZITHERCRAFT_DEMOS "/") + name + ".toml"));
  zc::Lanes lanes(game, lane_count);
  for (std::size_t lane = 0; lane < lane_count; ++lane)
    lanes.begin(lane, {2026, static_cast<std::uint32_t>(lane), 0});
  zc::RandomStream random(7, 0, 0, zc::Purpose::user);
  std::uint64_t all = 0, events = 0;
  const auto mix = [&](std::span<const std::byte> bytes) {
    all = all * 0x9E3779B97F4A7C15ULL + zc::hash_bytes(bytes);
  };
  const std::int64_t steps = 10'000 / game.spec().ticks_per_step;
  for (std::int64_t d = 0; d < steps; ++d) {
    for (std::size_t lane = 0; lane < lane_count; ++lane) {
      for (std::size_t role = 0; role < game.roles().size(); ++role)
        for (std::size_t seat = 0; seat < lanes.seats(role); ++seat)
          set_random_controls(lanes, role, lane * lanes.seats(role) + seat, random);
      lanes.step(lane);
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
    for (std::size_t role = 0; role < game.roles().size(); ++role) {
      mix(std::as_bytes(lanes.observations(role)));
      mix(std::as_bytes(lanes.rewards(role)));
    }
  }
  std::printf("%s: %s after %lld ticks of %zu lanes, %llu events\n", name.c_str(),
              zc::hex64(all).c_str(), static_cast<long long>(steps * game.spec().ticks_per_step),
              lane_count, static_cast<unsigned long long>(events));
}

}  // namespace

int main() {
  for (const auto& [name, lanes] : {std::pair{"barge", 4},
                                    {"basin", 4},
                                    {"breakwater", 4},
                                    {"flare", 4},
                                    {"kelpdive", 2},
                                    {"lanternboat", 4},
                                    {"locks", 4},
                                    {"mooring", 16},
                                    {"fogbank", 4},
                                    {"narrows", 4},
                                    {"salvage", 4},
                                    {"skerries", 1},
                                    {"tidepools", 4},
                                    {"towline", 4}})
    play(name, static_cast<std::size_t>(lanes));
}
