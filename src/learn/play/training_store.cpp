#include <cstdint>
#include <limits>
#include <string>

#include "base/gathered.hpp"
#include "learn/play/training.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace base_internal;
namespace {

[[noreturn]] void refuse(const std::string& what, const std::string& fix) {
  throw Error(ErrorKind::refused, what, "checkpoint", fix);
}
constexpr const char* same_game = "resume with the game it was trained in, or start a new run";

// The first policy is unprefixed in the file; others are under their roles' names.
std::string place_of(const Game& game, const Trainee& trainee) {
  return policy_place(game.roles()[trainee.roles().front()].name);
}
std::string place_of(std::size_t past, const Trainee& trainee) {
  return roster_place(past, trainee.signature().role);
}

}  // namespace

void Training::store(TensorFile& file) const {
  trainees_.front()->store(file);
  for (std::size_t t = 1; t < trainees_.size(); ++t) {
    const std::string place = place_of(context_.game, *trainees_[t]);
    TensorFile part = file.for_part(place);
    trainees_[t]->store(part);
    file.put_part(place, part);
  }
  file.metadata["game_fingerprint"] = context_.game.fingerprint();
  Counters{context_.steps, context_.updates}.store(file);
  const auto seed = static_cast<std::int64_t>(context_.seed);
  file.put("seed", std::span(&seed, 1));
  const auto curriculum = curriculum_.numbers();
  file.put("curriculum", std::span<const double>(curriculum));
  if (!begun_) return;
  store_lanes(file);
  if (opposed()) store_roster(file);
}

void Training::store_lanes(TensorFile& file) const {
  std::vector<std::byte> states;
  std::vector<std::int64_t> stages, episodes;
  const auto [first, end] = context_.own_lanes();
  const bool returns = context_.environment->abilities().snapshots;
  for (std::size_t lane = first; lane < end; ++lane) {
    if (returns) context_.environment->append_snapshot(lane, states);
    episodes.push_back(static_cast<std::int64_t>(context_.environment->key(lane).episode));
    stages.push_back(static_cast<std::int64_t>(context_.environment->stage(lane)));
  }
  states = gathered<std::byte>(context_.processes, states);
  stages = gathered<std::int64_t>(context_.processes, stages);
  if (returns) {
    file.put("lanes", std::span<const std::byte>(states));
  } else {
    episodes = gathered<std::int64_t>(context_.processes, episodes);
    file.put("lane_episodes", std::span<const std::int64_t>(episodes));
  }
  file.put("lane_stages", std::span<const std::int64_t>(stages));
}

void Training::store_roster(TensorFile& file) const {
  const auto [first, end] = context_.own_lanes();
  const std::size_t each = context_.shares.numbers_each();
  std::vector<std::int64_t> opponents;
  std::vector<double> shares;
  for (std::size_t lane = first; lane < end; ++lane) {
    opponents.push_back(static_cast<std::int64_t>(opponents_[lane]));
    shares.resize(shares.size() + each);
    context_.shares.store(lane, std::span(shares).last(each));
  }
  opponents = gathered<std::int64_t>(context_.processes, opponents);
  shares = gathered<double>(context_.processes, shares);
  file.put("lane_opponents", std::span<const std::int64_t>(opponents));
  file.put("lane_shares", std::span<const double>(shares));
  const auto numbers = roster_.numbers();
  file.put("roster", std::span<const double>(numbers));
  for (std::size_t past = 0; past < roster_.size(); ++past)
    for (std::size_t t = 0; t < trainees_.size(); ++t) {
      TensorFile part;
      trainees_[t]->store(part, roster_[past].policies[t]);
      file.put_part(place_of(past, *trainees_[t]), part);
    }
}

void Training::restore_roster(const TensorFile& file) {
  const std::size_t count = roster_.restore(file.doubles("roster"));
  for (std::size_t past = 0; past < count; ++past)
    for (const auto& trainee : trainees_)
      roster_[past].policies.push_back(trainee->fetch(file.part(place_of(past, *trainee))));
  const auto stored = file.integers("lane_opponents");
  if (stored.size() != opponents_.size())
    refuse("the checkpoint's opponents are those of another number of lanes", same_game);
  for (std::size_t lane = 0; lane < stored.size(); ++lane) {
    opponents_[lane] = static_cast<std::size_t>(stored[lane]);
    if (opponents_[lane] >= count)
      refuse("the checkpoint names an opponent that is not there", same_game);
  }
}

void Training::restore_shares(const TensorFile& file) {
  const auto stored = file.doubles("lane_shares");
  const std::size_t each = context_.shares.numbers_each();
  if (stored.size() != opponents_.size() * each)
    refuse("the checkpoint's lanes are shared out otherwise among the sides", same_game);
  for (std::size_t lane = 0; lane < opponents_.size(); ++lane)
    if (!context_.shares.restore(lane, std::span(stored).subspan(lane * each, each)))
      refuse("the checkpoint's shares of the sides make no sense", same_game);
}

void Training::restore(const TensorFile& file) {
  context_.seed = static_cast<std::uint64_t>(file.integers("seed").at(0));
  trainees_.front()->restore(file);
  for (std::size_t t = 1; t < trainees_.size(); ++t)
    trainees_[t]->restore(file.part(place_of(context_.game, *trainees_[t])));
  if (file.text("game_fingerprint") != context_.game.fingerprint())
    refuse("the checkpoint was trained in another version of the game", same_game);
  const Counters counters = Counters::of(file.metadata, "checkpoint");
  context_.steps = counters.steps;
  context_.updates = counters.updates;
  curriculum_.restore(file.doubles("curriculum"));
  begun_ = file.has("lanes") || file.has("lane_episodes");
  collected_ = false;
  if (begun_) restore_lanes(file);
}

void Training::restore_lanes(const TensorFile& file) {
  const auto stages = file.integers("lane_stages");
  if (stages.size() != context_.environment->count())
    refuse("the checkpoint holds " + std::to_string(stages.size()) + " lanes, the run has " +
               std::to_string(context_.environment->count()),
           "resume with the same number of lanes");
  if (opposed()) {
    restore_roster(file);
    restore_shares(file);
  }
  if (file.has("lane_episodes")) return begin_next_episodes(file.integers("lane_episodes"));
  const auto states = file.bytes("lanes");
  std::size_t next = 0;
  for (std::size_t lane = 0; lane < context_.environment->count(); ++lane)
    next += context_.environment->restore_snapshot(lane, static_cast<std::size_t>(stages[lane]),
                                                   std::span(states).subspan(next));
}

// Of a game that cannot be brought back into the episodes that it was in.
void Training::begin_next_episodes(std::span<const std::int64_t> episodes) {
  if (episodes.size() != context_.environment->count())
    refuse("the checkpoint's episodes are those of another number of lanes", same_game);
  const std::uint64_t seed = derived_seed(context_.seed, "train");
  for (const LaneGroup& group : context_.groups)
    for (std::size_t lane = group.first_lane; lane < group.first_lane + group.lanes; ++lane) {
      if (episodes[lane] < 0 || episodes[lane] >= std::numeric_limits<std::uint32_t>::max())
        refuse("the checkpoint counts episodes that cannot be", same_game);
      for (const auto& trainee : trainees_)
        for (const std::size_t role : trainee->roles()) trainee->forget(role, group, lane);
      const LaneStart start = start_of(lane, {seed, static_cast<std::uint32_t>(lane),
                                              static_cast<std::uint32_t>(episodes[lane]) + 1});
      context_.environment->begin(start.lane, start.key);
    }
}

// The first policy continues the file's unprefixed policy; others those under their roles' names,
// if there is something.
Continuation Training::continue_from(const TensorFile& file) {
  Continuation report = trainees_.front()->continue_from(file);
  for (std::size_t t = 1; t < trainees_.size(); ++t) {
    const std::string place = place_of(context_.game, *trainees_[t]);
    if (!file.has_part(place)) continue;
    for (auto& part : trainees_[t]->continue_from(file.part(place)).parts) {
      part.name = place + part.name;
      report.parts.push_back(std::move(part));
    }
  }
  return report;
}

}  // namespace zithercraft::learn_internal
