#include "zithercraft/game/lanes.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

#include "plan.hpp"
#include "rewards.hpp"
#include "sense.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

Books& books(const GamePlan& plan, std::byte* block) { return *reinterpret_cast<Books*>(block + plan.books_offset); }
const Books& books(const GamePlan& plan, const std::byte* block) {
  return *reinterpret_cast<const Books*>(block + plan.books_offset);
}

std::span<double> ledger_of(const RolePlan& role, std::byte* block, std::size_t seat) {
  return {reinterpret_cast<double*>(block + role.ledger_offset) + seat * role.terms.size(), role.terms.size()};
}

std::span<Distance> distances_of(const RolePlan& role, std::byte* block, std::size_t seat) {
  return {reinterpret_cast<Distance*>(block + role.progress_offset) + seat * role.progress_slots, role.progress_slots};
}

std::size_t most_rays(const GamePlan& plan) {
  std::size_t most = 0;
  for (const RolePlan& role : plan.role_plans)
    for (const SensePlan& part : role.senses)
      if (const auto* fan = std::get_if<FanPlan>(&part)) most = std::max(most, fan->rays);
  return most;
}

std::size_t largest_window(const GamePlan& plan) {
  std::size_t most = 0;
  for (const RolePlan& role : plan.role_plans)
    for (const SensePlan& part : role.senses)
      if (const auto* window = std::get_if<WindowPlan>(&part)) most = std::max(most, window->cells());
  return most;
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

Lanes::Lanes(Game game, std::size_t count, std::size_t workers) : game_(std::move(game)), count_(count) {
  const GamePlan& plan = game_.plan();
  // Lanes start on cache lines of their own, so that threads do not disturb each other.
  stride_ = (plan.block_bytes + AlignedBuffer<std::byte>::alignment - 1) / AlignedBuffer<std::byte>::alignment *
            AlignedBuffer<std::byte>::alignment;
  states_ = AlignedBuffer<std::byte>(stride_ * count_);
  for (std::size_t r = 0; r < plan.roles.size(); ++r) {
    const Role& role = plan.roles[r];
    const std::size_t n = rows(r);
    io_.push_back({AlignedBuffer<float>(n * role.columns.size()), AlignedBuffer<float>(n * role.controls.size()),
                   AlignedBuffer<float>(n), AlignedBuffer<float>(n * role.terms.size())});
  }
  events_.resize(count_);
  for (auto& list : events_) list.reserve(64);
  make_room(std::max<std::size_t>(1, workers));
}

void Lanes::make_room(std::size_t workers) {
  const std::size_t rays = most_rays(game_.plan()), cells = largest_window(game_.plan());
  while (workers_.size() < workers) {
    Worker& worker = workers_.emplace_back();
    worker.ray_x.resize(rays);
    worker.ray_y.resize(rays);
    worker.ray_z.resize(rays);
    worker.ray_distance.resize(rays);
    worker.ray_entity.resize(rays);
    worker.cells.resize(cells);
  }
}

void Lanes::begin(std::size_t lane, EpisodeKey key, std::size_t worker) {
  const GamePlan& plan = game_.plan();
  std::byte* state = block(lane);
  std::memset(state + plan.arena.state_bytes(), 0, plan.block_bytes - plan.arena.state_bytes());
  plan.arena.begin(state, key.seed, key.lane, key.episode, workers_[worker].scratch);
  open_books(lane, key, worker);
}

void Lanes::open_books(std::size_t lane, EpisodeKey key, std::size_t worker) {
  const GamePlan& plan = game_.plan();
  std::byte* state = block(lane);
  books(plan, state).key = key;
  events_[lane].clear();
  for (std::size_t r = 0; r < plan.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat)
      begin_progress(plan.role_plans[r], SeatView(*this, lane, r, seat), distances_of(plan.role_plans[r], state, seat));
  sense(lane, worker);
}

void Lanes::advance(std::size_t lane, std::size_t worker) {
  const GamePlan& plan = game_.plan();
  Books& book = books(plan, block(lane));
  apply_controls(lane);
  events_[lane].clear();
  for (std::int64_t tick = 0; tick < plan.spec.think_every; ++tick)
    plan.arena.tick(block(lane), workers_[worker].scratch, events_[lane]);
  ++book.decisions;
  pay(lane);
  sense(lane, worker);
}

void Lanes::play_ticks(std::size_t lane, const std::function<void()>& after_tick, std::size_t worker) {
  apply_controls(lane);
  events_[lane].clear();
  for (std::int64_t tick = 0; tick < game_.spec().think_every; ++tick) {
    game_.arena().tick(block(lane), workers_[worker].scratch, events_[lane]);
    after_tick();
  }
}

void Lanes::apply_controls(std::size_t lane) {
  const GamePlan& plan = game_.plan();
  for (std::size_t r = 0; r < plan.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const auto given = control(r, lane * seats(r) + seat);
      const auto inputs = plan.arena.inputs(block(lane), plan.roles[r].seats[seat]);
      for (std::size_t c = 0; c < given.size(); ++c) {
        const ControlPlan& control_plan = plan.role_plans[r].controls[c];
        const float value = given[c];
        if (!std::isfinite(value))
          throw Error(Fault::numbers, "the control '" + plan.roles[r].controls[c].name + "' is not a finite number",
                      "role '" + plan.roles[r].name + "'", "look at the pilot that gives it");
        const auto& driven = control_plan.inputs;
        if (control_plan.options == 0) {
          inputs[driven.front()] = std::clamp(value, control_plan.low, control_plan.high);
          continue;
        }
        const auto option =
            static_cast<std::size_t>(std::clamp(value, 0.0f, static_cast<float>(control_plan.options - 1)));
        for (std::size_t i = 0; i < driven.size(); ++i)
          inputs[driven[i]] = control_plan.option_values[option * driven.size() + i];
      }
    }
}

void Lanes::pay(std::size_t lane) {
  const GamePlan& plan = game_.plan();
  std::byte* state = block(lane);
  Books& book = books(plan, state);
  Verdict verdict = Verdict::none;
  for (std::size_t r = 0; r < plan.roles.size(); ++r) {
    const RolePlan& role = plan.role_plans[r];
    const std::size_t terms = role.terms.size();
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t row = lane * seats(r) + seat;
      const std::span<float> paid{io_[r].payments.data() + row * terms, terms};
      const Verdict own = pay_seat(role, SeatView(*this, lane, r, seat), distances_of(role, state, seat), paid);
      if (own != Verdict::none && verdict != Verdict::failure) verdict = own;
      const auto ledger = ledger_of(role, state, seat);
      for (std::size_t t = 0; t < terms; ++t) ledger[t] += static_cast<double>(paid[t]);
      io_[r].rewards[row] = std::accumulate(paid.begin(), paid.end(), 0.0f);
    }
  }
  if (verdict != Verdict::none) {
    book.outcome = verdict == Verdict::success ? Outcome::success : Outcome::failure;
  } else if (book.decisions >= static_cast<std::uint32_t>(plan.spec.cutoffs.decisions) || nobody_left(lane)) {
    book.outcome = Outcome::cutoff;
  }
  if (book.outcome == Outcome::running) return;
  const EventKind kind = book.outcome == Outcome::success   ? EventKind::success
                         : book.outcome == Outcome::failure ? EventKind::failure
                                                            : EventKind::cutoff;
  events_[lane].push_back({.tick = plan.arena.ticks(state), .kind = kind});
}

bool Lanes::nobody_left(std::size_t lane) const {
  for (std::size_t r = 0; r < game_.roles().size(); ++r)
    for (const std::size_t body : game_.roles()[r].seats)
      if (game_.arena().present(block(lane), body) || game_.arena().returns(body)) return false;
  return true;
}

void Lanes::sense(std::size_t lane, std::size_t worker) {
  const GamePlan& plan = game_.plan();
  Worker& w = workers_[worker];
  const RayRoom room{w.ray_x, w.ray_y, w.ray_z, w.ray_distance, w.ray_entity, w.cells};
  for (std::size_t r = 0; r < plan.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t columns = plan.roles[r].columns.size(), row = lane * seats(r) + seat;
      sense_seat(plan, plan.role_plans[r], SeatView(*this, lane, r, seat), room,
                 {io_[r].observations.data() + row * columns, columns});
    }
}

void Lanes::begin_all(WorkerPool& pool, std::uint64_t seed, std::uint32_t episode) {
  make_room(pool.threads());
  pool.run(count_, [&](std::size_t lane, std::size_t worker) {
    begin(lane, {seed, static_cast<std::uint32_t>(lane), episode}, worker);
  });
}

void Lanes::advance_all(WorkerPool& pool) {
  make_room(pool.threads());
  pool.run(count_, [&](std::size_t lane, std::size_t worker) {
    if (outcome(lane) == Outcome::running) advance(lane, worker);
  });
}

void Lanes::renew_all(WorkerPool& pool) {
  make_room(pool.threads());
  pool.run(count_, [&](std::size_t lane, std::size_t worker) {
    if (outcome(lane) == Outcome::running) return;
    EpisodeKey next = key(lane);
    ++next.episode;
    begin(lane, next, worker);
  });
}

std::span<const float> Lanes::observation(std::size_t role, std::size_t row) const noexcept {
  const std::size_t columns = game_.roles()[role].columns.size();
  return {io_[role].observations.data() + row * columns, columns};
}

std::span<float> Lanes::control(std::size_t role, std::size_t row) noexcept {
  const std::size_t controls = game_.roles()[role].controls.size();
  return {io_[role].controls.data() + row * controls, controls};
}

std::span<const float> Lanes::payments(std::size_t role, std::size_t row) const noexcept {
  const std::size_t terms = game_.roles()[role].terms.size();
  return {io_[role].payments.data() + row * terms, terms};
}

std::span<const double> Lanes::ledger(std::size_t role, std::size_t row) const noexcept {
  auto* state = const_cast<std::byte*>(block(row / seats(role)));
  return ledger_of(game_.plan().role_plans[role], state, row % seats(role));
}

double Lanes::episode_return(std::size_t role, std::size_t row) const noexcept {
  const auto terms = ledger(role, row);
  return std::accumulate(terms.begin(), terms.end(), 0.0);
}

Outcome Lanes::outcome(std::size_t lane) const noexcept { return books(game_.plan(), block(lane)).outcome; }
std::uint32_t Lanes::decisions(std::size_t lane) const noexcept { return books(game_.plan(), block(lane)).decisions; }
EpisodeKey Lanes::key(std::size_t lane) const noexcept { return books(game_.plan(), block(lane)).key; }

std::span<const std::byte> Lanes::state(std::size_t lane) const noexcept {
  return {block(lane), game_.plan().block_bytes};
}
std::byte* Lanes::arena_state(std::size_t lane) noexcept { return block(lane); }
const std::byte* Lanes::arena_state(std::size_t lane) const noexcept { return block(lane); }

void Lanes::restore(std::size_t lane, std::span<const std::byte> snapshot, std::size_t worker) {
  if (snapshot.size() != game_.plan().block_bytes)
    throw Error(Fault::refused,
                "the snapshot has " + std::to_string(snapshot.size()) + " bytes, this game's states have " +
                    std::to_string(game_.plan().block_bytes),
                "Lanes::restore", "use snapshots of the same game only");
  std::memcpy(block(lane), snapshot.data(), snapshot.size());
  events_[lane].clear();
  sense(lane, worker);
}

void Lanes::begin_from(std::size_t lane, EpisodeKey key, std::span<const std::byte> arena_snapshot,
                       std::size_t worker) {
  const GamePlan& plan = game_.plan();
  if (arena_snapshot.size() < plan.arena.state_bytes())
    throw Error(Fault::refused,
                "the snapshot has " + std::to_string(arena_snapshot.size()) + " bytes, this arena's states have " +
                    std::to_string(plan.arena.state_bytes()),
                "Lanes::begin_from", "use snapshots of the same game only");
  std::byte* state = block(lane);
  std::memset(state, 0, plan.block_bytes);
  std::memcpy(state, arena_snapshot.data(), plan.arena.state_bytes());
  plan.arena.rekey(state, key.seed, key.lane, key.episode);
  open_books(lane, key, worker);
}

}  // namespace zithercraft
