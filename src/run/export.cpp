#include "zithercraft/run/export.hpp"

#include <algorithm>
#include <set>
#include <string>
#include <string_view>

#include "zithercraft/learn/past_policies.hpp"

namespace zithercraft {
namespace {

// The name behind the place of a role's policy, if it is in one.
std::string_view within_role(std::string_view name) {
  constexpr std::string_view roles = "roles/";
  if (!name.starts_with(roles)) return name;
  return name.substr(std::min(name.size(), name.find('/', roles.size()) + 1));
}

bool plays(std::string_view name) {
  const std::string_view own = within_role(name);
  return own.starts_with("policy.") || own.starts_with("value.") ||
         own.starts_with("normaliser.") || own.starts_with("table.");
}

}  // namespace

TensorFile exported_policies(const Run& run, const std::string& checkpoint, TrainedAs as) {
  TensorFile file = TensorFile::load(run.checkpoint_file(checkpoint));
  if (as == TrainedAs::average) return average_policies(run.game(), file);
  if (as == TrainedAs::mixture) past_members(file, PolicySignature::from(file).role);
  file.keep([&](const std::string& name) {
    return plays(name) || (as == TrainedAs::mixture && name.starts_with("roster"));
  });
  return file;
}

std::vector<Policy> policies_in(const TensorFile& checkpoint) {
  std::vector<Policy> policies{Policy::from(checkpoint)};
  std::set<std::string> places;
  for (const auto& [key, text] : checkpoint.metadata)
    if (const std::string_view within = within_role(key); within.size() < key.size())
      places.insert(key.substr(0, key.size() - within.size()));
  for (const std::string& place : places) policies.push_back(Policy::from(checkpoint.part(place)));
  return policies;
}

}  // namespace zithercraft
