#include "zithercraft/run/export.hpp"

#include <algorithm>
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
  return own.starts_with("policy.") || own.starts_with("value.") || own.starts_with("normaliser.");
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

}  // namespace zithercraft
