#include "zithercraft/game/episode.hpp"

namespace zithercraft {

EpisodeResult episode_result(const Lanes& lanes, std::size_t role, std::size_t row) {
  const std::size_t lane = row / lanes.seats(role);
  const auto ledger = lanes.ledger(role, row);
  return {lanes.episode_return(role, row),
          lanes.decisions(lane),
          lanes.outcome(lane),
          lanes.ended_by(lane),
          lanes.stage(lane),
          {ledger.begin(), ledger.end()}};
}

}  // namespace zithercraft
