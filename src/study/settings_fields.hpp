#pragma once

// The fields of a run's settings by name and range: see base/config.hpp.

#include "../base/config.hpp"
#include "zithercraft/study/run.hpp"

namespace zithercraft {

template <class V>
void describe(V& v, PpoSettings& s) {
  v("policy_layers", s.policy_layers, between(1, 65536));
  v("value_layers", s.value_layers, between(1, 65536));
  v("lanes", s.lanes, between(1, 65536));
  v("horizon", s.horizon, between(1, 65536));
  v("epochs", s.epochs, between(1, 1000));
  v("minibatch", s.minibatch, at_least(1));
  v("learning_rate", s.learning_rate, positive());
  v("last_learning_rate", s.last_learning_rate, at_least(0));
  v("discount", s.discount, between(0, 1));
  v("trace_decay", s.trace_decay, between(0, 1));
  v("clip", s.clip, positive());
  v("entropy_weight", s.entropy_weight, at_least(0));
  v("last_entropy_weight", s.last_entropy_weight, at_least(0));
  v("entropy_fades_by", s.entropy_fades_by, Rule{.low = 0.0, .high = 1.0, .above_low = true});
  v("gradient_limit", s.gradient_limit, positive());
  v("first_spread", s.first_spread, positive());
  v("normalise", s.normalise);
}

}  // namespace zithercraft
