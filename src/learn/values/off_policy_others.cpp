// What central critics see besides: what other seats sense and do in the step that is learned from,
// and in the one after it. There, mates of the own side do what they would do today, and everyone
// else what they did.

#include <algorithm>

#include "learn/values/off_policy.hpp"

namespace zithercraft::learn_internal {

std::span<const float> OffPolicy::others_of(const RoleRows& block, std::size_t row,
                                            std::size_t worker) {
  if (!view_.sees_others()) return {};
  const auto others = rooms_[worker].others.span().first(view_.others_columns());
  const auto played = static_cast<std::size_t>(std::find(roles_.begin(), roles_.end(), block.role) -
                                               roles_.begin());
  const std::size_t seats = context_.environment->seats(block.role);
  view_.take_down(context_, played, row / seats, row % seats, others);
  return others;
}

void OffPolicy::judge_together(std::size_t group, std::size_t, std::size_t worker) {
  if (!view_.sees_others()) return;
  const Environment& environment = *context_.environment;
  for (const RoleRows& block : groups_[group].by_role)
    for (std::size_t i = 0; i < block.rows; ++i) {
      const std::size_t row = block.first_row + i, lane = row / environment.seats(block.role);
      if (!environment.idle(lane) && context_.learns_in(block.role, lane) &&
          environment.present(block.role, row))
        experience_.see_others(block.own_row + i, others_of(block, row, worker));
    }
  view_.note(context_, group);
}

void OffPolicy::imagine(std::span<const float> senses, std::span<RandomStream> random,
                        std::size_t worker, std::span<float> actions) {
  const std::size_t rows = random.size(), columns = role().columns.size(), masks = heads_.masks(),
                    controls = heads_.controls(), numbers = actions.size() / rows;
  Imagined& room = rooms_[worker].imagined;
  if (room.inputs.size() == 0) {
    room.inputs = AlignedBuffer<float>(transitions_per_portion * input_stride_);
    room.allowed = AlignedBuffer<float>(transitions_per_portion * masks);
    room.actions = AlignedBuffer<float>(transitions_per_portion * controls);
  }
  normaliser_.apply(senses, room.inputs.span(), input_stride_);
  for (std::size_t i = 0; i < rows; ++i)
    heads_.read_masks(senses.subspan(i * columns, columns),
                      room.allowed.span().subspan(i * masks, masks));
  choose({.worker = worker,
          .rows = rows,
          .inputs = room.inputs.span().first(rows * input_stride_),
          .allowed = room.allowed.span(),
          .actions = room.actions.span(),
          .random = random,
          .imagined = true});
  std::fill(actions.begin(), actions.end(), 0.0f);
  for (std::size_t i = 0; i < rows; ++i) {
    std::size_t at = i * numbers;
    for (std::size_t c = 0; c < controls; ++c) {
      const float action = room.actions[i * controls + c];
      const std::size_t options = role().controls[c].options.size();
      actions[options == 0 ? at : at + static_cast<std::size_t>(action)] =
          options == 0 ? action : 1.0f;
      at += std::max<std::size_t>(1, options);
    }
  }
}

// Seats that are out of the arena sense nothing and do nothing.
void OffPolicy::imagine_mates(std::size_t count, Room& room, std::size_t worker) {
  const std::size_t each = view_.others_columns();
  for (const TeamView::Mate& mate : view_.mates()) {
    Trainee* const learner = context_.learners[mate.role];
    if (learner == nullptr) continue;
    const std::size_t most = transitions_per_portion;
    if (room.mate.size() < most * mate.columns)
      room.mate = AlignedBuffer<float>(most * mate.columns);
    if (room.mate_actions.size() < most * mate.action)
      room.mate_actions = AlignedBuffer<float>(most * mate.action);
    for (std::size_t i = 0; i < count; ++i)
      std::copy_n(room.next_others.begin() + i * each + mate.first_column(), mate.columns,
                  room.mate.begin() + i * mate.columns);
    learner->imagine(room.mate.span().first(count * mate.columns), room.random, worker,
                     room.mate_actions.span().first(count * mate.action));
    for (std::size_t i = 0; i < count; ++i)
      if (room.next_others[i * each + mate.here] != 0.0f)
        std::copy_n(room.mate_actions.begin() + i * mate.action, mate.action,
                    room.next_others.begin() + i * each + mate.first_action);
  }
}

void OffPolicy::gather_others(std::size_t first, std::size_t count, std::size_t worker) {
  Room& room = rooms_[worker];
  const std::size_t each = view_.others_columns();
  const std::uint64_t own = derived_seed(seed(), "mates");
  room.random.clear();
  for (std::size_t i = 0; i < count; ++i) {
    const Transition& transition = transitions_[first + i];
    const auto now = experience_.others(transition.place),
               then = experience_.others(transition.next);
    std::copy(now.begin(), now.end(), room.others.begin() + i * each);
    std::copy(then.begin(), then.end(), room.next_others.begin() + i * each);
    room.random.emplace_back(own, static_cast<std::uint32_t>(first + i),
                             static_cast<std::uint32_t>(minibatches_), Purpose::decide);
  }
  imagine_mates(count, room, worker);
  for (std::size_t i = 0; i < count; ++i) {
    view_.normalise(normaliser_, room.others.span().subspan(i * each, each));
    view_.normalise(normaliser_, room.next_others.span().subspan(i * each, each));
  }
}

}  // namespace zithercraft::learn_internal
