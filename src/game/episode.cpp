#include "zithercraft/game/episode.hpp"

namespace zithercraft {
namespace {

Outcome for_role(Outcome outcome, const Role& role, const Role& first) {
  if (!opposed(role, first)) return outcome;
  if (outcome == Outcome::success) return Outcome::failure;
  return outcome == Outcome::failure ? Outcome::success : outcome;
}

}  // namespace

EpisodeResult episode_result(const Environment& environment, std::size_t role, std::size_t row) {
  const std::size_t lane = row / environment.seats(role);
  const auto ledger = environment.ledger(role, row);
  return {environment.episode_return(role, row),
          environment.steps(lane),
          for_role(environment.outcome(lane), environment.game().roles()[role],
                   environment.game().roles()[0]),
          environment.ended_by(lane),
          role,
          environment.stage(lane),
          {ledger.begin(), ledger.end()}};
}

}  // namespace zithercraft
