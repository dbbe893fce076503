#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/arena/event.hpp"
#include "zithercraft/base/signature.hpp"
#include "zithercraft/game/keys.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

namespace game_internal {
struct GamePlan;
}

/// Rays that a role senses by. Their columns follow each other ray by ray, as `reports` says.
struct RaySense {
  std::string name{};                    ///< of the sense
  std::size_t first_column = 0;          ///< of the role's
  std::vector<std::string> tags{};       ///< what it tells apart
  RayReport reports = RayReport::first;  ///< what a ray says
  std::size_t columns_each =
      0;                       ///< of a ray; its distance is the last of them, except for each_tag
  float reach = 1.0f;          ///< metres
  float eye = 0.0f;            ///< metres above the foot at which they begin; 0 in flat arenas
  bool follows_pitch = false;  ///< they tilt with the body's pitch
  /// of each ray in the body's frame: ahead, to the left, up
  std::vector<std::array<float, 3>> direction{};
};

/// Columns of a sense that lie on a grid: a camera's picture or a window. They run
/// [layers][height][width][channels]; the same for each step before that the sense keeps follows.
struct GridSense {
  std::string name{};                                           ///< of the sense
  std::size_t first_column = 0;                                 ///< of the role's
  std::size_t layers = 1, height = 0, width = 0, channels = 0;  ///< sizes of the grid
  std::size_t history = 0;  ///< earlier steps that are sensed too
};

/// Columns that describe others, [others][columns_each], the first of each being 1 if it is there;
/// the same for each step before that the sense keeps follows.
struct CrowdSense {
  std::string name{};                        ///< of the sense
  std::size_t first_column = 0;              ///< of the role's
  std::size_t others = 0, columns_each = 0;  ///< how many are described, and by how many columns
  std::size_t history = 0;                   ///< earlier steps that are sensed too
};

/// Columns that each say of a move whether something deadly lies there.
struct HazardSense {
  std::string name{};                       ///< of the sense
  std::size_t first_column = 0, moves = 0;  ///< of the role's; how many
  std::vector<std::string> tags{};          ///< what is deadly
};

/// A role of a compiled game.
struct Role {
  std::string name{};             ///< of its spec
  std::vector<EntityId> seats{};  ///< the body of each seat
  std::string side{};             ///< of its first seat; empty for none
  /// the role whose policy plays it too; its own number if it mirrors none
  std::size_t mirrors = 0;
  std::vector<Column> columns{};        ///< of its observations
  std::vector<ControlInfo> controls{};  ///< one number each
  std::vector<std::string> terms{};     ///< reward terms
  std::vector<RaySense> rays{};         ///< its ray senses
  std::vector<GridSense> grids{};       ///< its cameras and windows
  std::vector<CrowdSense> crowds{};     ///< its crowds
  std::vector<HazardSense> hazards{};   ///< its senses of what is deadly
  std::vector<KeyBinding> keys{};       ///< the game's own, or the usual ones
  std::vector<float> rest{};  ///< the controls of an idle person: dials as near 0 as they go
};

/// Whether two roles are on different sides: success of one is failure of the other.
inline bool opposed(const Role& a, const Role& b) {
  return !a.side.empty() && !b.side.empty() && a.side != b.side;
}

class Game;
/// The word for what happened: of a custom game's own events, the name that the game declares.
std::string_view name_of(const Game& game, const Event& event) noexcept;

/// A compiled game: checked, immutable, cheap to copy and safe to share between threads.
class Game {
 public:
  /// Throws Error (spec) with the key path and a fix if the spec makes no sense.
  explicit Game(GameSpec spec, CustomParts custom = CustomParts::needed);

  /// What it was compiled from.
  const GameSpec& spec() const noexcept;
  /// The arena that it is played in.
  const Arena& arena() const noexcept { return *arena_; }
  /// In the order of the spec.
  std::span<const Role> roles() const noexcept { return roles_; }
  /// Changes whenever anything in the spec does: 16 hexadecimal digits.
  const std::string& fingerprint() const noexcept;
  /// Whether every custom part is there (see CustomParts).
  bool complete() const noexcept;

  /// The names of the game's own events, which a custom game or rules tell; the `detail` of a
  /// custom event counts them.
  std::span<const std::string> told_events() const noexcept;

  /// How many stages a training goes through; the last is the game itself. 1 without a curriculum.
  std::size_t stages() const noexcept;
  /// The game as it is on a stage: the same seats, columns, controls and terms.
  Game stage(std::size_t number) const;
  /// As the spec names it; the game's own name for the last.
  std::string stage_name(std::size_t number) const;

  /// For the library itself.
  const game_internal::GamePlan& plan() const noexcept { return *plan_; }

 private:
  std::shared_ptr<const game_internal::GamePlan> plan_;
  const Arena* arena_;  // of the plan, like the roles: they are asked for at every step
  std::span<const Role> roles_;
};

}  // namespace zithercraft
