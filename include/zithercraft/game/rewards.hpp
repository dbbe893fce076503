#pragma once

#include <concepts>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/arena/event.hpp"

/// What roles are rewarded for. Plain values; TOML says the same with the same names.
namespace zithercraft {

class SeatView;

/// How much a term pays: nothing, 1 always, or what a C++ function of the seat returns.
///
/// The function is called from several threads at once and must depend on the seat alone.
class Measure {
 public:
  using Function = std::function<double(const SeatView&)>;

  Measure() = default;
  /// Code that measures.
  template <class F>
  requires std::is_invocable_r_v<double, F, const SeatView&> Measure(F callable)
      : form_(Form::custom), function_(std::move(callable)) {}
  /// The measure that is always 1.
  static Measure always() {
    Measure measure;
    measure.form_ = Form::always;
    return measure;
  }

  /// Whether there is one.
  bool used() const noexcept { return form_ != Form::none; }
  /// Whether it is code of the user's own.
  bool custom() const noexcept { return form_ == Form::custom; }
  /// The function of a custom measure; empty if the spec came from a file, which cannot hold code.
  const Function& function() const noexcept { return function_; }

  // TOML form: "always", or "custom" as a reminder that C++ code is needed.
  /// The word for it in a file; empty for none.
  std::string to_toml() const {
    return form_ == Form::none ? "" : form_ == Form::always ? "always" : "custom";
  }
  /// Takes it from that word; whether it knows the word.
  bool from_toml(const std::string& word) {
    form_ = word == "always" ? Form::always : Form::custom;
    return word == "always" || word == "custom";
  }
  /// The words that a file can give.
  static std::vector<std::string> known_values() { return {"always"}; }
  bool operator==(const Measure& other) const { return form_ == other.form_; }

 private:
  enum class Form { none, always, custom };
  Form form_ = Form::none;
  Function function_;
};

/// Pays for coming closer to the nearest thing of a tag: closing the whole starting distance pays 1
/// in all, and who goes back and forth gets exactly 0 (Ng, Harada and Russell: "Policy invariance
/// under reward transformations", 1999, with a discount of 1).
struct Progress {
  std::string of{};         ///< a tag: what comes closer; empty for the seat's own body
  std::string to{};         ///< a tag
  bool paired = false;      ///< as for a compass
  bool along_path = false;  ///< likewise
  bool operator==(const Progress&) const = default;
};

/// Which part a body plays in an event: who did it, whom it was done to, or either.
enum class Part : std::uint8_t { either, who, whom };

/// Which of the events that fit are counted in an episode.
enum class Counts : std::uint8_t {
  every,
  first,         ///< only the first of all
  first_of_each  ///< only the first with each other thing: each zone once
};

/// Where the other thing of an event is at that moment, as the body that is meant sees it: what has
/// no place of its own, as a wall, where it was touched.
enum class Approach : std::uint8_t {
  any,
  ahead,   ///< within 45 degrees of where it looks
  behind,  ///< within 45 degrees of the way back
  beside,  ///< to the left or to the right
  above,   ///< its foot is at or above the body's middle; arenas with height only
  below    ///< its top is at or below the body's middle; likewise
};

/// Pays once for each event since the last step.
struct EventTrigger {
  EventKind event = EventKind::touch;  ///< any that an arena or a rule reports
  /// of events that rules tell (`event` is custom): which; empty for any
  std::string named{};
  std::string of{};                 ///< a tag: whose events count; empty for the seat's own body
  Part as = Part::either;           ///< in which part
  std::vector<std::string> with{};  ///< tags of the other thing; empty for any or none
  /// events of less strength do not count; for touches the approach speed, m/s
  double harder_than = 0.0;
  std::optional<double> softer_than{};  ///< events of this strength or more do not count
  std::string inside{};                 ///< a zone's tag: the body's centre is in one of these now
  Approach from = Approach::any;        ///< where the other thing was then
  std::optional<double> above{}, below{};  ///< metres: the body's foot is there now
  std::string meter{};                     ///< of the body, which is in the range that follows now
  std::optional<double> at_least{}, at_most{};  ///< of that meter
  bool by_strength = false;       ///< pays the event's strength (the worth of an item) instead of 1
  Counts counts = Counts::every;  ///< how often it pays
  std::int64_t nth = 0;  ///< only this one of the events that count in an episode, from 1: the
                         ///< fifth hit; 0 for all
  bool operator==(const EventTrigger&) const = default;
};

/// Holds while all that is given does.
struct Condition {
  std::string of{};      ///< a tag: which body is meant; empty for the seat's own
  std::string inside{};  ///< the body's centre is in a zone of this tag
  std::string near{};    ///< it is within `within` metres of a thing of this tag, centre to centre
  double within = 1.0;   ///< metres, above 0
  std::vector<std::string> touching{};          ///< it touches something of these tags
  bool paired = false;                          ///< as for a compass: of `inside` and `near`
  std::optional<double> slower_than{};          ///< its speed is below this, m/s
  std::optional<double> faster_than{};          ///< its speed is above this, m/s
  std::optional<double> above{}, below{};       ///< its foot is at or above, below these, metres
  std::string meter{};                          ///< of the body, which is in the range that follows
  std::optional<double> at_least{}, at_most{};  ///< of that meter
  bool operator==(const Condition&) const = default;
};

/// Pays the change of a meter since the last step: health lost is negative, a score won is
/// positive.
struct MeterTrigger {
  /// a tag: whose meter, summed over all bodies of it; empty for the seat's own body
  std::string of{};
  std::string meter{};  ///< of the seat's body
  bool operator==(const MeterTrigger&) const = default;
};

/// How shots that are over count together.
enum class Over : std::uint8_t {
  sum,   ///< each pays
  best,  ///< an episode's shots pay what the best one does: later ones pay only what they are
         ///< better by
};

/// Pays for shots that come close: 1 for a hit, falling to 0 at `within` metres. Needs a launcher
/// with `targets`.
struct NearMissTrigger {
  std::string to{};       ///< a tag of the launcher's targets
  double within = 5.0;    ///< metres, above 0
  Over over = Over::sum;  ///< what passes count for
  bool operator==(const NearMissTrigger&) const = default;
};

/// Pays 1 for each square of ground that the seat enters for the first time in the episode: the
/// arena's cells where it has a map, else squares of `square` metres. Squares that lie 64 squares
/// apart in either direction count as one.
struct ExplorationTrigger {
  double square = 2.0;  ///< metres along a side, above 0
  bool operator==(const ExplorationTrigger&) const = default;
};

/// What a term says of an episode.
enum class Verdict : std::uint8_t { none, success, failure };

/// Whose doings a term pays for.
enum class Scope : std::uint8_t {
  self,
  side,     ///< what it pays for all seats of the seat's side, summed
  everyone  ///< what it pays for all seats, summed
};

/// One named term of the reward terms. Exactly one of `progress`, `on`, `when`, `change`,
/// `near_miss`, `visits`, `each_step` and `each_second` says when it pays. Seats of other roles
/// belong to its scope if they have a term of the same name.
struct Term {
  std::string name{};                          ///< unique among the role's terms
  double weight = 1.0;                         ///< what it pays, times the amount of its trigger
  std::optional<Progress> progress{};          ///< pays for coming nearer
  std::optional<EventTrigger> on{};            ///< pays for an event
  std::optional<Condition> when{};             ///< pays while something holds
  std::optional<MeterTrigger> change{};        ///< pays for a meter's change
  std::optional<NearMissTrigger> near_miss{};  ///< pays for passing close by
  std::optional<ExplorationTrigger> visits{};  ///< pays for new places
  Measure each_step{};                         ///< pays at each step
  Measure each_second{};      ///< pays its amount times the seconds that a step lasts
  Scope scope = Scope::self;  ///< who gets it
  double blend = 1.0;  ///< how much of a shared scope counts: 0 pays for the seat's own doings
                       ///< alone, 1 for all together
  std::optional<double> most_per_step{};  ///< pays no more than this either way in a step, above 0
  std::optional<double> most_per_episode{};  ///< its sum stays within this either way, above 0
  Verdict ends = Verdict::none;  ///< the episode ends with this verdict when the term is triggered;
                                 ///< for `on`, `when`, and `each_step` by code: when it is not 0
  bool operator==(const Term&) const = default;
};

// ---- Cutoffs

/// Too far away: a body's centre farther than this from where it began, or from the nearest thing
/// of a tag.
struct TooFar {
  std::string of{};      ///< a tag: which bodies are meant, any of them; empty for all seats
  std::string from{};    ///< a tag; empty for where the body began the episode
  double beyond = 50.0;  ///< metres, above 0
  bool operator==(const TooFar&) const = default;
};

/// Too long since the last event of a kind, or since the episode's beginning.
struct Stall {
  EventKind since = EventKind::touch;  ///< what ends the stall
  std::string of{};                    ///< a tag: whose events count; empty for all seats
  std::vector<std::string> with{};     ///< tags of the other thing; empty for any or none
  std::int64_t steps = 100;            ///< at least 1
  bool operator==(const Stall&) const = default;
};

/// The arena has come back to the same state again: everything but its clock is as it was.
struct Repeats {
  std::int64_t times = 3;    ///< ends when a state occurs this many times, 2 to 64
  std::int64_t within = 64;  ///< within this many steps, 2 to 256
  bool operator==(const Repeats&) const = default;
};

/// Rules that end an episode without a verdict. Whichever comes first ends it; a verdict at the
/// same step counts more.
struct Cutoffs {
  std::int64_t steps = 300;          ///< an episode is cut off after this many steps, at least 1
  std::vector<TooFar> too_far{};     ///< ends far away
  std::vector<Stall> stalls{};       ///< ends where nothing happens
  std::optional<Repeats> repeats{};  ///< ends where states come again
  bool operator==(const Cutoffs&) const = default;
};

}  // namespace zithercraft
