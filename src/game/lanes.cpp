#include "zithercraft/game/lanes.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "game/controls.hpp"
#include "game/custom_lanes.hpp"
#include "game/cutoffs.hpp"
#include "game/lane_block.hpp"
#include "game/lane_worker.hpp"
#include "game/plan.hpp"
#include "game/rewards.hpp"
#include "game/rules.hpp"
#include "game/sense.hpp"
#include "game/targets.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
using namespace game_internal;
namespace {

// An episode ends by one verdict: that of the first role's side.
Verdict for_first_role(Verdict verdict, const Role& of, const Role& first) {
  if (verdict == Verdict::none || !opposed(of, first)) return verdict;
  return verdict == Verdict::success ? Verdict::failure : Verdict::success;
}

}  // namespace

Lanes::Lanes(Game game, std::size_t count, std::size_t workers)
    : Environment(std::move(game), count) {
  std::size_t bytes = 0;
  for (std::size_t stage = 0; stage < game_.stages(); ++stage) {
    stages_.push_back(game_.stage(stage));
    bytes = std::max(bytes, stages_.back().plan().block_bytes);
  }
  starts_.resize(stages_.size());
  // Lanes start on cache lines of their own, so that threads do not disturb each other.
  stride_ = (bytes + AlignedBuffer<std::byte>::alignment - 1) /
            AlignedBuffer<std::byte>::alignment * AlignedBuffer<std::byte>::alignment;
  states_ = AlignedBuffer<std::byte>(stride_ * count);
  const GamePlan& plan = game_.plan();
  for (std::size_t r = 0; r < plan.roles.size(); ++r)
    scratch_.push_back({AlignedBuffer<float>(rows(r) * plan.roles[r].terms.size()),
                        AlignedBuffer<float>(rows(r) * (plan.role_plans[r].inputs + 2))});
  if (game_.spec().custom) custom_ = std::make_unique<CustomLanes>(game_, count);
  prepare(std::max<std::size_t>(1, workers));
}

Lanes::~Lanes() = default;
Lanes::Lanes(Lanes&&) noexcept = default;

EnvironmentAbilities Lanes::abilities() const noexcept {
  if (!custom_) return {.deterministic = true, .snapshots = true, .events = true, .drawing = true};
  const CustomGameSpec& custom = *game_.spec().custom;
  return {.deterministic = custom.deterministic,
          .snapshots = custom_->returns(0),
          .events = !custom.events.empty(),
          .drawing = custom.frame.has_value(),
          .expert = custom.expert};
}

void Lanes::prepare(std::size_t workers) {
  while (workers_.size() < workers) workers_.push_back(std::make_unique<Worker>(game_.plan()));
}

void Lanes::set_stage(std::size_t lane, std::size_t stage) {
  if (stage >= stages_.size())
    throw Error(ErrorKind::refused, "the game has no stage " + std::to_string(stage), "Lanes",
                "use snapshots of the same game only");
  if (stage != lanes_[lane].stage) std::memset(block(lane), 0, stride_);
  lanes_[lane].stage = lanes_[lane].next_stage = stage;
}

void Lanes::set_starts(std::size_t stage, std::vector<std::vector<std::byte>> arena_states,
                       double share) {
  refuse_custom("Lanes::set_starts");
  for (const auto& state : arena_states)
    if (state.size() != stages_[stage].arena().state_bytes())
      throw Error(ErrorKind::refused,
                  "recorded moments have " + std::to_string(state.size()) +
                      " bytes, states of the stage's arena have " +
                      std::to_string(stages_[stage].arena().state_bytes()),
                  "stage '" + game_.stage_name(stage) + "'",
                  "record them in the game as it is on that stage");
  starts_[stage] = {std::move(arena_states), share};
}

void Lanes::begin_lanes(std::span<const LaneStart> starts, std::size_t worker) {
  if (custom_ && custom_->batch() != nullptr) return begin_batch(starts, worker);
  for (const LaneStart& start : starts)
    in_lane(start.lane, [&] { begin_one(start.lane, start.key, worker); });
}

void Lanes::step_lanes(std::span<const std::size_t> lanes, std::size_t worker) {
  if (custom_ && custom_->batch() != nullptr) return step_batch(lanes, worker);
  for (const std::size_t lane : lanes) in_lane(lane, [&] { step_one(lane, worker); });
}

void Lanes::begin_one(std::size_t lane, EpisodeKey key, std::size_t worker) {
  // A state of another arena is no state at all.
  set_stage(lane, lanes_[lane].next_stage);
  const GamePlan& game = plan(lane);
  std::byte* state = block(lane);
  std::memset(state + game.arena.state_bytes(), 0, game.block_bytes - game.arena.state_bytes());
  if (custom_) {
    begin_custom(lane, key);
  } else if (!begin_recorded(lane, key)) {
    game.arena.begin(state, key.seed, key.lane, key.episode, workers_[worker]->scratch);
  } else {
    const auto& states = starts_[stage(lane)].states;
    RandomStream random(derived_seed(key.seed, "recorded start"), key.lane, key.episode,
                        Purpose::stage);
    const auto& start = states[random.below(static_cast<std::uint32_t>(states.size()))];
    std::memcpy(state, start.data(), start.size());
    game.arena.rekey(state, key.seed, key.lane, key.episode);
  }
  open_books(lane, key, worker);
}

bool Lanes::begin_recorded(std::size_t lane, EpisodeKey key) const {
  const Starts& starts = starts_[stage(lane)];
  if (starts.states.empty()) return false;
  RandomStream random(derived_seed(key.seed, "whether recorded"), key.lane, key.episode,
                      Purpose::stage);
  return static_cast<double>(random.uniform()) < starts.share;
}

void Lanes::open_books(std::size_t lane, EpisodeKey key, std::size_t worker) {
  const GamePlan& game = plan(lane);
  std::byte* state = block(lane);
  books(game, state).key = key;
  show(lane);
  lanes_[lane].events.clear();
  begin_cutoffs(game, state, cutoff_memory(game, state));
  carry_out_rules(lane, RuleMoment::begin, {.worker = worker, .last_tick = true});
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const auto given = given_to(game.role_plans[r], state, seat);
      std::copy(game.roles[r].rest.begin(), game.roles[r].rest.end(), given.begin());
      begin_terms(game.role_plans[r], SeatView(*this, lane, r, seat),
                  memory_of(game.role_plans[r], state, seat));
    }
  sense(lane, worker);
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat)
      fill_kept_columns(game.role_plans[r], observation(r, lane * seats(r) + seat),
                        kept_by(game.role_plans[r], state, seat));
  if (std::any_of(game.role_plans.begin(), game.role_plans.end(),
                  [](const RolePlan& r) { return r.kept_columns > 0; }))
    sense(lane, worker);
}

void Lanes::step_one(std::size_t lane, std::size_t worker) {
  const GamePlan& game = plan(lane);
  keep_senses(lane);
  if (custom_) ask_experts(lane);
  lanes_[lane].events.clear();
  read_controls(lane, worker);
  if (custom_) {
    fill_parts(lane);
    step_custom(lane);
  } else {
    for (std::int64_t tick = 0; tick < game.spec.ticks_per_step; ++tick)
      play_tick(lane, tick, worker);
  }
  finish_step(lane, worker);
}

void Lanes::finish_step(std::size_t lane, std::size_t worker) {
  lanes_[lane].steps = ++books(plan(lane), block(lane)).steps;
  pay(lane);
  sense(lane, worker);
}

void Lanes::play_ticks(std::size_t lane, const std::function<void()>& after_tick,
                       std::size_t worker) {
  refuse_custom("Lanes::play_ticks");
  lanes_[lane].events.clear();
  read_controls(lane, worker);
  for (std::int64_t tick = 0; tick < plan(lane).spec.ticks_per_step; ++tick) {
    play_tick(lane, tick, worker);
    after_tick();
  }
}

void Lanes::keep_senses(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    if (game.role_plans[r].kept_columns == 0) continue;
    for (std::size_t seat = 0; seat < seats(r); ++seat)
      keep_columns(game.role_plans[r], observation(r, lane * seats(r) + seat),
                   kept_by(game.role_plans[r], block(lane), seat));
  }
}

void Lanes::read_controls(std::size_t lane, std::size_t worker) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const std::size_t wishes = game.role_plans[r].inputs + 2;
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t row = lane * seats(r) + seat;
      const RolePlan& role = game.role_plans[r];
      const std::span<float> wished{scratch_[r].wishes.data() + row * wishes, wishes};
      const auto given = given_to(role, block(lane), seat);
      zithercraft::read_controls(game.roles[r], role, control(r, row), observation(r, row), given,
                                 wished);
      if (!role.targets.empty())
        choose_targets(role, SeatView(*this, lane, r, seat), given,
                       targets_of(role, block(lane), seat), workers_[worker]->senses, wished,
                       lanes_[lane].events);
    }
  }
}

void Lanes::play_tick(std::size_t lane, std::int64_t tick, std::size_t worker) {
  const GamePlan& game = plan(lane);
  std::byte* state = block(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const RolePlan& role = game.role_plans[r];
    if (tick > 0 && !role.paced) continue;
    const std::size_t wishes = role.inputs + 2;
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const EntityId body = game.roles[r].seats[seat];
      set_inputs(role, {scratch_[r].wishes.data() + (lane * seats(r) + seat) * wishes, wishes},
                 tick, role.moves.used() ? game.arena.pose(state, body) : Pose{},
                 game.arena.inputs(state, body));
    }
  }
  // Rules hear of the seats' targets before the first tick.
  const std::size_t first_event = tick == 0 ? 0 : lanes_[lane].events.size();
  game.arena.tick(state, workers_[worker]->scratch, lanes_[lane].events);
  carry_out_rules(lane, RuleMoment::tick,
                  {.worker = worker,
                   .first_event = first_event,
                   .last_tick = tick + 1 == game.spec.ticks_per_step});
}

// ---- Rules of the game's own

RuleLane Lanes::rule_lane(std::size_t lane, const RuleView::Moment& moment) {
  return {plan(lane), block(lane), lanes_[lane].events, moment.first_event,
          workers_[moment.worker]->scratch};
}

std::uint64_t Lanes::carried_out(std::size_t lane, std::size_t rule) const {
  const GamePlan& game = plan(lane);
  if (game.rules[rule].coded) return 0;
  return rule_memory(game, const_cast<std::byte*>(block(lane)))[game.rules[rule].memory];
}

void Lanes::carry_out_rules(std::size_t lane, RuleMoment when, const RuleView::Moment& moment) {
  const GamePlan& game = plan(lane);
  if (game.rules.empty()) return;
  if (when == RuleMoment::tick) bring_waiting(rule_lane(lane, moment));
  std::span<double> left = rule_numbers(game, block(lane)).subspan(first_rule_number);
  for (std::size_t i = 0; i < game.rules.size(); ++i) {
    if (!game.rules[i].coded) {
      carry_out(game.rules[i], rule_lane(lane, moment));
      continue;
    }
    const RuleSpec& rule = game.spec.rules[i];
    const auto& code = when == RuleMoment::begin ? rule.begin.function() : rule.tick.function();
    const auto own = left.first(static_cast<std::size_t>(rule.numbers));
    left = left.subspan(own.size());
    if (code) code(RuleView(*this, lane, own, moment));
  }
}

std::span<const float> Lanes::given(std::size_t role, std::size_t row) {
  const std::size_t lane = row / seats(role);
  return given_to(plan(lane).role_plans[role], block(lane), row % seats(role));
}

void Lanes::measure(std::size_t lane, Verdict& verdict) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const std::size_t terms = game.role_plans[r].terms.size();
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::span<float> amounts{scratch_[r].amounts.data() + (lane * seats(r) + seat) * terms,
                                     terms};
      const Verdict own = measure_terms(game.role_plans[r], SeatView(*this, lane, r, seat),
                                        memory_of(game.role_plans[r], block(lane), seat), amounts);
      if (own != Verdict::none && verdict != Verdict::failure)
        verdict = for_first_role(own, game.roles[r], game.roles[0]);
    }
  }
}

// The sum of a term over all seats of its scope, those of other roles with a term of the same name
// included; blended with its value for the seat itself.
float Lanes::shared_amount(std::size_t lane, std::size_t role, std::size_t seat,
                           std::size_t term) const {
  const GamePlan& game = plan(lane);
  const auto entities = game.arena.entities();
  const std::string& side = entities[game.roles[role].seats[seat].index()].side;
  const bool everyone = game.role_plans[role].terms[term].scope == Scope::everyone;
  float sum = 0.0f;
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const auto& names = game.roles[r].terms;
    const auto same = static_cast<std::size_t>(
        std::find(names.begin(), names.end(), game.roles[role].terms[term]) - names.begin());
    if (same == names.size()) continue;
    for (std::size_t s = 0; s < seats(r); ++s)
      if (everyone || entities[game.roles[r].seats[s].index()].side == side)
        sum += scratch_[r].amounts[(lane * seats(r) + s) * names.size() + same];
  }
  const float blend = game.role_plans[role].terms[term].blend;
  if (blend == 1.0f) return sum;
  const float own =
      scratch_[role].amounts[(lane * seats(role) + seat) * game.roles[role].terms.size() + term];
  return own + blend * (sum - own);
}

void Lanes::share_and_pay(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const RolePlan& role = game.role_plans[r];
    const std::size_t terms = role.terms.size();
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t row = lane * seats(r) + seat;
      const std::span<float> rewards{io_[r].by_term.data() + row * terms, terms};
      const auto ledger = ledger_of(role, block(lane), seat);
      double sum = 0.0;
      for (std::size_t t = 0; t < terms; ++t) {
        const float amount = role.terms[t].scope == Scope::self
                                 ? scratch_[r].amounts[row * terms + t]
                                 : shared_amount(lane, r, seat, t);
        rewards[t] = reward_of(role.terms[t], amount, ledger[t]);
        sum += static_cast<double>(rewards[t]);
      }
      check_term_rewards(SeatView(*this, lane, r, seat), rewards);
      for (std::size_t t = 0; t < terms; ++t) {
        ledger[t] += static_cast<double>(rewards[t]);
        io_[r].ledger[row * terms + t] = ledger[t];
      }
      io_[r].rewards[row] = static_cast<float>(sum);
    }
  }
}

std::uint32_t Lanes::ticks_so_far(std::size_t lane) const {
  const GamePlan& game = plan(lane);
  return custom_ ? lanes_[lane].steps * static_cast<std::uint32_t>(game.spec.ticks_per_step)
                 : game.arena.ticks(block(lane));
}

void Lanes::pay(std::size_t lane) {
  const GamePlan& game = plan(lane);
  std::byte* state = block(lane);
  Books& book = books(game, state);
  Verdict verdict = Verdict::none;
  measure(lane, verdict);
  if (custom_) verdict = custom_->told(lane).verdict;
  bool cut_off_by_rule = false;
  if (!game.rules.empty()) {
    const auto ruled = rule_numbers(game, state);
    const auto come_to = static_cast<Verdict>(static_cast<int>(ruled[rule_verdict]));
    if (come_to != Verdict::none && verdict != Verdict::failure) verdict = come_to;
    cut_off_by_rule = ruled[rule_cuts_off] != 0.0;
  }
  share_and_pay(lane);
  const EndedBy cutoff =
      cut_off(game, state, book.steps, lanes_[lane].events, cutoff_memory(game, state));
  if (verdict != Verdict::none) {
    book.outcome = verdict == Verdict::success ? Outcome::success : Outcome::failure;
    book.ended_by = EndedBy::verdict;
  } else if (cut_off_by_rule || (custom_ && custom_->told(lane).cut_off)) {
    book.outcome = Outcome::cutoff;
    book.ended_by = EndedBy::game;
  } else if (cutoff != EndedBy::nothing || nobody_left(lane)) {
    book.outcome = Outcome::cutoff;
    book.ended_by = cutoff == EndedBy::nothing ? EndedBy::nobody_left : cutoff;
  }
  lanes_[lane].outcome = book.outcome;
  lanes_[lane].ended_by = book.ended_by;
  if (book.outcome == Outcome::running) return;
  const EventKind kind = book.outcome == Outcome::success   ? EventKind::success
                         : book.outcome == Outcome::failure ? EventKind::failure
                                                            : EventKind::cutoff;
  lanes_[lane].events.push_back({.tick = ticks_so_far(lane),
                                 .kind = kind,
                                 .detail = static_cast<std::int32_t>(book.ended_by)});
}

bool Lanes::nobody_left(std::size_t lane) const {
  const Arena& arena = plan(lane).arena;
  const auto& all = plan(lane).seats;
  return std::none_of(all.begin(), all.end(), [&](EntityId body) {
    return arena.present(block(lane), body) || arena.returns(body);
  });
}

void Lanes::sense(std::size_t lane, std::size_t worker) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t columns = game.roles[r].columns.size(), row = lane * seats(r) + seat;
      const RolePlan& role = game.role_plans[r];
      io_[r].present[row] = game.arena.present(block(lane), game.roles[r].seats[seat]) ? 1 : 0;
      sense_seat(game, role, SeatView(*this, lane, r, seat),
                 {given_to(role, block(lane), seat), kept_by(role, block(lane), seat),
                  custom_ ? &custom_->game(lane) : nullptr, r, block(lane)},
                 workers_[worker]->senses, {io_[r].observations.data() + row * columns, columns});
    }
}

// Brings what the lane shows up to what its block says.
void Lanes::show(std::size_t lane) {
  const GamePlan& game = plan(lane);
  const Books& book = books(game, block(lane));
  Lane& shown = lanes_[lane];
  shown.key = book.key;
  shown.outcome = book.outcome;
  shown.ended_by = book.ended_by;
  shown.steps = book.steps;
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const auto ledger = ledger_of(game.role_plans[r], block(lane), seat);
      std::copy(ledger.begin(), ledger.end(),
                io_[r].ledger.begin() +
                    static_cast<std::ptrdiff_t>((lane * seats(r) + seat) * ledger.size()));
    }
}

std::array<float, 3> Lanes::place(std::size_t role, std::size_t row) const {
  const std::size_t lane = row / seats(role);
  if (custom_)
    return custom_->begun(lane) ? custom_->game(lane).place(role, row % seats(role))
                                : std::array<float, 3>{};
  const Pose pose = SeatView(*this, lane, role, row % seats(role)).pose();
  return {pose.x, pose.y, pose.z};
}

std::span<const std::byte> Lanes::state(std::size_t lane) const noexcept {
  return {block(lane), plan(lane).block_bytes};
}
std::byte* Lanes::arena_state(std::size_t lane) noexcept { return block(lane); }
const std::byte* Lanes::arena_state(std::size_t lane) const noexcept { return block(lane); }

void Lanes::restore(std::size_t lane, std::span<const std::byte> snapshot, std::size_t worker) {
  refuse_custom("Lanes::restore");
  if (snapshot.size() != plan(lane).block_bytes)
    throw Error(ErrorKind::refused,
                "the snapshot has " + std::to_string(snapshot.size()) +
                    " bytes, this game's states have " + std::to_string(plan(lane).block_bytes),
                "Lanes::restore", "use snapshots of the same game only");
  std::memcpy(block(lane), snapshot.data(), snapshot.size());
  show(lane);
  lanes_[lane].events.clear();
  sense(lane, worker);
}

void Lanes::append_snapshot(std::size_t lane, std::vector<std::byte>& out) const {
  if (custom_ && !custom_->returns(lane)) return Environment::append_snapshot(lane, out);
  const auto own = state(lane);
  out.insert(out.end(), own.begin(), own.end());
  if (custom_) append_custom(lane, out);
}

std::size_t Lanes::restore_snapshot(std::size_t lane, std::size_t stage,
                                    std::span<const std::byte> bytes, std::size_t worker) {
  set_stage(lane, stage);
  if (custom_) return restore_custom(lane, bytes, worker);
  const std::size_t size = plan(lane).block_bytes;
  restore(lane, bytes.first(std::min(size, bytes.size())), worker);
  return size;
}

std::span<const std::byte> Lanes::recorded(std::size_t lane) const {
  return {block(lane), plan(lane).arena.state_bytes()};
}

void Lanes::begin_from(std::size_t lane, EpisodeKey key, std::span<const std::byte> arena_snapshot,
                       std::size_t worker) {
  refuse_custom("Lanes::begin_from");
  const GamePlan& game = plan(lane);
  if (arena_snapshot.size() < game.arena.state_bytes())
    throw Error(ErrorKind::refused,
                "the snapshot has " + std::to_string(arena_snapshot.size()) +
                    " bytes, this arena's states have " + std::to_string(game.arena.state_bytes()),
                "Lanes::begin_from", "use snapshots of the same game only");
  std::byte* state = block(lane);
  std::memset(state, 0, game.block_bytes);
  std::memcpy(state, arena_snapshot.data(), game.arena.state_bytes());
  game.arena.rekey(state, key.seed, key.lane, key.episode);
  open_books(lane, key, worker);
}

const Lanes& lanes_of(const Environment& environment) {
  if (const auto* lanes = dynamic_cast<const Lanes*>(&environment)) return *lanes;
  throw Error(ErrorKind::usage, "the game is not played in an arena", "Lanes",
              "use what all environments have");
}
Lanes& lanes_of(Environment& environment) {
  return const_cast<Lanes&>(lanes_of(std::as_const(environment)));
}

}  // namespace zithercraft
