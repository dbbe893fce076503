#include "game/custom_lanes.hpp"

#include "zithercraft/base/error.hpp"

namespace zithercraft::game_internal {

CustomLanes::CustomLanes(const Game& game, std::size_t lanes)
    : deterministic_(game.spec().custom->deterministic), lanes_(lanes) {
  for (const RolePlan& role : game.plan().role_plans)
    for (auto& paid = paid_.emplace_back(); const TermPlan& term : role.terms)
      paid.push_back(std::holds_alternative<PaidPlan>(term.trigger) ? 1 : 0);
  for (Lane& lane : lanes_)
    for (std::size_t r = 0; r < game.roles().size(); ++r) {
      const Role& role = game.roles()[r];
      lane.parts.push_back({.name = role.name,
                            .seats = role.seats.size(),
                            .controls_each = role.controls.size(),
                            .terms_each = role.terms.size(),
                            .paid = paid_[r]});
    }
  if (const auto& host = game.spec().custom->host.function()) batch_ = host()->batch(game, lanes);
}

void CustomLanes::begin(std::size_t lane, const GamePlan& plan, EpisodeKey key) {
  const CustomGameSpec& spec = *plan.spec.custom;
  Lane& own = lanes_[lane];
  const bool is_new = own.game == nullptr;
  if (is_new && batch_) own.game = &batch_->game(lane);
  if (is_new && !batch_ && spec.code.function()) {
    own.own = spec.code.function()();
    own.game = own.own.get();
  }
  if (own.game == nullptr)
    throw Error(ErrorKind::refused, "the code of the custom game is not in this program",
                "game '" + plan.spec.name + "'",
                "use the program that defines it, or let games join that play it (--launch, "
                "--join-at)");
  own.game->begin(CustomStart{key, spec.settings});
  own.kept.clear();
  if (!is_new) return;
  std::vector<std::byte> unused;
  own.saves = own.game->save(unused);
}

void CustomLanes::step(std::size_t lane, const GamePlan& plan, std::uint32_t number,
                       std::vector<Event>& events) {
  Lane& own = lanes_[lane];
  own.happened.clear();
  CustomStep step(own.parts, plan.spec.custom->events.size(), number, own.happened);
  own.game->step(step);
  own.told = {step.verdict(), step.is_cut_off()};
  const auto entity = [&](std::size_t role, std::size_t seat) {
    return role == CustomStep::nobody ? EntityId() : plan.roles[role].seats[seat];
  };
  for (const CustomStep::Happening& h : own.happened)
    events.push_back({.tick = number * static_cast<std::uint32_t>(plan.spec.ticks_per_step),
                      .kind = EventKind::custom,
                      .who = entity(h.role, h.seat),
                      .whom = entity(h.other_role, h.other_seat),
                      .strength = h.strength,
                      .detail = static_cast<std::int32_t>(h.event)});
}

void CustomLanes::keep(std::size_t lane, std::span<const float> controls) {
  Lane& own = lanes_[lane];
  if (deterministic_ && !own.saves)
    own.kept.insert(own.kept.end(), controls.begin(), controls.end());
}

void CustomLanes::append(std::size_t lane, std::vector<std::byte>& out) const {
  const Lane& own = lanes_[lane];
  if (own.saves) {
    own.game->save(out);
  } else {
    const auto bytes = std::as_bytes(std::span(own.kept));
    out.insert(out.end(), bytes.begin(), bytes.end());
  }
}

}  // namespace zithercraft::game_internal
