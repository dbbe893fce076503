#include "zithercraft/learn/past_policies.hpp"

#include <utility>

#include "learn/play/roster.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/learn/learner.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

Policy member_of(const TensorFile& checkpoint, std::size_t past, const PolicySignature& signature) {
  TensorFile file = checkpoint.part(roster_place(past, signature.role));
  signature.store(file);
  return Policy::from(file);
}

}  // namespace

std::vector<PastMember> past_members(const TensorFile& checkpoint, const std::string& role,
                                     const std::string& or_role) {
  const TensorFile present = checkpoint.part(policy_place(checkpoint, role, or_role, "checkpoint"));
  const PolicySignature signature = PolicySignature::from(present).without_judges();
  if (!checkpoint.has("roster"))
    throw Error(ErrorKind::refused, "the checkpoint holds no past policies", "checkpoint",
                "take one of a training by ppo in which opposed sides learned");
  Roster roster;
  const std::size_t count = roster.restore(checkpoint.doubles("roster"));
  const std::int64_t now = Counters::of(checkpoint.metadata, "checkpoint").steps;
  std::vector<PastMember> members;
  const auto add = [&](std::int64_t kept, std::int64_t before, Policy policy) {
    members.push_back({kept, static_cast<double>(kept - before), std::move(policy)});
  };
  std::int64_t before = 0;
  for (std::size_t i = 0; i < count; before = roster[i++].steps) {
    const std::int64_t steps = roster[i].steps;
    if (steps > before && steps >= now / 10)
      add(steps, before, member_of(checkpoint, i, signature));
  }
  if (now > before || members.empty()) add(now, std::min(before, now - 1), Policy::from(present));
  double all = 0.0;
  for (const PastMember& member : members) all += member.share;
  for (PastMember& member : members) member.share /= all;
  return members;
}

std::unique_ptr<Player> past_mixture(const Game& game, std::size_t role,
                                     const TensorFile& checkpoint, ActionMode actions,
                                     std::uint64_t seed) {
  const Role &own = game.roles()[role], &like = game.roles()[own.mirrors];
  std::vector<MixtureMember> members;
  for (PastMember& member : past_members(checkpoint, own.name, like.name))
    members.push_back({std::move(member.policy), member.share});
  return mixture_player(game, role, std::move(members), actions, seed);
}

}  // namespace zithercraft
