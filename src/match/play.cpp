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

// Takes down how episodes ended.
struct Results final : Onlooker {
  Results(const Game& game, std::size_t episodes, WorkCount* count) : progress(count) {
    for (const Role& role : game.roles()) by_role.emplace_back(episodes * role.seats.size());
  }
  void decided(Environment&, std::size_t) override {}
  void stepped(const Environment&, std::size_t) override {}
  void ended(const Environment& lanes, std::size_t lane, std::size_t episode) override {
    for (std::size_t role = 0; role < by_role.size(); ++role)
      for (std::size_t seat = 0; seat < lanes.seats(role); ++seat)
        by_role[role][episode * lanes.seats(role) + seat] =
            episode_result(lanes, role, lane * lanes.seats(role) + seat);
    if (progress != nullptr) progress->add();
  }

  std::vector<std::vector<EpisodeResult>> by_role{};
  WorkCount* progress;
};

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
  std::vector<EpisodeKey> keys;
  for (std::uint32_t episode = 0; episode < static_cast<std::uint32_t>(episodes); ++episode)
    keys.push_back({seed, 0, episode});
  Results results(game, keys.size(), progress);
  play_watched(game, players, keys, pool, results);
  return std::move(results.by_role);
}

void play_watched(const Game& game, const std::vector<const Player*>& players,
                  std::span<const EpisodeKey> episodes, WorkerPool& pool, Onlooker& onlooker) {
  const std::size_t total = episodes.size(),
                    count = lanes_within(game, std::min(total, most_lanes));
  const auto environment = make_environment(game, count, pool.threads());
  Environment& lanes = *environment;
  std::vector<std::size_t> played(count);  // which episode is played in each lane
  std::vector<std::vector<std::unique_ptr<Player>>> copies(pool.threads());
  for (auto& own : copies)
    for (const Player* player : players) own.push_back(player->copy());

  const auto start = [&](std::size_t lane, std::size_t episode) {
    played[lane] = episode;
    return LaneStart{lane, episodes[episode]};
  };
  // Lane k plays episodes k, k + count, k + 2 count, ...
  const auto play_group = [&](std::size_t group, std::size_t worker) {
    const std::size_t first = group * lanes_per_group, n = std::min(lanes_per_group, count - first);
    std::vector<std::size_t> running;
    std::vector<LaneStart> starts;
    for (std::size_t lane = first; lane < std::min(first + n, total); ++lane) {
      running.push_back(lane);
      starts.push_back(start(lane, lane));
    }
    lanes.begin_lanes(starts, worker);
    while (!running.empty()) {
      for (std::size_t role = 0; role < players.size(); ++role)
        copies[worker][role]->decide(lanes, role, first, n);
      for (const std::size_t lane : running) onlooker.decided(lanes, lane);
      lanes.step_lanes(running, worker);
      starts.clear();
      std::erase_if(running, [&](std::size_t lane) {
        onlooker.stepped(lanes, lane);
        if (lanes.outcome(lane) == Outcome::running) return false;
        onlooker.ended(lanes, lane, played[lane]);
        const std::size_t next = played[lane] + count;
        if (next < total) starts.push_back(start(lane, next));
        return next >= total;
      });
      lanes.begin_lanes(starts, worker);
    }
  };
  pool.run((count + lanes_per_group - 1) / lanes_per_group, play_group);
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
