#include "learn/values/off_policy.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <utility>

#include "learn/play/machine_memory.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;

namespace {

Experience experience_for(const Role& role, std::size_t rows, const OffPolicySettings& settings,
                          const KeptBesides& besides) {
  const auto steps = static_cast<std::size_t>(*settings.experience);
  const auto wanted = static_cast<double>(Experience::bytes_for(role, steps, besides));
  const double fitting = 0.5 * machine_memory() / wanted * static_cast<double>(steps);
  check_memory(wanted, "keeping " + std::to_string(steps) + " steps", "learner.experience",
               "keep fewer: experience=" + std::to_string(std::llround(fitting)));
  return Experience(role, rows, steps, besides);
}

}  // namespace

TrainingSettings training_settings(const OffPolicySettings& s, const std::string& method) {
  return {.method = method,
          .lanes = static_cast<std::size_t>(*s.lanes),
          .horizon = static_cast<std::size_t>(*s.horizon),
          // Few rows are played at a time, so threads share them out in small groups.
          .rows_together = 8,
          .roster = {true, *s.against_past, *s.against_hardest, *s.snapshot_every, s.snapshot_gain,
                     s.roster_size},
          .processes = false,
          .plays = !s.offline,
          .asks_teachers = s.teacher_share > 0.0};
}

OffPolicy::OffPolicy(TrainingContext& context, std::vector<std::size_t> roles,
                     const OffPolicySettings& settings, OffPolicyLayout layout)
    : context_(context),
      roles_(std::move(roles)),
      settings_(settings),
      signature_(std::move(layout.signature)),
      heads_(signature_.controls, signature_.columns),
      groups_(groups_for(context, roles_)),
      input_stride_(layout.inputs),
      most_rows_(most_rows_of(context, roles_)),
      memory_stride_(layout.memory),
      span_(layout.span),
      ahead_(layout.ahead),
      normaliser_(normaliser_for(signature_.policy)),
      view_(std::move(layout.view)),
      experience_(experience_for(role(), playable_rows(context, roles_), settings,
                                 {view_.others_columns(), memory_stride_, span_})),
      transitions_(std::max<std::size_t>(1, static_cast<std::size_t>(*settings.minibatch) / span_) *
                   span_),
      group_moments_(groups_.size()),
      group_taken_(groups_.size()),
      memory_(playable_rows(context, roles_) * memory_stride_) {
  const std::size_t columns = role().columns.size(), rows = most_network_rows();
  for (std::size_t worker = 0; worker < context.pool.threads(); ++worker) {
    Room& room = rooms_.emplace_back();
    room.inputs = AlignedBuffer<float>(rows * input_stride_);
    room.next_inputs = AlignedBuffer<float>(rows * input_stride_);
    room.senses = AlignedBuffer<float>(rows * columns);
    room.actions = AlignedBuffer<float>(rows * heads_.controls());
    room.allowed = AlignedBuffer<float>(rows * heads_.masks());
    room.next_allowed = AlignedBuffer<float>(rows * heads_.masks());
    room.others = AlignedBuffer<float>(rows * view_.others_columns());
    room.next_others = AlignedBuffer<float>(rows * view_.others_columns());
    room.memory = AlignedBuffer<float>(most_rows_ * memory_stride_);
    if (remembers()) {
      const std::size_t spans = portion_length() / span_;
      room.spans.inputs_before = AlignedBuffer<float>(portion_length() * input_stride_);
      room.spans.memory_before = AlignedBuffer<float>(spans * memory_stride_);
      room.spans.memory = AlignedBuffer<float>(spans * memory_stride_);
    }
    room.advice.resize(heads_.controls());
    room.random.reserve(rows);
    room.rows.reserve(rows);
    room.lanes.reserve(rows);
  }
  fold_demonstrations();
}

void OffPolicy::fold_demonstrations() {
  const auto own = demonstrations_of(context_.demonstrations, roles_);
  if (own.empty() && settings_.offline)
    throw Error(ErrorKind::usage, "there is nothing to learn from", "role '" + role().name + "'",
                "name teachers who play this role");
  for (const Demonstration* one : own)
    if (settings_.normalise) normaliser_.fold(one->senses);
}

void OffPolicy::take_demonstrations() {
  const auto own = demonstrations_of(context_.demonstrations, roles_);
  const bool uses = settings_.offline || settings_.demonstrations_share > 0.0;
  if (!own.empty() && uses && view_.sees_others())
    throw Error(ErrorKind::refused,
                "demonstrations hold what one seat sensed, and the critics of role '" +
                    role().name + "' see others too",
                "learner.value_sees",
                settings_.offline ? "take 'own'"
                                  : "take 'own', or learn from play alone: demonstrations_share=0");
  if (!own.empty() && !view_.sees_others())
    shown_ = experience_of(own, role(), heads_, *settings_.discount,
                           {.memory = memory_stride_, .span = span_});
}

void OffPolicy::make_room(std::span<const std::size_t> part_ends, std::size_t prepared) {
  for (const std::size_t end : part_ends) {
    const std::size_t first = parts_.empty() ? 0 : parts_.back().end;
    for (std::size_t at = first; at < end; at += stretch_length)
      stretches_.push_back({parts_.size(), at, std::min(end, at + stretch_length)});
    parts_.push_back({first, end, Adam(end - first)});
  }
  const std::size_t parameters = parts_.back().end;
  parameters_ = target_ = AlignedBuffer<float>(parameters);
  prepared_ = target_prepared_ = AlignedBuffer<float>(prepared);
  portion_gradients_.assign(portions(), AlignedBuffer<float>(parameters));
}

double OffPolicy::done() const {
  return std::min(1.0, static_cast<double>(context_.steps) /
                           static_cast<double>(std::max<std::int64_t>(1, context_.total_steps)));
}

// ---- playing

void OffPolicy::begin_rollout(std::size_t group) {
  group_moments_[group].clear(role().columns.size());
  group_taken_[group] = 0;
  view_.begin_rollout(group);
}

// Turns what the room's rows of a role sense into controls.
void OffPolicy::decide_rows(const RoleRows& block, const PastPolicy* past, std::size_t time,
                            std::size_t worker) {
  Room& room = rooms_[worker];
  Environment& environment = *context_.environment;
  const std::size_t rows = room.rows.size(), seats = environment.seats(block.role),
                    masks = heads_.masks(), controls = heads_.controls();
  const Normaliser& normaliser = past != nullptr ? past->normaliser : normaliser_;
  const std::uint64_t seed =
      derived_seed(this->seed(), past != nullptr ? "decide as before" : "decide");
  const std::size_t step =
      static_cast<std::size_t>(context_.updates) * static_cast<std::size_t>(*settings_.horizon) +
      time;
  room.random.clear();
  room.lanes.clear();
  for (std::size_t i = 0; i < rows; ++i) {
    const std::size_t row = room.rows[i];
    const auto senses = environment.observation(block.role, row);
    normaliser.apply(senses, room.inputs.span().subspan(i * input_stride_, input_stride_),
                     input_stride_);
    heads_.read_masks(senses, room.allowed.span().subspan(i * masks, masks));
    room.random.emplace_back(seed,
                             static_cast<std::uint32_t>(block.own_row + row - block.first_row),
                             static_cast<std::uint32_t>(step), Purpose::decide);
    room.lanes.push_back(row / seats);
    const auto memory = memory_of(block.own_row + row - block.first_row);
    std::copy(memory.begin(), memory.end(), room.memory.begin() + i * memory_stride_);
  }
  choose({.worker = worker,
          .rows = rows,
          .inputs = room.inputs.span().first(rows * input_stride_),
          .allowed = room.allowed.span(),
          .actions = room.actions.span(),
          .random = room.random,
          .lanes = room.lanes,
          .memory = room.memory.span().first(rows * memory_stride_),
          .past = past});
  if (past == nullptr && context_.is_advised(block.role)) return;  // a teacher has a say
  for (std::size_t i = 0; i < rows; ++i)
    heads_.controls_of(room.actions.span().subspan(i * controls, controls),
                       environment.control(block.role, room.rows[i]));
}

// What the rows that have decided remember from now on.
void OffPolicy::keep_memory(std::size_t own_row, std::size_t place, const Room& room) {
  std::copy_n(room.memory.begin() + place * memory_stride_, memory_stride_,
              memory_of(own_row).begin());
}

// In some steps a teacher's controls stand. What is kept is what was done, or what was advised.
void OffPolicy::heed_teacher(const RoleRows& block, std::size_t time, std::size_t worker) {
  Room& room = rooms_[worker];
  Environment& environment = *context_.environment;
  const std::size_t controls = heads_.controls();
  const std::uint64_t seed = derived_seed(this->seed(), "teacher");
  const auto step = static_cast<std::uint32_t>(static_cast<std::size_t>(context_.updates) *
                                                   static_cast<std::size_t>(*settings_.horizon) +
                                               time);
  const double share =
      settings_.teacher_share * std::max(0.0, 1.0 - done() / settings_.teacher_fades_by);
  for (std::size_t i = 0; i < room.rows.size(); ++i) {
    const auto action = room.actions.span().subspan(i * controls, controls);
    const auto given = environment.control(block.role, room.rows[i]);
    RandomStream random(seed, static_cast<std::uint32_t>(block.own_row + i), step, Purpose::decide);
    const bool known = std::all_of(given.begin(), given.end(),
                                   [](float x) { return std::isfinite(x); }),
               acts = known && static_cast<double>(random.uniform()) < share;
    std::copy(given.begin(), given.end(), room.advice.begin());
    if (!acts) heads_.controls_of(action, given);
    if (acts || (known && learns_advice())) heads_.action_of(room.advice, action);
    if (!known && learns_advice())
      std::fill(action.begin(), action.end(), std::numeric_limits<float>::quiet_NaN());
  }
}

void OffPolicy::decide(std::size_t group, std::size_t time, std::size_t worker) {
  Room& room = rooms_[worker];
  const Environment& environment = *context_.environment;
  const std::size_t controls = heads_.controls();
  for (const RoleRows& role_rows : groups_[group].by_role) {
    room.rows.resize(role_rows.rows);
    std::iota(room.rows.begin(), room.rows.end(), role_rows.first_row);
    decide_rows(role_rows, nullptr, time, worker);
    if (context_.is_advised(role_rows.role)) heed_teacher(role_rows, time, worker);
    const std::size_t seats = environment.seats(role_rows.role);
    for (std::size_t i = 0; i < role_rows.rows; ++i) {
      const std::size_t row = role_rows.first_row + i, lane = row / seats;
      if (environment.idle(lane) || !context_.learns_in(role_rows.role, lane)) continue;
      const std::size_t own = role_rows.own_row + i;
      const auto senses = environment.observation(role_rows.role, row);
      experience_.remember(own, memory_of(own));
      keep_memory(own, i, room);
      // What nobody could advise is nothing to learn from.
      if (environment.present(role_rows.role, row) && !std::isnan(room.actions[i * controls])) {
        experience_.act(own, senses, room.actions.span().subspan(i * controls, controls));
        ++group_taken_[group];
      } else {
        experience_.miss(own, senses);
      }
    }
    group_moments_[group].add(context_.sensed_by(role_rows));
  }
}

void OffPolicy::note(std::size_t group, std::size_t lane, std::size_t, std::size_t worker) {
  const Environment& environment = *context_.environment;
  const Outcome outcome = environment.outcome(lane);
  for (const RoleRows& role_rows : groups_[group].by_role) {
    if (!role_rows.holds(lane) || !context_.learns_in(role_rows.role, lane)) continue;
    const std::size_t seats = environment.seats(role_rows.role);
    for (std::size_t row = lane * seats; row < (lane + 1) * seats; ++row) {
      const std::size_t own = role_rows.own_row + (row - role_rows.first_row);
      const auto memory = memory_of(own);
      if (environment.lost(lane)) {
        experience_.lose(own);
        std::fill(memory.begin(), memory.end(), 0.0f);
        continue;
      }
      experience_.reward(own, environment.rewards(role_rows.role)[row], *settings_.discount);
      if (outcome == Outcome::running) continue;
      experience_.remember(own, memory);
      std::fill(memory.begin(), memory.end(), 0.0f);
      if (outcome == Outcome::cutoff)
        experience_.end(own, environment.observation(role_rows.role, row),
                        others_of(role_rows, row, worker));
      else
        experience_.end(own, {});
    }
  }
}

// Whatever a seat is in the middle of will not go on.
void OffPolicy::forget(std::size_t role, const LaneGroup& group, std::size_t lane) {
  const RoleRows rows = block_of(context_, roles_, role, group);
  const std::size_t seats = context_.environment->seats(role),
                    first = rows.own_row + lane * seats - rows.first_row;
  for (std::size_t row = first; row < first + seats; ++row) {
    experience_.abandon(row);
    std::fill_n(memory_of(row).begin(), memory_stride_, 0.0f);
  }
}

void OffPolicy::decide_as(const PastPolicy& past, std::size_t role_number, const LaneGroup& group,
                          std::span<const std::size_t> lanes, std::size_t time,
                          std::size_t worker) {
  Room& room = rooms_[worker];
  const std::size_t seats = context_.environment->seats(role_number);
  room.rows.clear();
  for (const std::size_t lane : lanes)
    for (std::size_t seat = 0; seat < seats; ++seat) room.rows.push_back(lane * seats + seat);
  const RoleRows block = block_of(context_, roles_, role_number, group);
  decide_rows(block, &past, time, worker);
  for (std::size_t i = 0; i < room.rows.size(); ++i)
    keep_memory(block.own_row + room.rows[i] - block.first_row, i, room);
}

}  // namespace zithercraft::learn_internal
