#pragma once

#include "config/config.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {
using namespace config;

template <class V>
void describe(V& v, RoleTraining& s) {
  v("role", s.role, needed());
  v("played_by", s.played_by);
  v("learner", s.learner);
}

}  // namespace zithercraft
