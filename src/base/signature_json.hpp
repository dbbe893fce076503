#pragma once

// Columns and controls in the JSON of checkpoints and replays.

#include "base/json_members.hpp"
#include "zithercraft/base/signature.hpp"

namespace zithercraft {

template <class V>
void members(V& v, Column& c) {
  v("name", c.name);
  v("unit", c.unit);
  v("low", c.low);
  v("high", c.high);
  v("scale", c.scale);
}

template <class V>
void members(V& v, ControlInfo& c) {
  v("name", c.name);
  v("unit", c.unit);
  v("low", c.low);
  v("high", c.high);
  v("options", c.options);
  v.unless_empty("among", c.among);
}

}  // namespace zithercraft
