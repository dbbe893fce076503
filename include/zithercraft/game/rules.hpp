#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "zithercraft/arena/view.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/code.hpp"
#include "zithercraft/game/rewards.hpp"
#include "zithercraft/game/rule_memory.hpp"

/// Rules of a game's own: what happens when. A file can hold those that are declared; C++ code can
/// do what the arena does not know, up to a whole game.
namespace zithercraft {

class Lanes;
struct EpisodeKey;

// ---- What a declared rule does. `of` is a tag: it is done to all things of it. Without `of` it is
// done to what the rule is about: the body that its condition holds for, or one of the two of its
// event, by `as`; where either part counts, `who` stands for the body that is meant.

/// Changes a meter of bodies, within its range. `by_meter` changes it by the level of another meter
/// of the same body, times `by`.
struct ChangeMeter {
  static constexpr const char* kind = "change";
  std::string of{};            ///< a tag of bodies
  Part as = Part::who;         ///< of the rule's event, without `of`
  std::string meter{};         ///< of these bodies
  double by = 0.0;             ///< is added
  std::string by_meter{};      ///< of the same body; empty: `by` alone
  std::optional<double> to{};  ///< is set, in place of `by`
  bool operator==(const ChangeMeter&) const = default;
};

/// Takes things out of the arena: a gate opens, a prize is gone. Nobody dies of it. A piece of a
/// tail goes with all behind it, and the leader's meter says so.
struct Remove {
  static constexpr const char* kind = "remove";
  std::string of{};     ///< a tag of bodies, zones, items or walls that open
  Part as = Part::who;  ///< of the rule's event, without `of`
  bool operator==(const Remove&) const = default;
};

/// Brings things back that are out of the arena, to where they were: a gate closes. A body
/// and a wall wait until nothing stands in their place.
struct BringBack {
  static constexpr const char* kind = "bring_back";
  std::string of{};     ///< a tag of bodies, zones, items or walls that open
  Part as = Part::who;  ///< of the rule's event, without `of`
  bool operator==(const BringBack&) const = default;
};

/// Puts things where their placement rule allows it, at random and at rest, wherever they are: a
/// ball is served again. It waits until there is a free place.
struct PlaceAgain {
  static constexpr const char* kind = "place_again";
  std::string of{};     ///< a tag of bodies, zones or items
  Part as = Part::who;  ///< of the rule's event, without `of`
  bool operator==(const PlaceAgain&) const = default;
};

/// Gives free bodies a velocity in place of the one that they have.
struct Throw {
  static constexpr const char* kind = "throw";
  std::string of{};               ///< a tag of bodies
  Part as = Part::who;            ///< of the rule's event, without `of`
  double speed = 5.0;             ///< m/s, at least 0
  std::optional<double> along{};  ///< degrees in the arena; without it, where the body looks
  std::string towards{};          ///< or a tag: to the nearest thing of it
  double spread = 0.0;  ///< degrees to either side, at random, 0 to 180; 180 is any direction
  double rise = 0.0;    ///< m/s upwards, in arenas with height
  bool operator==(const Throw&) const = default;
};

/// Switches whether wanderers chase.
struct SetHostile {
  static constexpr const char* kind = "set_hostile";
  std::string of{};     ///< a tag of bodies
  Part as = Part::who;  ///< of the rule's event, without `of`
  bool hostile = true;  ///< whether they chase from now on
  bool operator==(const SetHostile&) const = default;
};

/// Gives bodies a tag in place of the one that they bear: a caught runner becomes the catcher. What
/// senses, rules, effects and terms say of the tag goes for them from then on, until the episode
/// ends.
struct GiveTag {
  static constexpr const char* kind = "give_tag";
  std::string of{};     ///< a tag of bodies
  Part as = Part::who;  ///< of the rule's event, without `of`
  std::string tag{};    ///< one that the body `may_bear`; empty: its own again
  bool operator==(const GiveTag&) const = default;
};

/// All cells of a kind become cells of another: gates of a map open or close, ice melts.
struct TurnCells {
  static constexpr const char* kind = "turn_cells";
  std::string from{};  ///< a kind of cell
  std::string into{};  ///< another; empty: nothing lies there any more
  bool operator==(const TurnCells&) const = default;
};

/// Puts other numbers of the arena in force: a phase of its spec.
struct EnterPhase {
  static constexpr const char* kind = "enter_phase";
  std::string phase{};  ///< its name; empty: the numbers that the episode began with
  bool operator==(const EnterPhase&) const = default;
};

/// Tells an event of its own, that terms, cutoffs and later rules can wait for: `event = "custom"`
/// with this name in `named`.
struct Emit {
  static constexpr const char* kind = "emit";
  std::string event{};    ///< its name
  double strength = 1.0;  ///< of the event
  std::string meter{};    ///< its level is the strength instead, of whom the rule is about
  Part as = Part::who;    ///< which of the two, with `meter`
  bool operator==(const Emit&) const = default;
};

/// Ends the episode at the end of the step.
struct Finish {
  static constexpr const char* kind = "end";
  Verdict verdict = Verdict::none;  ///< of the first role; "no" cuts the episode off
  bool operator==(const Finish&) const = default;
};

/// One thing that a rule does.
using Action = std::variant<ChangeMeter, Remove, BringBack, PlaceAgain, Throw, SetHostile, GiveTag,
                            TurnCells, EnterPhase, Emit, Finish>;

// ---- Rules in C++

/// One lane, as a rule sees and changes it. Valid during the call it is passed to.
class RuleView {
 public:
  /// What is going on; for those who run rules.
  struct Moment {
    std::size_t worker = 0;       ///< thread
    std::size_t first_event = 0;  ///< of this tick among those of the step
    bool last_tick = false;       ///< of the step
  };
  /// Of a lane; for those who run rules.
  RuleView(Lanes& lanes, std::size_t lane, std::span<double> numbers, const Moment& moment)
      : lanes_(lanes), lane_(lane), numbers_(numbers), moment_(moment) {}

  /// The rule's own numbers. They are part of the lane's state, and 0 before the episode begins.
  std::span<double> numbers() const noexcept { return numbers_; }
  /// The same as one struct, for a rule that `keeps` this type. Throws Error (usage) if the rule's
  /// numbers are too few for it.
  template <class Memory>
  Memory& memory() const {
    return memory_in<Memory>(numbers_);
  }
  /// Which episode it is.
  EpisodeKey episode() const;
  /// A stream of random numbers that depends on the episode alone; the same at each call.
  RandomStream random() const;
  /// Seconds of a tick.
  double tick_seconds() const;
  /// Whether this is the last tick of a step: what is done then is sensed at once.
  bool last_tick() const noexcept { return moment_.last_tick; }
  /// What a seat of a role has decided: a dial's value in its range, a choice's option number.
  /// Controls are counted in the order of the role, from 0. Throws Error (usage) if there is no
  /// such control, role or seat.
  double control(std::size_t control, std::size_t role = 0, std::size_t seat = 0) const;
  /// The arena's state, for `Arena`'s functions that change it.
  std::byte* arena_state() const;
  /// How things stand in the arena.
  ArenaView view() const;
  /// What happened in this tick, and what rules before this one told. Valid until something is
  /// told.
  std::span<const Event> events() const;
  /// Tells an event of the rule's own by its name, which the rule must list in `emits`. Throws
  /// Error (usage) if it does not.
  void emit(std::string_view event, EntityId who = {}, EntityId whom = {},
            float strength = 1.0f) const;
  /// Changes a meter of a body as a declared rule does: bounds that are reached are reported, and
  /// whose vital meter gets empty dies. Throws Error (spec) if it has none of that name.
  void change_meter(EntityId body, std::string_view meter, double by) const;
  /// Puts something at a random place that its placement rule allows; false if none was met.
  bool place_again(EntityId posed) const;
  /// Ends the episode with this verdict at the end of the step; failure outweighs success.
  void end(Verdict verdict) const;
  /// Ends the episode without a verdict at the end of the step; a verdict counts more.
  void cut_off() const;

 private:
  Lanes& lanes_;
  std::size_t lane_;
  std::span<double> numbers_;
  Moment moment_;
};

/// Code of a rule. Called from several threads at once, for different lanes; it must depend on the
/// view alone.
using RuleCode = Code<void(const RuleView&)>;

/// A rule of a game's own, declared or coded. Rules are carried out after each tick of the arena,
/// in their order; a rule sees what those before it did and told in the same tick.
///
/// A declared one has exactly one of `on`, `when` and a time (`after`, `every` or both), which say
/// when, and `then`, which says what. In these a body's tag is needed in `of` only if not all seats
/// are meant. Where a game has rules, controls need not drive an input of the body: coded rules
/// read them.
struct RuleSpec {
  std::string name{};        ///< unique among the game's rules
  std::int64_t numbers = 0;  ///< of a coded one: how many it keeps, 0 to 4096
  RuleCode begin{};          ///< code, at the beginning of an episode, after everything was placed
  RuleCode tick{};           ///< code, after each tick of the arena
  std::vector<std::string> emits{};  ///< of a coded one: the events that it tells

  std::optional<EventTrigger> on{};  ///< for each event that fits
  /// when it begins to hold for a body that it is about
  std::optional<Condition> when{};
  double lasting = 0.0;           ///< with `when`: it has held for so many seconds, at least 0
  std::optional<double> after{};  ///< seconds after the episode's beginning, once, at least 0
  std::optional<double> every{};  ///< seconds, again and again, above 0
  /// must hold besides, for any of its bodies
  std::optional<Condition> only_while{};
  std::int64_t most = 0;       ///< times in an episode; 0: as often as it fits
  std::vector<Action> then{};  ///< what is done, in this order

  /// Lets a coded one keep a struct of its own, all bytes of which are 0 before the episode begins:
  /// see RuleView::memory.
  template <class Memory>
  void keep() {
    static_assert(can_be_kept<Memory>);
    numbers = static_cast<std::int64_t>(numbers_for<Memory>);
  }
  /// Whether C++ code does it.
  bool coded() const noexcept { return then.empty(); }
  bool operator==(const RuleSpec&) const = default;
};

/// A rule in one line of plain words, without its name.
std::string in_words(const RuleSpec& rule);

}  // namespace zithercraft
