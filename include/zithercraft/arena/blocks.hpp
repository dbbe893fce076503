#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "zithercraft/arena/effects.hpp"

/// Worlds of blocks: cubes in space that bodies stand on, dig away and place. They need an arena
/// with height.
namespace zithercraft {

/// What a block can be made of.
struct BlockKind {
  std::string name{};  ///< also its tag, unless `tag` is given
  std::string tag{};   ///< empty means the same as the name
  bool solid = true;   ///< nothing enters it; rays stop at all kinds that they ask for
  std::optional<double> hardness{};  ///< seconds it takes to dig with power 1, at least 0; without
                                     ///< it, it cannot be dug
  double worth = 0.0;                ///< strength of the `dig` event
  double bounce = 0.0;               ///< as for bodies
  double grip = 0.3;                 ///< as for bodies
  /// on those who touch it, or whose middle is in it if it is not solid
  std::vector<Effect> effects{};
  std::vector<std::string> kills{};  ///< tags of bodies that die when they touch it or come into it
  bool operator==(const BlockKind&) const = default;
};

/// Ground in layers below a hilly surface: from the top, the first kind as thick as its thickness
/// says, then the next; the last reaches to the bottom.
struct Strata {
  static constexpr std::string_view kind = "strata";  ///< the word for it in files
  std::vector<std::string> kinds{};                   ///< names of block kinds, from the top
  std::vector<double> thickness{};                    ///< blocks, of all but the last
  /// share of the world's height at which the surface lies on average, 0 to 1
  double surface = 0.5;
  double relief = 4.0;    ///< blocks from the lowest valley to the highest hill at most, at least 0
  double feature = 12.0;  ///< blocks across a typical hill, above 1
  bool operator==(const Strata&) const = default;
};

/// Caves: where smooth noise in space is strongest, blocks are taken out or replaced.
struct Hollows {
  static constexpr std::string_view kind = "hollows";  ///< the word for it in files
  std::vector<std::string> in{};                       ///< names of the kinds that are hollowed out
  std::string put{};     ///< name of the kind that fills the hollows; empty: nothing does
  double share = 0.2;    ///< of the world's blocks that lie in hollows, 0 to 1
  double feature = 6.0;  ///< blocks across a typical hollow, above 1
  double lowest = 0.0, highest = 1.0;  ///< share of the world's height they keep to, 0 to 1
  bool operator==(const Hollows&) const = default;
};

/// Strings of blocks of one kind that wind through others.
struct Veins {
  static constexpr std::string_view kind = "veins";  ///< the word for it in files
  std::string put{};                                 ///< name of a block kind
  std::vector<std::string> in{};                     ///< names of the kinds that it replaces
  std::int64_t count = 10;                           ///< how many, 1 to 10,000
  std::int64_t length = 6;                           ///< blocks of each at most, 1 to 1,000
  double lowest = 0.0, highest = 1.0;  ///< share of the world's height they begin in, 0 to 1
  bool operator==(const Veins&) const = default;
};

/// What fills a world of blocks.
using BlockGenerator = std::variant<Strata, Hollows, Veins>;

/// A world of `columns` x `rows` x `layers` cubes. `layouts` worlds are made beforehand; each
/// episode plays one, so that beginning it again costs only what was changed.
struct BlocksSpec {
  double size = 1.0;                      ///< metres along a block's side, above 0
  std::array<double, 3> origin{0, 0, 0};  ///< metres: the lowest corner
  std::vector<BlockKind> kinds{};         ///< at most 255
  /// .npy of whole numbers [layers][rows][columns]: kinds counted from 1, 0 for none
  std::string file{};
  /// Along each axis, 1 to 512; 0 for a world from a file, which has its size.
  std::int64_t columns = 0, rows = 0, layers = 0;
  std::vector<BlockGenerator>
      generate{};            ///< done in this order, on the file's world or an empty one
  std::int64_t layouts = 1;  ///< 1 to 1,024
  std::int64_t seed = 0;     ///< of the layouts
  bool operator==(const BlocksSpec&) const = default;
};

/// Lets a body dig blocks away and place them. It works on the block it looks at.
///
/// Adds inputs to the body: `dig` (above a half: digs as long as it is held on the same block) and,
/// if `places` names a kind, `place` (above a half: puts a block before the one it looks at, where
/// nobody stands).
struct Digger {
  double reach = 2.5;    ///< metres from its eye, above 0
  double eye = 0.8;      ///< metres above its foot, at least 0
  double power = 1.0;    ///< hardness dug per second, above 0
  std::string places{};  ///< name of a block kind; empty: it does not place
  std::string stock{};   ///< a meter of the body: digging a block adds 1, placing takes 1; empty:
                         ///< there is no end
  double every = 0.5;    ///< seconds from placing one to placing the next, at least 0
  /// Degrees below level: digging while looking down by more is steep. Of blocks dug steeply one
  /// after the other only the first `steep_most` have their worth, the others none. 90: nothing is
  /// steep.
  double steep = 90.0;
  std::int64_t steep_most = 3;  ///< at least 0
  bool operator==(const Digger&) const = default;
};

}  // namespace zithercraft
