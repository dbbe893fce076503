#include "zithercraft/game/environment.hpp"

#include <algorithm>
#include <numeric>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/custom_batch.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {
namespace {

std::vector<std::vector<std::optional<std::size_t>>> masks_of(const Role& role) {
  std::vector<std::vector<std::optional<std::size_t>>> masks;
  for (const ControlInfo& control : role.controls) {
    auto& own = masks.emplace_back(control.options.size());
    for (std::size_t option = 0; option < own.size(); ++option) {
      const auto column =
          std::find_if(role.columns.begin(), role.columns.end(),
                       [&](const Column& c) { return is_mask_of(c, control, option); });
      if (column != role.columns.end())
        own[option] = static_cast<std::size_t>(column - role.columns.begin());
    }
  }
  return masks;
}

[[noreturn]] void no_snapshots() {
  throw Error(ErrorKind::refused, "the game cannot be stored and restored", "Environment",
              "begin its episodes again");
}

}  // namespace

std::string_view name_of(Outcome outcome) noexcept {
  switch (outcome) {
    case Outcome::running: return "running";
    case Outcome::success: return "success";
    case Outcome::failure: return "failure";
    case Outcome::cutoff: return "cutoff";
  }
  return "unknown";
}

std::string_view name_of(EndedBy ended_by) noexcept {
  switch (ended_by) {
    case EndedBy::nothing: return "nothing";
    case EndedBy::verdict: return "verdict";
    case EndedBy::time: return "time";
    case EndedBy::too_far: return "too far";
    case EndedBy::stall: return "stall";
    case EndedBy::repeats: return "repeats";
    case EndedBy::nobody_left: return "nobody left";
    case EndedBy::game: return "the game";
  }
  return "unknown";
}

Environment::Environment(Game game, std::size_t lanes) : game_(std::move(game)), lanes_(lanes) {
  for (Lane& lane : lanes_) {
    lane.stage = lane.next_stage = game_.stages() - 1;
    lane.events.reserve(64);
  }
  for (const Role& role : game_.roles()) {
    RoleIo io{role.seats.size(), role.columns.size(), role.controls.size(), role.terms.size()};
    const std::size_t rows = lanes * io.seats;
    io.observations = AlignedBuffer<float>(rows * io.columns);
    io.controls = AlignedBuffer<float>(rows * io.controls_each);
    io.rewards = AlignedBuffer<float>(rows);
    io.by_term = AlignedBuffer<float>(rows * io.terms);
    io.ledger.resize(rows * io.terms);
    io.present.assign(rows, 1);
    io.by_expert.resize(rows);
    io.masks = masks_of(role);
    io_.push_back(std::move(io));
  }
}

void Environment::begin(std::size_t lane, EpisodeKey key, std::size_t worker) {
  const LaneStart start{lane, key};
  begin_lanes({&start, 1}, worker);
}

// Copies of a game that is played elsewhere go on together: one message tells many.

void Environment::begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode) {
  prepare(pool.threads());
  const auto start = [&](std::size_t lane) {
    return LaneStart{lane, {seed, static_cast<std::uint32_t>(lane), episode}};
  };
  if (copies_of(game_)) {
    std::vector<LaneStart> starts;
    for (std::size_t lane = 0; lane < count(); ++lane) starts.push_back(start(lane));
    return begin_lanes(starts);
  }
  pool.run(count(), [&](std::size_t lane, std::size_t worker) {
    const LaneStart one = start(lane);
    begin_lanes({&one, 1}, worker);
  });
}

void Environment::step_all(WorkerPool& pool) {
  prepare(pool.threads());
  if (copies_of(game_)) {
    std::vector<std::size_t> running;
    for (std::size_t lane = 0; lane < count(); ++lane)
      if (outcome(lane) == Outcome::running) running.push_back(lane);
    if (!running.empty()) step_lanes(running);
    return;
  }
  pool.run(count(), [&](std::size_t lane, std::size_t worker) {
    if (outcome(lane) == Outcome::running) step(lane, worker);
  });
}

void Environment::renew_all(WorkerPool& pool) {
  prepare(pool.threads());
  const auto next = [&](std::size_t lane) {
    EpisodeKey key = this->key(lane);
    ++key.episode;
    return LaneStart{lane, key};
  };
  if (copies_of(game_)) {
    std::vector<LaneStart> starts;
    for (std::size_t lane = 0; lane < count(); ++lane)
      if (outcome(lane) != Outcome::running) starts.push_back(next(lane));
    if (!starts.empty()) begin_lanes(starts);
    return;
  }
  pool.run(count(), [&](std::size_t lane, std::size_t worker) {
    if (outcome(lane) == Outcome::running) return;
    const LaneStart one = next(lane);
    begin_lanes({&one, 1}, worker);
  });
}

double Environment::episode_return(std::size_t role, std::size_t row) const noexcept {
  const auto terms = ledger(role, row);
  return std::accumulate(terms.begin(), terms.end(), 0.0);
}

std::array<float, 3> Environment::place(std::size_t, std::size_t) const { return {}; }
void Environment::draw(std::size_t, std::vector<Overlay>&) const {}
bool Environment::expert(std::size_t, std::size_t, std::span<float>) const { return false; }
void Environment::append_snapshot(std::size_t, std::vector<std::byte>&) const { no_snapshots(); }
std::size_t Environment::restore_snapshot(std::size_t, std::size_t, std::span<const std::byte>,
                                          std::size_t) {
  no_snapshots();
}
std::span<const std::byte> Environment::recorded(std::size_t) const { return {}; }

std::optional<std::size_t> copies_of(const Game& game) {
  const auto& custom = game.spec().custom;
  if (!custom || !custom->host.function()) return {};
  return custom->host.function()()->copies();
}

std::size_t lanes_within(const Game& game, std::size_t wanted) {
  return std::max<std::size_t>(1, std::min(wanted, copies_of(game).value_or(wanted)));
}

std::unique_ptr<Environment> make_environment(const Game& game, std::size_t lanes,
                                              std::size_t workers) {
  return std::make_unique<Lanes>(game, lanes, workers);
}

}  // namespace zithercraft
