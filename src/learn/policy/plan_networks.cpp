#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/plan_fronts.hpp"

namespace zithercraft {
namespace {

std::vector<std::size_t> widths(const std::vector<std::int64_t>& layers) {
  return {layers.begin(), layers.end()};
}

}  // namespace

std::pair<NetworkPlan, NetworkPlan> plan_networks(const Role& role,
                                                  const PolicyGradientSettings& settings) {
  NetworkPlan plan = plan_fronts(role, {settings.pictures, settings.picture_least,
                                        settings.crowd_width, settings.crowd_queries});
  if (settings.activation) plan.activation = *settings.activation;
  plan.memory = static_cast<std::size_t>(settings.memory);
  NetworkPlan policy = plan, value = plan;
  policy.hidden = widths(settings.policy_layers);
  policy.outputs += settings.share ? 1 : 0;
  if (settings.share && settings.value_sees == Sight::own) return {policy, {}};
  value.hidden = widths(settings.value_layers);
  value.outputs = 1;
  value.pointers.clear();
  return {policy, value};
}

}  // namespace zithercraft
