#pragma once

// The fields of the settings that all off-policy methods share, by name and range: see
// config/config.hpp.

#include "learn/network_fields.hpp"
#include "zithercraft/learn/off_policy.hpp"

namespace zithercraft {

template <class V>
void describe(V& v, OffPolicySettings& s) {
  v("value_layers", s.value_layers, between(1, 65536));
  v("activation", s.activation);
  describe_fronts(v, s);
  v("lanes", s.lanes, between(1, 65536));
  v("horizon", s.horizon, between(1, 65536));
  v("discount", s.discount, between(0, 1));
  v("experience", s.experience, between(2, 1'000'000'000));
  v("keep_experience", s.keep_experience);
  v("warm_up", s.warm_up, at_least(0));
  v("minibatch", s.minibatch, between(1, 65536));
  v("updates_per_step", s.updates_per_step, Rule{.low = 0.0, .high = 100.0, .above_low = true});
  v("learning_rate", s.learning_rate, positive());
  v("last_learning_rate", s.last_learning_rate, at_least(0));
  v("gradient_limit", s.gradient_limit, positive());
  v("target_rate", s.target_rate, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("normalise", s.normalise);
  v("normalise_returns", s.normalise_returns);
  v("demonstrations_share", s.demonstrations_share, between(0, 1));
  v("demonstrations_fade_by", s.demonstrations_fade_by, between(0, 1));
  v("teacher_share", s.teacher_share, between(0, 1));
  v("teacher_fades_by", s.teacher_fades_by, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("offline", s.offline);
  v("conservative_weight", s.conservative_weight, at_least(0));
  describe_opposition(v, s);
}

}  // namespace zithercraft
