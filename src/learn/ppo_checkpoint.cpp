#include <string>

#include "gathered.hpp"
#include "ppo_state.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

[[noreturn]] void refuse(const std::string& what, const std::string& fix) {
  throw Error(Fault::refused, what, "checkpoint", fix);
}
constexpr const char* same_game = "go on with the game it was trained in, or start afresh";

// The first policy stands in the file itself, others under their roles' names, past ones under their numbers.
std::string place_of(const Game& game, const Trainee& trainee) {
  return policy_place(game.roles()[trainee.roles().front()].name);
}
std::string place_of(std::size_t past, std::size_t trainee) {
  return "roster/" + std::to_string(past) + "/" + std::to_string(trainee) + "/";
}

}  // namespace

void Ppo::store(TensorFile& file) const {
  if (!state_->begun) state_->begin_lanes();
  const State& s = *state_;
  const Ground& ground = s.ground;
  s.trainees.front()->store(file);
  for (std::size_t t = 1; t < s.trainees.size(); ++t) {
    TensorFile part;
    s.trainees[t]->store(part);
    file.put_part(place_of(ground.game, *s.trainees[t]), part);
  }
  file.metadata["game_fingerprint"] = ground.game.fingerprint();
  const std::int64_t counters[] = {ground.steps, ground.updates, static_cast<std::int64_t>(ground.seed)};
  file.put("counters", std::span<const std::int64_t>(counters));
  const auto curriculum = s.curriculum.numbers();
  file.put("curriculum", std::span<const double>(curriculum));
  std::vector<std::byte> states;
  std::vector<std::int64_t> stages, opponents;
  const Stretch &first = ground.own_stretches().front(), &last = ground.own_stretches().back();
  for (std::size_t lane = first.first_lane; lane < last.first_lane + last.lanes; ++lane) {
    const auto state = ground.lanes.state(lane);
    states.insert(states.end(), state.begin(), state.end());
    stages.push_back(static_cast<std::int64_t>(ground.lanes.stage(lane)));
    opponents.push_back(static_cast<std::int64_t>(s.opponents[lane]));
  }
  states = gathered<std::byte>(ground.ranks, states);
  stages = gathered<std::int64_t>(ground.ranks, stages);
  file.put("lanes", std::span<const std::byte>(states));
  file.put("lane_stages", std::span<const std::int64_t>(stages));
  if (!s.opposed()) return;
  opponents = gathered<std::int64_t>(ground.ranks, opponents);
  file.put("lane_opponents", std::span<const std::int64_t>(opponents));
  const auto roster = s.roster.numbers();
  file.put("roster", std::span<const double>(roster));
  for (std::size_t past = 0; past < s.roster.size(); ++past)
    for (std::size_t t = 0; t < s.trainees.size(); ++t) {
      TensorFile part;
      s.trainees[t]->store(part, s.roster[past].policies[t]);
      file.put_part(place_of(past, t), part);
    }
}

void Ppo::State::restore_roster(const TensorFile& file) {
  const std::size_t count = roster.restore(file.doubles("roster"));
  for (std::size_t past = 0; past < count; ++past)
    for (std::size_t t = 0; t < trainees.size(); ++t)
      roster[past].policies.push_back(trainees[t]->fetch(file.part(place_of(past, t))));
  const auto stored = file.integers("lane_opponents");
  if (stored.size() != opponents.size()) refuse("the checkpoint's opponents are not those of so many lanes", same_game);
  for (std::size_t lane = 0; lane < stored.size(); ++lane) {
    opponents[lane] = static_cast<std::size_t>(stored[lane]);
    if (opponents[lane] >= count) refuse("the checkpoint names an opponent that is not there", same_game);
  }
}

void Ppo::restore(const TensorFile& file) {
  State& s = *state_;
  Ground& ground = s.ground;
  s.trainees.front()->restore(file);
  for (std::size_t t = 1; t < s.trainees.size(); ++t)
    s.trainees[t]->restore(file.part(place_of(ground.game, *s.trainees[t])));
  if (file.text("game_fingerprint") != ground.game.fingerprint())
    refuse("the checkpoint was trained in another version of the game", same_game);
  const auto counters = file.integers("counters");
  const auto states = file.bytes("lanes");
  const auto stages = file.integers("lane_stages");
  if (counters.size() != 3 || stages.size() != ground.lanes.count())
    refuse("the checkpoint holds " + std::to_string(stages.size()) + " lanes, the run has " +
               std::to_string(ground.lanes.count()),
           "resume with the same number of lanes");
  ground.steps = counters[0];
  ground.updates = counters[1];
  ground.seed = static_cast<std::uint64_t>(counters[2]);
  s.curriculum.restore(file.doubles("curriculum"));
  if (s.opposed()) s.restore_roster(file);
  std::size_t next = 0;
  for (std::size_t lane = 0; lane < ground.lanes.count(); ++lane) {
    ground.lanes.set_stage(lane, static_cast<std::size_t>(stages[lane]));
    const std::size_t block = ground.lanes.state(lane).size();
    if (states.size() - next < block) refuse("the checkpoint's lanes are too short for the game", same_game);
    ground.lanes.restore(lane, std::span(states).subspan(next, block));
    next += block;
  }
  s.begun = true;
}

// The first policy continues what stands in the file itself; others what stands there under their roles' names, if
// there is something.
Continuation Ppo::continue_from(const TensorFile& file) {
  State& s = *state_;
  Continuation report = s.trainees.front()->continue_from(file);
  for (std::size_t t = 1; t < s.trainees.size(); ++t) {
    const std::string place = place_of(s.ground.game, *s.trainees[t]);
    if (!file.has_part(place)) continue;
    for (auto& part : s.trainees[t]->continue_from(file.part(place)).parts) {
      part.name = place + part.name;
      report.parts.push_back(std::move(part));
    }
  }
  return report;
}

}  // namespace zithercraft
