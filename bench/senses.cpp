// How fast roles sense. Run: build/release/bench/bench_senses
//
// Each benchmark senses with one sense alone, on one thread, by restoring lanes to a state: the
// copy of the state is part of what is timed. Counters: pictures/s, or readings/s (one seat's sense
// once).

#include <benchmark/benchmark.h>

#include <filesystem>
#include <string>
#include <vector>

#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zc = zithercraft;

namespace {

zc::Game demo_with(const std::string& demo, const zc::Sense& sense) {
  zc::GameSpec game = zc::load_game(std::filesystem::path(ZITHERCRAFT_DEMOS) / (demo + ".toml"));
  game.roles[0].senses = {sense};
  game.roles[0].script = {};
  game.stages.clear();
  return zc::Game(game);
}

void sense(benchmark::State& state, const std::string& demo, const zc::Sense& what,
           const char* unit) {
  constexpr std::size_t lanes_count = 16;
  zc::Lanes lanes(demo_with(demo, what), lanes_count);
  std::vector<std::vector<std::byte>> states;
  for (std::uint32_t lane = 0; lane < lanes_count; ++lane) {
    lanes.begin(lane, {1, lane, 0});
    states.emplace_back(lanes.state(lane).begin(), lanes.state(lane).end());
  }
  std::size_t lane = 0;
  for (auto _ : state) {
    lanes.restore(lane, states[lane]);
    benchmark::DoNotOptimize(lanes.observations(0).data());
    lane = (lane + 1) % lanes_count;
  }
  state.counters[unit] = benchmark::Counter(
      static_cast<double>(state.iterations()) * static_cast<double>(lanes.seats(0)),
      benchmark::Counter::kIsRate);
}

const zc::Camera map{.width = 84, .height = 84, .across = 20},
    colours{.width = 84, .height = 84, .across = 20, .grey = false},
    eyes{.from = zc::CameraFrom::eyes, .width = 84, .height = 84, .arc = 80, .reach = 20};

BENCHMARK_CAPTURE(sense, map_84x84_grey_cells, "tidepools", map, "pictures/s");
BENCHMARK_CAPTURE(sense, map_84x84_colours_cells, "tidepools", colours, "pictures/s");
BENCHMARK_CAPTURE(sense, map_84x84_grey_flat, "mooring", map, "pictures/s");
BENCHMARK_CAPTURE(sense, map_84x84_grey_blocks, "kelpdive", map, "pictures/s");
BENCHMARK_CAPTURE(sense, eyes_84x84_grey_cells, "tidepools", eyes, "pictures/s");
BENCHMARK_CAPTURE(sense, eyes_84x84_grey_blocks, "kelpdive", eyes, "pictures/s");
BENCHMARK_CAPTURE(sense, rays_24_first, "mooring", (zc::RayFan{.sees = {"quay", "hull", "berth"}}),
                  "readings/s");
BENCHMARK_CAPTURE(sense, rays_24_each_tag, "mooring",
                  (zc::RayFan{.sees = {"quay", "hull", "berth"},
                              .reports = zc::RayReport::each_tag}),
                  "readings/s");
BENCHMARK_CAPTURE(sense, hazards_8, "tidepools", (zc::Hazards{.moves = 8}), "readings/s");
BENCHMARK_CAPTURE(sense, crowd_8_of_11, "lanternboat", (zc::Crowd{.of = {"blocker", "lantern"}}),
                  "readings/s");

}  // namespace

BENCHMARK_MAIN();
