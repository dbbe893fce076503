#include "zithercraft/match/play.hpp"

#include <algorithm>
#include <utility>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/work_count.hpp"

namespace zithercraft {
namespace {

// Fixed sizes: which lanes share a block of the network must not depend on the number of threads.
constexpr std::size_t lanes_per_group = 32;
constexpr std::size_t most_lanes = 256;

}  // namespace

std::vector<EpisodeResult> play_episodes(const Game& game,
                                         const std::vector<const Player*>& players,
                                         std::int64_t episodes, std::uint64_t seed,
                                         WorkerPool& pool, WorkCount* progress) {
  return std::move(play_all_roles(game, players, episodes, seed, pool, progress).front());
}

std::vector<std::vector<EpisodeResult>> play_all_roles(const Game& game,
                                                       const std::vector<const Player*>& players,
                                                       std::int64_t episodes, std::uint64_t seed,
                                                       WorkerPool& pool, WorkCount* progress) {
  const auto total = static_cast<std::size_t>(episodes);
  const std::size_t count = lanes_within(game, std::min(total, most_lanes));
  const auto environment = make_environment(game, count, pool.threads());
  Environment& lanes = *environment;
  std::vector<std::vector<EpisodeResult>> results;
  for (std::size_t role = 0; role < game.roles().size(); ++role)
    results.emplace_back(total * lanes.seats(role));
  std::vector<std::vector<std::unique_ptr<Player>>> copies(pool.threads());
  for (auto& own : copies)
    for (const Player* player : players) own.push_back(player->copy());

  const auto start = [&](std::size_t lane, std::size_t episode) {
    return LaneStart{lane, {seed, 0, static_cast<std::uint32_t>(episode)}};
  };
  const auto finish = [&](std::size_t lane) {
    for (std::size_t role = 0; role < results.size(); ++role)
      for (std::size_t seat = 0; seat < lanes.seats(role); ++seat)
        results[role][lanes.key(lane).episode * lanes.seats(role) + seat] =
            episode_result(lanes, role, lane * lanes.seats(role) + seat);
    if (progress != nullptr) progress->add();
  };
  // Lane k plays episodes k, k + count, k + 2 count, ...
  const auto play_group = [&](std::size_t group, std::size_t worker) {
    const std::size_t first = group * lanes_per_group, n = std::min(lanes_per_group, count - first);
    std::vector<std::size_t> running;
    std::vector<LaneStart> starts;
    for (std::size_t lane = first; lane < first + n; ++lane) {
      running.push_back(lane);
      starts.push_back(start(lane, lane));
    }
    lanes.begin_lanes(starts, worker);
    while (!running.empty()) {
      for (std::size_t role = 0; role < players.size(); ++role)
        copies[worker][role]->decide(lanes, role, first, n);
      lanes.step_lanes(running, worker);
      starts.clear();
      std::erase_if(running, [&](std::size_t lane) {
        if (lanes.outcome(lane) == Outcome::running) return false;
        finish(lane);
        const std::size_t next = lanes.key(lane).episode + count;
        if (next < total) starts.push_back(start(lane, next));
        return next >= total;
      });
      lanes.begin_lanes(starts, worker);
    }
  };
  pool.run((count + lanes_per_group - 1) / lanes_per_group, play_group);
  return results;
}

void play_one(const Game& game, const std::vector<Player*>& players, EpisodeKey key,
              const std::function<void(const Environment&)>& moment) {
  const auto environment = make_environment(game, 1);
  environment->begin(0, key);
  if (!environment->idle(0)) moment(*environment);
  while (environment->outcome(0) == Outcome::running) {
    for (std::size_t role = 0; role < players.size(); ++role)
      players[role]->decide(*environment, role, 0, 1);
    environment->step(0);
    if (!environment->idle(0)) moment(*environment);
  }
}

}  // namespace zithercraft
