// What recording a match costs, and how fast a long replay is opened and sought through.

#include <benchmark/benchmark.h>
#include <time.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <filesystem>

#include "zithercraft/zithercraft.hpp"

namespace {

using namespace zithercraft;

std::filesystem::path scratch(const char* name) {
  return std::filesystem::temp_directory_path() / (name + std::to_string(::getpid()) + ".zrep");
}

Game demo(const char* name) {
  return Game(load_game(std::string(ZITHERCRAFT_DEMOS) + "/" + name + ".toml"));
}

// One lane of mooring that is steered by its script, in turns without and with a recorder looking
// on: the median share of time that recording adds, by the clock and by the playing thread's
// processor time.
void recording_share(benchmark::State& state) {
  using Clock = std::chrono::steady_clock;
  const Game game = demo("mooring");
  const auto player = script_player(game, 0);
  const auto file = scratch("bench-recording");
  std::vector<double> by_clock, by_processor;
  {
    ReplayWriter writer(file, game, {"mooring", to_toml(game.spec()), {"script"}, 0, "0"});
    Lanes lanes(game, 1);
    const auto slice = [&](bool recorded) {
      lanes.begin(0, {1, 0, 0});  // the same episodes in each slice
      if (recorded) writer.add(lanes, 0);
      std::uint32_t episode = 0;
      for (int d = 0; d < 2000; ++d) {
        player->decide(lanes, 0, 0, 1);
        lanes.step(0);
        if (recorded) writer.add(lanes, 0);
        if (lanes.outcome(0) == Outcome::running) continue;
        lanes.begin(0, {1, 0, ++episode});
        if (recorded) writer.add(lanes, 0);
      }
    };
    const auto processor = [] {
      timespec t{};
      ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
      return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
    };
    for (auto _ : state) {
      double seconds[2], used[2];
      for (const int recorded : {0, 1}) {
        const auto start = Clock::now();
        const double before = processor();
        slice(recorded == 1);
        used[recorded] = processor() - before;
        seconds[recorded] = std::chrono::duration<double>(Clock::now() - start).count();
      }
      by_clock.push_back(seconds[1] / seconds[0] - 1.0);
      by_processor.push_back(used[1] / used[0] - 1.0);
    }
    writer.finish();
  }
  const auto median = [](std::vector<double>& list) {
    std::nth_element(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(list.size() / 2),
                     list.end());
    return list[list.size() / 2];
  };
  state.counters["clock_percent"] = 100 * median(by_clock);
  state.counters["processor_percent"] = 100 * median(by_processor);
  std::filesystem::remove(file);
}
BENCHMARK(recording_share)->MinTime(6.0)->Unit(benchmark::kMillisecond);

// An hour of mooring: 18,000 steps.
std::filesystem::path an_hour() {
  static const std::filesystem::path file = [] {
    const auto name = scratch("bench-hour");
    const Game game = demo("mooring");
    const auto player = random_player();
    ReplayWriter writer(name, game, {"mooring", to_toml(game.spec()), {"random"}, 0, "0"});
    std::int64_t steps = 0;
    for (std::uint32_t episode = 0; steps < 18'000; ++episode)
      play_one(game, {player.get()}, {1, 0, episode}, [&](const Environment& lanes) {
        writer.add(lanes, 0);
        ++steps;
      });
    writer.finish();
    return name;
  }();
  return file;
}

// From nothing to a moment in the middle of an hour.
void open_and_seek(benchmark::State& state) {
  const auto file = an_hour();
  std::size_t bytes = 0;
  for (auto _ : state) {
    Replay replay(file);
    benchmark::DoNotOptimize(replay.moment(replay.episodes().size() / 2, 1).state.data());
    bytes = replay.bytes();
  }
  state.counters["bytes_per_minute"] = static_cast<double>(bytes) / 60.0;
}
BENCHMARK(open_and_seek)->Unit(benchmark::kMillisecond);

void seek(benchmark::State& state) {
  Replay replay(an_hour());
  std::size_t at = 0;
  for (auto _ : state) {
    at = (at + 7919) % replay.episodes().size();
    benchmark::DoNotOptimize(replay.moment(at, replay.episodes()[at].moments - 1).state.data());
  }
}
BENCHMARK(seek)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
