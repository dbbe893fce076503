#include <array>

#include "../net/network_tensors.hpp"
#include "gathered.hpp"
#include "ppo_state.hpp"

namespace zithercraft {

void Ppo::store(TensorFile& file) const {
  if (!state_->begun) state_->begin_lanes();
  const State& s = *state_;
  s.signature.store(file);
  file.metadata["game_fingerprint"] = s.game.fingerprint();
  store_network(file, "policy", s.nets.policy, s.nets.policy_part(s.parameters.span()));
  if (!s.nets.shared) store_network(file, "value", s.nets.value, s.nets.value_part(s.parameters.span()));
  file.put("policy.log_spread", {s.nets.heads.dials()}, s.nets.spread_part(s.parameters.span()));
  std::array<double, 4> scale{};
  s.value_scale.store(scale);
  file.put("value.scale", std::span<const double>(scale));
  store_normaliser(file, s.normaliser);
  file.put("adam.first", {s.nets.parameters}, s.adam.first_moments().span());
  file.put("adam.second", {s.nets.parameters}, s.adam.second_moments().span());
  const std::int64_t counters[] = {s.decisions, s.updates, s.adam.steps(), static_cast<std::int64_t>(s.seed)};
  file.put("counters", std::span<const std::int64_t>(counters));
  const auto curriculum = s.curriculum.numbers();
  file.put("curriculum", std::span<const double>(curriculum));
  std::vector<std::byte> states;
  std::vector<std::int64_t> stages;
  const std::size_t first_lane = s.own_groups().front().first_lane,
                    end_lane = s.own_groups().back().first_lane + s.own_groups().back().lanes;
  for (std::size_t lane = first_lane; lane < end_lane; ++lane) {
    const auto state = s.lanes.state(lane);
    states.insert(states.end(), state.begin(), state.end());
    stages.push_back(static_cast<std::int64_t>(s.lanes.stage(lane)));
  }
  states = gathered<std::byte>(s.ranks, states);
  stages = gathered<std::int64_t>(s.ranks, stages);
  file.put("lanes", std::span<const std::byte>(states));
  file.put("lane_stages", std::span<const std::int64_t>(stages));
  if (!s.remembers()) return;
  const auto own = s.memory.span().subspan(first_lane * s.lanes.seats(0) * s.memory_each(),
                                           s.rollout.rows * s.memory_each());
  const auto memory = gathered<float>(s.ranks, own);
  file.put("memory", {s.lanes.rows(0), s.memory_each()}, std::span<const float>(memory));
}

void Ppo::restore(const TensorFile& file) {
  State& s = *state_;
  const auto refuse = [](const std::string& what, const std::string& mend) {
    throw Error(Fault::refused, what, "checkpoint", mend);
  };
  const std::string same_game = "go on with the game it was trained in, or start afresh";
  if (const auto d = first_difference(s.signature, PolicySignature::from(file)); !d.empty())
    refuse("the checkpoint does not fit the game: " + d, same_game);
  if (file.text("game_fingerprint") != s.game.fingerprint())
    refuse("the checkpoint was trained in another version of the game", same_game);
  const auto counters = file.integers("counters");
  const auto states = file.bytes("lanes");
  const auto stages = file.integers("lane_stages");
  if (counters.size() != 4 || stages.size() != s.lanes.count())
    refuse("the checkpoint holds " + std::to_string(stages.size()) + " lanes, the run has " +
               std::to_string(s.lanes.count()),
           "resume with the same number of lanes");
  fetch_network(file, "policy", s.nets.policy, s.nets.policy_part(s.parameters.span()));
  if (!s.nets.shared) fetch_network(file, "value", s.nets.value, s.nets.value_part(s.parameters.span()));
  s.parameters_changed();
  if (s.nets.heads.dials() > 0) file.get("policy.log_spread", s.nets.spread_part(s.parameters.span()));
  const auto scale = file.doubles("value.scale");
  if (scale.size() != 4) refuse("the checkpoint lacks the scale of values", same_game);
  s.value_scale.restore(scale);
  s.normaliser = fetch_normaliser(file, s.signature.policy);
  file.get("adam.first", s.adam.first_moments().span());
  file.get("adam.second", s.adam.second_moments().span());
  s.decisions = counters[0];
  s.updates = counters[1];
  s.adam.set_steps(counters[2]);
  s.seed = static_cast<std::uint64_t>(counters[3]);
  s.curriculum.restore(file.doubles("curriculum"));
  if (s.remembers()) file.get("memory", s.memory.span());
  std::size_t next = 0;
  for (std::size_t lane = 0; lane < s.lanes.count(); ++lane) {
    s.lanes.set_stage(lane, static_cast<std::size_t>(stages[lane]));
    const std::size_t block = s.lanes.state(lane).size();
    if (states.size() - next < block) refuse("the checkpoint's lanes are too short for the game", same_game);
    s.lanes.restore(lane, std::span(states).subspan(next, block));
    next += block;
  }
  s.begun = true;
}

}  // namespace zithercraft
