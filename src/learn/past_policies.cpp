#include "zithercraft/learn/past_policies.hpp"

#include "learn/policy/roster.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/learn/learner.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

// A past policy has the signature of the present one, but for what judged it in training.
Policy member_of(const TensorFile& checkpoint, std::size_t past, PolicySignature signature) {
  TensorFile file = checkpoint.part(roster_place(past, signature.role));
  signature.value = signature.credit = {};
  signature.seen.clear();
  signature.store(file);
  return Policy::from(file);
}

}  // namespace

std::string learn_internal::roster_place(std::size_t past, const std::string& role) {
  return "roster/" + std::to_string(past) + "/" + role + "/";
}

std::vector<PastMember> past_members(const TensorFile& checkpoint, const std::string& role,
                                     const std::string& or_role) {
  const std::string place = policy_place(checkpoint, role, or_role, "checkpoint");
  const TensorFile present = place.empty() ? checkpoint : checkpoint.part(place);
  const PolicySignature signature = PolicySignature::from(present);
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

}  // namespace zithercraft
