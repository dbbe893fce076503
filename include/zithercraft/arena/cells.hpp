#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "zithercraft/arena/effects.hpp"

/// Cell maps: square cells drawn as text or generated, in layers. A cell map is the ground of
/// steppers, who move from cell to cell, and an obstacle for everything else.
namespace zithercraft {

/// What a cell can hold.
struct CellKind {
  std::string name{};  ///< also its tag, unless `tag` is given
  std::string tag{};   ///< empty means the same as the name
  /// one printable ASCII character that stands for it in drawn layers, not a space
  std::string symbol{};
  bool solid = false;  ///< nothing enters it, rays stop at it
  bool seen = true;    ///< rays that ask for its tag stop at it though it is not solid
  /// Metres that a solid cell rises above the floor; without it, it has no end. Arenas with height
  /// only.
  std::optional<double> height{};
  std::vector<Effect> effects{};     ///< on bodies that stand on it
  std::vector<std::string> kills{};  ///< tags of bodies that die when they come onto it
  bool operator==(const CellKind&) const = default;
};

/// A maze of corridors one cell wide: a spanning tree by random depth-first search, so that any two
/// open cells are joined by exactly one way; `loops` opens further walls.
struct Maze {
  static constexpr std::string_view kind = "maze";  ///< the word for it in files
  std::string wall{}, open{};                       ///< names of cell kinds
  std::int64_t corridor = 1;                        ///< cells across a corridor, at least 1
  double loops = 0.0;  ///< share of the remaining inner walls that is opened, 0 to 1
  bool operator==(const Maze&) const = default;
};

/// Rectangular rooms joined by corridors into one connected whole.
struct Rooms {
  static constexpr std::string_view kind = "rooms";  ///< the word for it in files
  std::string wall{}, open{};                        ///< names of cell kinds
  std::int64_t rooms = 6;                            ///< tried to be placed, at least 1
  std::int64_t smallest = 3, largest = 7;            ///< cells along a side, at least 1
  bool operator==(const Rooms&) const = default;
};

/// Natural hollows: random cells smoothed by majority of neighbours, of which the largest connected
/// hollow is kept.
struct Caves {
  static constexpr std::string_view kind = "caves";  ///< the word for it in files
  std::string wall{}, open{};                        ///< names of cell kinds
  double fill = 0.45;                                ///< share of wall before smoothing, 0 to 1
  std::int64_t rounds = 4;                           ///< of smoothing, 0 to 20
  bool operator==(const Caves&) const = default;
};

/// Land in water from smooth noise that falls off towards the border.
struct Islands {
  static constexpr std::string_view kind = "islands";  ///< the word for it in files
  std::string water{}, land{};                         ///< names of cell kinds
  std::string hill{};    ///< name of the kind of the highest land; empty for none
  double share = 0.4;    ///< of the map that is land, 0 to 1
  double hills = 0.15;   ///< share of the land that is hill
  double feature = 8.0;  ///< cells across a typical island, above 1
  bool operator==(const Islands&) const = default;
};

/// Turns random cells of one kind into another.
struct Scatter {
  static constexpr std::string_view kind = "scatter";  ///< the word for it in files
  std::string on{}, put{};                             ///< names of cell kinds
  double density = 0.1;                                ///< share of the cells of kind `on`, 0 to 1
  std::int64_t layer = 0;                              ///< the layer in which `put` is set
  bool operator==(const Scatter&) const = default;
};

/// What draws a map of cells.
using Generator = std::variant<Maze, Rooms, Caves, Islands, Scatter>;

/// What happens when several steppers want to enter one cell in the same tick. none: all stay where
/// they are. one: a random one enters. all: cells can be shared.
enum class Meeting { none, one, all };

/// A map of `columns` x `rows` cells. The first cell of the lowest row has its corner at `origin`;
/// rows are drawn from the top, the way the map looks from above.
struct CellsSpec {
  double size = 1.0;                   ///< metres along a cell's side, above 0
  std::array<double, 2> origin{0, 0};  ///< metres: the lower left corner of the map
  std::vector<CellKind> kinds{};       ///< at most 255; cells of no kind are empty
  /// drawn maps, one line for each row; a space is no kind in that layer
  std::vector<std::string> layers{};
  std::int64_t columns = 0, rows = 0;  ///< size of a map that is not drawn
  Meeting meeting = Meeting::none;     ///< who may stand on a cell together
  bool swapping = false;               ///< two neighbours may change places in one tick
  /// Made in this order at the beginning of every episode, on top of what is drawn.
  std::vector<Generator> generate{};
  /// Names of bodies, zones and items: all of them must be able to reach each other over cells that
  /// are not solid. Layouts are drawn until they can.
  std::vector<std::string> connect{};
  /// names of cell kinds that a way between `connect` may not use either
  std::vector<std::string> avoid{};
  bool operator==(const CellsSpec&) const = default;
};

}  // namespace zithercraft
