#pragma once

// What a game is compiled to.

#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/arena/view.hpp"
#include "zithercraft/game/game.hpp"
#include "zithercraft/game/lanes.hpp"

namespace zithercraft::game_internal {

/// The tag that things must bear now to be meant; none where no tag ever changes.
using Bears = std::optional<std::size_t>;
inline bool bears(const ArenaView& view, EntityId thing, Bears tag) {
  return !tag || view.tag_of(thing) == *tag;
}

/// Which flag stands for a thing.
struct FlagsPlan {
  std::vector<std::int32_t> of_entity;  // by the tag that it begins with
  std::vector<std::int32_t> of_tag;     // where tags change; else empty
  std::size_t operator()(const ArenaView& view, EntityId thing) const {
    return static_cast<std::size_t>(of_tag.empty() ? of_entity[thing.index()]
                                                   : of_tag[view.tag_of(thing)]);
  }
};

// ---- Senses. Each writes the columns of its part, from the first on.

/// Rays of a fan or a cone.
struct FanPlan {
  std::size_t rays = 0;
  float reach = 1.0f, thickness = 0.0f;
  TagSet tags{};
  std::vector<float> cos,
      sin;                // of each ray, relative to the heading: its parts ahead and to the left
  std::vector<float> up;  // likewise upwards; empty in flat arenas
  float eye = 0.0f;       // metres above the foot
  bool follows_pitch = false;      // tilts with the body's pitch
  FlagsPlan flag_of{};             // which flag column a thing raises
  std::vector<TagSet> seen_alone;  // the tags one by one, where each has a distance of its own
  std::size_t flags = 0;           // with the one for a miss
  bool miss = false;
  bool own_side = true;
};

struct CompassPlan {
  std::size_t tag = 0;
  bool paired = false, along_path = false, high = false;
  Bearings bearings = Bearings::angle;
  float reach = 1.0f, inverse_reach = 1.0f;
  std::vector<std::vector<EntityId>> things{};  // per seat: whom to look for; empty if anyone's
  Bears bears{};                                // of these
  float inverse_top_speed = 0.0f;               // 0: how it moves is not sensed
};

struct OwnMotionPlan {
  float inverse_top_speed = 1.0f, inverse_top_turn_rate = 1.0f;
  std::vector<std::size_t> parts{};  // in the order of `own_motion_parts`
};

struct OwnStatePlan {
  OwnState parts;
  float inverse_level = 1.0f, inverse_steps = 1.0f;
};

struct GaugesPlan {
  std::vector<float> low{}, inverse_range{};        // per meter
  std::vector<std::vector<std::size_t>> numbers{};  // per seat, per meter: see Arena::meter_number
};

struct WindowPlan {
  std::size_t ahead = 0, behind = 0, left = 0, right = 0, above = 0, below = 0;
  bool blocks = false;
  std::vector<std::size_t> tags;
  TagSet beyond{};
  std::size_t cells() const {
    return (ahead + 1 + behind) * (left + 1 + right) * (above + 1 + below);
  }
};

struct HazardsPlan {
  FanPlan fan;  // one ray for each move
};

struct CameraPlan {
  CameraFrom from = CameraFrom::above;
  std::size_t width = 0, height = 0, channels = 1;
  std::size_t left = 0, top = 0, out_width = 0, out_height = 0, reduce = 1;
  float across = 1.0f, focal = 1.0f, reach = 1.0f,
        eye = 0.0f;  // focal: pixels at which one metre is one metre away
  bool turns = true, high = false;
  float middle_x = 0.0f, middle_y = 0.0f;  // of an overall view
  TagSet solid{}, zones{};                 // what eyes see
  std::vector<float> shades;               // [entities][channels]; below 0: not drawn
  std::vector<float> shades_of_tag{};      // likewise of tags, for bodies, where these change
  std::array<float, 3> ground{}, sky{};
  bool whole() const { return reduce == 1 && out_width == width && out_height == height; }
  std::size_t pixels() const { return width * height * channels; }
};

struct CrowdPlan {
  std::vector<std::vector<EntityId>> others;  // per seat: entities
  FlagsPlan flag_of{};                        // number of its tag among the crowd's
  TagSet tags{};                              // where tags change: those that count now; else none
  std::size_t nearest = 0, flags = 0;
  float reach = 1.0f, inverse_reach = 1.0f, inverse_top_speed = 1.0f;
  struct Reading {
    std::optional<std::size_t> number{};  // of the meter; none if the body has none
    float low = 0.0f, inverse_range = 1.0f;
  };
  std::vector<std::vector<Reading>> meters{};  // [meters][bodies]
  std::vector<std::uint8_t> own_side{};        // per entity: is of the own side; empty: not sensed
  bool target = false;
  std::size_t columns_each() const {
    return 6 + flags + meters.size() + (own_side.empty() ? 0 : 1) + (target ? 1 : 0);
  }
};

struct PicturePlan {
  std::size_t number = 0;                                      // among the role's pictures
  std::size_t width = 0, height = 0, given = 1, channels = 1;  // pixels; bytes and columns of each
  std::size_t left = 0, top = 0, out_width = 0, out_height = 0, reduce = 1;
  std::size_t bytes() const { return width * height * given; }
};

struct CustomSensePlan {
  SenseCode::Function function{};
  std::size_t told_from = 0;  // of a custom game: the first among the columns that it writes
};

struct SensePart {
  std::variant<FanPlan, CompassPlan, OwnMotionPlan, OwnStatePlan, GaugesPlan, WindowPlan,
               HazardsPlan, CameraPlan, CrowdPlan, CustomSensePlan, PicturePlan>
      what;
  std::size_t first_column = 0, columns = 0;  // of this step; those of earlier ones follow
  std::size_t history = 0;                    // earlier steps
  std::size_t kept = 0;                       // where they begin in the seat's kept columns
  float noise = 0.0f, drop_out = 0.0f;
  bool disturbed() const { return noise > 0.0f || drop_out > 0.0f; }
};

// ---- Controls

struct AllowedPlan {
  std::size_t column = 0;              // that says whether the option is allowed
  std::vector<std::size_t> launchers;  // per seat; empty if none is asked for
  std::vector<std::size_t> meters;     // likewise
  std::optional<float> above, below;
  bool stands = false;
  bool by_game = false;
  std::size_t control = 0, option = 0;  // which it is about
};

struct ControlPlan {
  float low = -1.0f, high = 1.0f;  // of a dial
  // Of the body: one for a dial, those that any option sets for a choice.
  std::vector<std::size_t> inputs;
  std::vector<float> option_values;  // of a choice: [options][inputs]; empty for a dial
  std::size_t options = 0;
  float dead_zone = 0.0f;
  float step = 0.0f;  // how far the input moves per tick; 0 for at once
  bool holds = true;
  std::vector<std::optional<std::size_t>> need_columns;  // per option: the column that allows it
};

/// What a choice of one among a crowd does.
struct TargetPlan {
  std::size_t control = 0;                                      // of the role's
  std::size_t sense = 0;                                        // the crowd among the role's senses
  std::int32_t event = 0;                                       // by which rules hear of it
  std::optional<std::size_t> fire{}, bearing{}, elevation{};    // inputs of the body
  float swing = 1.0f, lowest = 0.0f, highest = 0.0f;            // radians
  std::optional<std::size_t> ahead{}, left{}, east{}, north{};  // inputs that move it towards it
};

/// Moves in the arena's directions of a body that moves in its own.
struct CompassMoves {
  std::size_t ahead = 0, left = 0;  // inputs
  std::size_t east = nowhere_input,
              north = nowhere_input;  // numbers among the wishes, beyond the body's inputs
  static constexpr std::size_t nowhere_input = static_cast<std::size_t>(-1);
  bool used() const { return east != nowhere_input || north != nowhere_input; }
};

// ---- Rewards. What a term must remember lies in the seat's memory, from `memory` on.

struct ProgressPlan {
  std::vector<EntityId> of;  // bodies; empty for the seat's own
  Bears bears{};             // of these
  std::size_t tag = 0;
  bool paired = false, along_path = false;
  float weight = 1.0f;  // the term's; that of its TermPlan is then 1
};

/// How a body is to stand: at heights, with a meter in a range.
struct StandingPlan {
  std::optional<float> above, below;               // metres, of its foot
  std::vector<std::optional<std::size_t>> meters;  // per body; empty if none is asked for
  float least = 0.0f, most = 0.0f;                 // of the meter
};

struct EventTriggerPlan {
  EventKind kind = EventKind::touch;
  std::optional<std::int32_t> detail;  // which of the events that rules tell
  Part as = Part::either;
  std::vector<EntityId> of;  // bodies; empty for the seat's own
  Bears bears{};             // of these
  bool any_thing = true;     // counts whatever the other thing is, also nothing
  TagSet tags{};
  float harder_than = 0.0f;
  std::optional<float> softer_than;
  std::vector<EntityId> zones;  // inside any of these; empty: anywhere
  Approach from = Approach::any;
  StandingPlan standing{};
  bool by_strength = false;
  Counts counts = Counts::every;
  std::uint64_t nth = 0;  // only this one counts; 0: all
};

struct ConditionPlan {
  std::vector<EntityId> of;         // bodies; empty for the seat's own
  Bears bears{};                    // of these
  std::vector<EntityId> zones;      // inside any of these; empty: anywhere
  std::optional<std::size_t> near;  // a tag
  float within = 1.0f;
  TagSet touching{};    // none: whatever it touches
  bool paired = false;  // only the seat's own of these
  std::optional<float> slower_than, faster_than;
  StandingPlan standing{};
};

struct MeterTriggerPlan {
  std::vector<std::vector<std::size_t>> meters;  // per seat
};

struct NearMissTriggerPlan {
  TagSet tags{};
  float within = 1.0f;
  Over over = Over::sum;
};

struct ExplorationTriggerPlan {
  float inverse_square = 1.0f;
  float origin_x = 0.0f, origin_y = 0.0f;
};

struct EachPlan {
  Measure measure;
  float times = 1.0f;
};

struct PaidPlan {};  // by a custom game, in its step

struct TermPlan {
  float weight = 1.0f;
  Verdict ends = Verdict::none;
  std::variant<ProgressPlan, EventTriggerPlan, ConditionPlan, MeterTriggerPlan, NearMissTriggerPlan,
               ExplorationTriggerPlan, EachPlan, PaidPlan>
      trigger;
  Scope scope = Scope::self;
  float blend = 1.0f;
  std::size_t memory = 0;      // 8-byte words from the beginning of the seat's
  float most_per_step = 0.0f;  // 0: no limit
  double most_per_episode = 0.0;
};

struct RolePlan {
  std::vector<SensePart> senses;
  std::vector<AllowedPlan> conditions;
  std::vector<ControlPlan> controls;
  std::vector<TargetPlan> targets{};
  CompassMoves moves;
  std::size_t inputs = 0;  // of the body, and wishes beyond them
  // Some input moves slowly, is let go after a tick, or is turned with the body.
  bool paced = false;
  std::vector<TermPlan> terms;
  std::size_t kept_columns = 0, memory_words = 0;
  std::size_t told_columns = 0;              // that a custom game writes
  std::vector<std::size_t> picture_bytes{};  // of each picture that it hands over
  std::size_t kept_offset = 0, given_offset = 0, ledger_offset = 0, memory_offset = 0,
              targets_offset = 0;  // bytes from the block's start
};

// ---- Cutoffs

struct TooFarPlan {
  std::vector<EntityId> of;         // bodies
  Bears bears{};                    // of these
  std::optional<std::size_t> from;  // a tag; else where each began
  float beyond = 1.0f;
  std::size_t memory = 0;  // words: where they began
};

struct StallPlan {
  EventKind since = EventKind::touch;
  std::vector<EntityId> of;  // bodies
  Bears bears{};             // of these
  bool any_thing = true;
  TagSet tags{};
  std::uint32_t steps = 1;
  std::size_t memory = 0;
};

struct CutoffsPlan {
  std::vector<TooFarPlan> too_far;
  std::vector<StallPlan> stalls;
  std::size_t repeats = 0, within = 0;  // 0: they do not matter
  std::size_t repeats_memory = 0;
  std::size_t memory_words = 0, memory_offset = 0;
};

// ---- Rules. What a declared one must remember lies in the game's memory of rules.

/// Whom an action is done to: the things of a tag, or who the rule is about.
struct SubjectPlan {
  std::vector<EntityId> of;  // empty: by `as`
  Part as = Part::who;
  Bears bears{};  // of `of`
};

struct ChangeMeterPlan {
  SubjectPlan subject;
  std::vector<std::optional<std::size_t>> meters;  // per body
  float by = 0.0f;
  std::optional<float> to;
  std::vector<std::optional<std::size_t>> by_meters{};  // per body, whose level `by` is times
};
struct RemovePlan {
  SubjectPlan subject;
};
struct BringBackPlan {
  SubjectPlan subject;
  bool anywhere = false;  // by the placement rule
};
struct ThrowPlan {
  SubjectPlan subject;
  float speed = 0.0f, spread = 0.0f, rise = 0.0f;  // m/s, radians, m/s
  std::optional<float> along;                      // radians
  std::optional<std::size_t> towards;              // a tag
};
struct SetHostilePlan {
  SubjectPlan subject;
  bool hostile = true;
};
struct GiveTagPlan {
  SubjectPlan subject;
  Bears tag{};  // none: its own
};
struct TurnCellsPlan {
  EntityId from, into;
};
struct EnterPhasePlan {
  std::uint32_t phase = 0;
};
struct EmitPlan {
  std::int32_t event = 0;
  float strength = 1.0f;
  std::vector<std::optional<std::size_t>> meters{};  // per body, whose level is the strength
  Part as = Part::who;
};
struct EndPlan {
  Verdict verdict = Verdict::none;
};
using ActionPlan =
    std::variant<ChangeMeterPlan, RemovePlan, BringBackPlan, ThrowPlan, SetHostilePlan, GiveTagPlan,
                 TurnCellsPlan, EnterPhasePlan, EmitPlan, EndPlan>;

struct RulePlan {
  std::optional<EventTriggerPlan> on{};
  std::optional<ConditionPlan> when{}, only_while{};
  std::optional<std::uint32_t> after{}, every{};  // ticks
  std::uint32_t lasting = 0;                      // ticks
  std::uint64_t most = 0;
  std::vector<ActionPlan> then{};
  // Words: how often it was carried out; then what `on` remembers, or for each body of `when` since
  // which tick it holds.
  std::size_t memory = 0;
  bool coded = false;
};

struct Books {
  EpisodeKey key;
  std::uint32_t steps = 0;
  Outcome outcome = Outcome::running;
  EndedBy ended_by = EndedBy::nothing;
};

struct GamePlan {
  GameSpec spec;
  Arena arena;
  std::vector<Role> roles{};
  std::vector<RolePlan> role_plans{};
  CutoffsPlan cutoffs{};
  // Per body: its role, or -1, and its seat.
  std::vector<std::pair<std::int32_t, std::int32_t>> seat_of{};
  std::vector<std::vector<EntityId>> things_of_tag{};  // bodies, zones, items that can bear it
  std::vector<EntityId> seats{};                       // bodies that some role steers
  std::vector<Game> stages{};                          // of a curriculum, without the game itself
  std::vector<RulePlan> rules{};
  std::vector<std::string> told{};  // names of the events that rules tell
  // Doubles of all coded rules, behind what they end the episode with.
  std::size_t rule_numbers = 0, rules_offset = 0;
  std::size_t rule_words = 0, rule_words_offset = 0;  // memory of declared rules
  // Words in it with a bit for each thing that has a pose: those that wait to be brought back to
  // where they were, and anywhere; none if no rule brings anything back.
  std::optional<std::size_t> waiting{}, waiting_anywhere{};
  std::string fingerprint{};
  bool complete = true;
  std::size_t books_offset = 0, block_bytes = 0;
};

}  // namespace zithercraft::game_internal
