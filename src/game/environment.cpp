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
      const std::string name = mask_column(control.name, control.options[option]);
      const auto column =
          std::find_if(role.columns.begin(), role.columns.end(),
                       [&](const Column& c) { return c.unit == mask_unit && c.name == name; });
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
void Environment::for_lanes(
    WorkerPool& pool, const std::function<void(std::span<const std::size_t>, std::size_t)>& use) {
  prepare(pool.threads());
  std::vector<std::size_t> all(count());
  std::iota(all.begin(), all.end(), std::size_t{0});
  const std::size_t together = copies_of(game_) ? count() : 1;
  pool.run((count() + together - 1) / together, [&](std::size_t part, std::size_t worker) {
    use(std::span(all).subspan(part * together, std::min(together, count() - part * together)),
        worker);
  });
}

void Environment::begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode) {
  for_lanes(pool, [&](std::span<const std::size_t> lanes, std::size_t worker) {
    std::vector<LaneStart> starts;
    for (const std::size_t lane : lanes)
      starts.push_back({lane, {seed, static_cast<std::uint32_t>(lane), episode}});
    begin_lanes(starts, worker);
  });
}

void Environment::step_all(WorkerPool& pool) {
  for_lanes(pool, [&](std::span<const std::size_t> lanes, std::size_t worker) {
    if (lanes.size() == 1) {
      if (outcome(lanes.front()) == Outcome::running) step(lanes.front(), worker);
      return;
    }
    std::vector<std::size_t> running;
    for (const std::size_t lane : lanes)
      if (outcome(lane) == Outcome::running) running.push_back(lane);
    if (!running.empty()) step_lanes(running, worker);
  });
}

void Environment::renew_all(WorkerPool& pool) {
  for_lanes(pool, [&](std::span<const std::size_t> lanes, std::size_t worker) {
    std::vector<LaneStart> starts;
    for (const std::size_t lane : lanes) {
      if (outcome(lane) == Outcome::running) continue;
      EpisodeKey next = key(lane);
      ++next.episode;
      starts.push_back({lane, next});
    }
    if (!starts.empty()) begin_lanes(starts, worker);
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
