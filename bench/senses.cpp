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

// So many boats of one role and nothing else, adrift on 40 x 40 metres or on as many cells.
zc::Game crowd_of(std::int64_t boats, bool cells, const zc::Sense& sense) {
  zc::GameSpec game;
  game.name = "crowd";
  zc::BodySpec boat;
  boat.name = "boat";
  boat.count = boats;
  boat.motion = zc::Motion::free;
  boat.shape = zc::Disc{.radius = 0.3};
  boat.place = {.region = {0, 0, 40, 40}};
  boat.mover = zc::Walker{};
  if (cells) {
    boat.mover = zc::Stepper{};
    game.arena.cells =
        zc::CellsSpec{.kinds = {{.name = "water", .symbol = "."}}, .columns = 40, .rows = 40};
  }
  game.arena.bodies = {boat};
  zc::RoleSpec role;
  role.name = "boat";
  role.senses = {sense};
  role.controls = {
      cells ? zc::Control(zc::Choice{
                  .name = "go",
                  .options = {{.name = "wait"}, {.name = "on", .sets = {{"ahead", 1.0}}}}})
            : zc::Control(zc::Dial{.name = "ahead"})};
  game.roles = {role};
  game.cutoffs.steps = 100;
  return zc::Game(game);
}

void sense_in(benchmark::State& state, const zc::Game& game, const char* unit) {
  constexpr std::size_t lanes_count = 16;
  zc::Lanes lanes(game, lanes_count);
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

void sense(benchmark::State& state, const std::string& demo, const zc::Sense& what,
           const char* unit) {
  sense_in(state, demo_with(demo, what), unit);
}

void crowd(benchmark::State& state, std::int64_t boats, bool cells, std::int64_t nearest) {
  sense_in(state, crowd_of(boats, cells, zc::Crowd{.of = {"boat"}, .nearest = nearest}),
           "readings/s");
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
BENCHMARK_CAPTURE(crowd, of_11_nearest_8_flat, 12, false, 8);
BENCHMARK_CAPTURE(crowd, of_11_nearest_8_cells, 12, true, 8);
BENCHMARK_CAPTURE(crowd, of_128_nearest_16_flat, 129, false, 16);
BENCHMARK_CAPTURE(crowd, of_128_nearest_16_cells, 129, true, 16);

}  // namespace

BENCHMARK_MAIN();
