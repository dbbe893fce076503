#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>

#include "zithercraft/base/random.hpp"
#include "zithercraft/game/code.hpp"

/// Custom rules, in C++: what the arena does not know, up to a whole game.
namespace zithercraft {

class Lanes;
enum class Verdict : std::uint8_t;
struct EpisodeKey;

/// One lane, as a rule sees and changes it. Valid during the call it is passed to.
class RuleView {
 public:
  /// Of a lane; for those who run rules.
  RuleView(Lanes& lanes, std::size_t lane, std::span<double> numbers)
      : lanes_(lanes), lane_(lane), numbers_(numbers) {}

  /// The rule's own numbers. They are part of the lane's state, and 0 before the episode begins.
  std::span<double> numbers() const noexcept { return numbers_; }
  /// Which episode it is.
  EpisodeKey episode() const;
  /// A stream of random numbers that depends on the episode alone; the same at each call.
  RandomStream random() const;
  /// Seconds of a tick.
  double tick_seconds() const;
  /// What a seat of a role has decided: a dial's value in its range, a choice's option number.
  /// Controls are counted in the order of the role, from 0. Throws Error (usage) if there is no
  /// such control, role or seat.
  double control(std::size_t control, std::size_t role = 0, std::size_t seat = 0) const;
  /// The arena's state, for `Arena`'s functions.
  std::byte* arena_state() const;
  /// Ends the episode with this verdict at the end of the step; failure outweighs success.
  void end(Verdict verdict) const;

 private:
  Lanes& lanes_;
  std::size_t lane_;
  std::span<double> numbers_;
};

/// Code of a rule. Called from several threads at once, for different lanes; it must depend on the
/// view alone.
using RuleCode = Code<void(const RuleView&)>;

/// A rule of a game's own. A file can name it but not hold the code. Where a game has rules,
/// controls need not drive an input of the body: the rules read them.
struct CustomRule {
  std::string name{};        ///< unique among the game's rules
  std::int64_t numbers = 0;  ///< how many it keeps, 0 to 4096
  RuleCode begin{};          ///< at the beginning of an episode, after everything was placed
  RuleCode tick{};           ///< after each tick of the arena
  bool operator==(const CustomRule&) const = default;
};

}  // namespace zithercraft
