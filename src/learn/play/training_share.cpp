#include "base/packed_numbers.hpp"
#include "learn/play/training.hpp"

// Episodes that ended, as processes that train together send them.

namespace zithercraft::learn_internal {
using namespace base_internal;
namespace {

void put_episode(PackedNumbers& told, const TimedEpisode& e) {
  told.put(static_cast<double>(e.time));
  told.put(static_cast<double>(e.row));
  told.put(e.result.episode_return);
  told.put(static_cast<double>(e.result.length));
  told.put(static_cast<double>(e.result.outcome));
  told.put(static_cast<double>(e.result.ended_by));
  told.put(static_cast<double>(e.result.role));
  told.put(static_cast<double>(e.result.stage));
  told.put(static_cast<double>(e.against));
  told.put(static_cast<double>(e.result.ledger.size()));
  told.put(e.result.ledger);
}

TimedEpisode get_episode(PackedNumbers& told) {
  TimedEpisode e;
  e.time = told.get_as<std::size_t>();
  e.row = told.get_as<std::size_t>();
  e.result.episode_return = told.get();
  e.result.length = told.get_as<std::uint32_t>();
  e.result.outcome = static_cast<Outcome>(told.get_as<int>());
  e.result.ended_by = static_cast<EndedBy>(told.get_as<int>());
  e.result.role = told.get_as<std::size_t>();
  e.result.stage = told.get_as<std::size_t>();
  e.against = told.get_as<int>();
  e.result.ledger = told.get(told.get_as<std::size_t>());
  return e;
}

}  // namespace

void Training::share_episodes() {
  if (context_.processes == nullptr) return;
  PackedNumbers own;
  for (std::size_t g = context_.first_own; g < context_.first_own + context_.own_count; ++g) {
    own.put(static_cast<double>(ended_[g].size()));
    for (const TimedEpisode& episode : ended_[g]) put_episode(own, episode);
    own.put(played_[g].lane_steps);
    own.put(played_[g].rows);
  }
  PackedNumbers all = own.gathered_by(context_.processes);
  for (std::size_t g = 0; g < ended_.size(); ++g) {
    ended_[g].clear();
    for (auto left = all.get_as<std::size_t>(); left > 0; --left)
      ended_[g].push_back(get_episode(all));
    played_[g].lane_steps = all.get();
    played_[g].rows = all.get();
  }
}

}  // namespace zithercraft::learn_internal
