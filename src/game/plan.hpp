#pragma once

// A compiled game: senses, controls and terms with every name already looked up.
//
// A lane's block is: arena state | Books | per role, per seat: ledger (doubles) | per role, per seat: a Distance for
// each progress term.

#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft {

/// Rays of a fan or a cone.
struct FanPlan {
  std::size_t first_column = 0, rays = 0;
  float reach = 1.0f, thickness = 0.0f;
  std::uint64_t tags = 0;
  std::vector<float> cos, sin;        // of each ray, relative to the heading: its parts ahead and to the left
  std::vector<float> up;              // likewise upwards; empty in flat arenas
  float eye = 0.0f;                   // metres above the foot
  bool looks = false;                 // tilts with the body's look
  std::vector<std::int32_t> flag_of;  // per entity: which flag column it raises
  std::size_t flags = 0;
  bool own_side = true;
};

struct CompassPlan {
  std::size_t first_column = 0, tag = 0;
  bool paired = false, high = false;
  float inverse_reach = 1.0f;
};

struct OwnMotionPlan {
  std::size_t first_column = 0;
  float inverse_top_speed = 1.0f, inverse_top_turn_rate = 1.0f;
  bool high = false;
};

struct GaugesPlan {
  std::size_t first_column = 0;
  std::vector<float> low{}, inverse_range{};        // per meter
  std::vector<std::vector<std::size_t>> numbers{};  // per seat, per meter: see Arena::meter_number
};

struct WindowPlan {
  std::size_t first_column = 0, ahead = 0, behind = 0, left = 0, right = 0;
  std::vector<std::size_t> tags;
  std::uint64_t beyond = 0;
  std::size_t cells() const { return (ahead + 1 + behind) * (left + 1 + right); }
};

using SensePlan = std::variant<FanPlan, CompassPlan, OwnMotionPlan, GaugesPlan, WindowPlan>;

struct ControlPlan {
  float low = -1.0f, high = 1.0f;    // of a dial
  std::vector<std::size_t> inputs;   // of the body: one for a dial, those that any option sets for a choice
  std::vector<float> option_values;  // of a choice: [options][inputs]; empty for a dial
  std::size_t options = 0;
};

struct ProgressPlan {
  std::vector<std::size_t> of;  // bodies; empty for the seat's own
  std::size_t tag = 0, slot = 0;
  bool paired = false;
};

struct HappeningPlan {
  EventKind kind = EventKind::touch;
  Part as = Part::either;
  std::vector<std::size_t> of;  // bodies; empty for the seat's own
  bool any_thing = true;        // counts whatever the other thing is, also nothing
  std::uint64_t tags = 0;
  float harder_than = 0.0f;
  bool by_strength = false;
};

struct ConditionPlan {
  std::vector<std::size_t> of;     // bodies; empty for the seat's own
  std::vector<std::size_t> zones;  // inside any of these; empty: anywhere
  bool paired = false;             // only inside the seat's own of these
  std::optional<float> slower_than;
};

struct TermPlan {
  float weight = 1.0f;
  Verdict ends = Verdict::none;
  std::variant<ProgressPlan, HappeningPlan, ConditionPlan, Measure> trigger;
};

struct RolePlan {
  std::vector<SensePlan> senses;
  std::vector<ControlPlan> controls;
  std::vector<TermPlan> terms;
  std::size_t progress_slots = 0;
  std::size_t ledger_offset = 0, progress_offset = 0;  // bytes from the block's start
};

struct Books {
  EpisodeKey key;
  std::uint32_t decisions = 0;
  Outcome outcome = Outcome::running;
};

struct GamePlan {
  GameSpec spec;
  Arena arena;
  std::vector<Role> roles;
  std::vector<RolePlan> role_plans;
  std::vector<std::vector<std::size_t>> things_of_tag;  // bodies, zones and items
  std::string fingerprint;
  bool complete = true;
  std::size_t books_offset = 0, block_bytes = 0;
};

}  // namespace zithercraft
