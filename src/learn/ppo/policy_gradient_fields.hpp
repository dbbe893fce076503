#pragma once

// The fields of the policy gradient's settings by name and range: see config/config.hpp.

#include "learn/network_fields.hpp"
#include "zithercraft/learn/ppo.hpp"

namespace zithercraft {

template <>
struct config::Words<Objective> {
  static constexpr std::array list{std::pair{"clipped", Objective::clipped},
                                   std::pair{"plain", Objective::plain}};
};
template <>
struct config::Words<Decay> {
  static constexpr std::array list{std::pair{"linear", Decay::linear},
                                   std::pair{"cosine", Decay::cosine}};
};

template <class V>
void describe(V& v, PolicyGradientSettings& s) {
  v("policy_layers", s.policy_layers, between(1, 65536));
  v("value_layers", s.value_layers, between(1, 65536));
  v("activation", s.activation);
  v("share", s.share);
  v("value_sees", s.value_sees);
  v("memory", s.memory, between(0, 65536));
  v("memory_span", s.memory_span, between(1, 65536));
  describe_fronts(v, s);
  v("lanes", s.lanes, between(1, 65536));
  v("horizon", s.horizon, between(1, 65536));
  v("discount", s.discount, between(0, 1));
  v("trace_decay", s.trace_decay, between(0, 1));
  v("objective", s.objective);
  v("baseline", s.baseline);
  v("counterfactual", s.counterfactual);
  v("epochs", s.epochs, between(1, 1000));
  v("minibatch", s.minibatch, at_least(1));
  v("kl_limit", s.kl_limit, at_least(0));
  v("learning_rate", s.learning_rate, positive());
  v("last_learning_rate", s.last_learning_rate, at_least(0));
  v("learning_rate_decay", s.learning_rate_decay);
  v("clip", s.clip, positive());
  v("value_weight", s.value_weight, positive());
  v("value_clip", s.value_clip, at_least(0));
  v("entropy_weight", s.entropy_weight, at_least(0));
  v("last_entropy_weight", s.last_entropy_weight, at_least(0));
  v("entropy_fades_by", s.entropy_fades_by, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("gradient_limit", s.gradient_limit, positive());
  v("first_stddev", s.first_stddev, positive());
  v("normalise", s.normalise);
  v("normalise_returns", s.normalise_returns);
  v("teacher_weight", s.teacher_weight, at_least(0));
  v("teacher_fades_by", s.teacher_fades_by, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  describe_opposition(v, s);
  v("frozen", s.frozen);
}

}  // namespace zithercraft
