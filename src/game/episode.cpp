#include "zithercraft/game/episode.hpp"

namespace zithercraft {
namespace {

Outcome for_role(Outcome outcome, const Role& role, const Role& first) {
  if (!opposed(role, first)) return outcome;
  if (outcome == Outcome::success) return Outcome::failure;
  return outcome == Outcome::failure ? Outcome::success : outcome;
}

}  // namespace

EpisodeResult episode_result(const Lanes& lanes, std::size_t role, std::size_t row) {
  const std::size_t lane = row / lanes.seats(role);
  const auto ledger = lanes.ledger(role, row);
  return {lanes.episode_return(role, row),
          lanes.steps(lane),
          for_role(lanes.outcome(lane), lanes.game().roles()[role], lanes.game().roles()[0]),
          lanes.ended_by(lane),
          role,
          lanes.stage(lane),
          {ledger.begin(), ledger.end()}};
}

}  // namespace zithercraft
