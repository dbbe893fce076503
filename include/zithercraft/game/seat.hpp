#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/rule_memory.hpp"

namespace zithercraft {

/// Distance to a thing and its direction in the seat's own frame.
struct Bearing {
  float distance = 0.0f;            ///< metres, centre to centre; in space, in arenas with height
  float ahead = 1.0f, left = 0.0f;  ///< cosine and sine of the bearing
  float up = 0.0f;                  ///< sine of the elevation, in arenas with height
  /// the thing; none if there is none in the arena now (the distance is then 0)
  EntityId entity{};
};

/// A ray as the seat casts it now, in the arena's coordinates.
struct SeenRay {
  /// Where it begins and ends, metres.
  float from_x = 0.0f, from_y = 0.0f, to_x = 0.0f, to_y = 0.0f;
  float from_z = 0.0f, to_z = 0.0f;  ///< in arenas with height
  EntityId entity{};                 ///< what it met; none for nothing
};

/// What custom terms and scripts see of a seat. Valid during the call it is passed to.
class SeatView {
 public:
  /// A seat of a lane.
  SeatView(const Lanes& lanes, std::size_t lane, std::size_t role, std::size_t seat)
      : lanes_(lanes), lane_(lane), role_(role), seat_(seat) {}
  /// Throws Error (usage) if the game is not played in an arena.
  SeatView(const Environment& environment, std::size_t lane, std::size_t role, std::size_t seat)
      : SeatView(lanes_of(environment), lane, role, seat) {}

  /// Its role.
  const Role& role() const { return game().roles()[role_]; }
  /// Its lane.
  std::size_t lane() const { return lane_; }
  /// Its row among those of its role.
  std::size_t row() const { return lane_ * lanes_.seats(role_) + seat_; }
  /// Its body, as the arena numbers it.
  EntityId body() const { return role().seats[seat_]; }

  /// Of its body.
  Pose pose() const;
  /// Of its body.
  Velocity velocity() const;
  float speed() const;  ///< m/s, at least 0
  /// Whether the seat's body is in the arena now.
  bool present() const { return view().present(body()); }
  /// The value of one of its meters. Throws Error (spec) if it has none of that name.
  float meter(std::string_view name) const { return view().meter(body(), name); }
  /// The numbers of one of the game's own rules. Throws Error (spec) if it has none of that name.
  std::span<const double> numbers(std::string_view rule) const;
  /// The same as the struct that the rule keeps. Throws Error (spec) if there is no such rule, and
  /// Error (usage) if its numbers are too few for it.
  template <class Memory>
  const Memory& memory(std::string_view rule) const {
    return memory_in<Memory>(numbers(rule));
  }
  /// The nearest present body, zone or item with this tag (index from `Arena::tag`), not counting
  /// the seat's own body.
  Bearing nearest(std::size_t tag) const;
  /// The nearest thing of a tag.
  Bearing nearest(std::string_view tag) const;
  /// The thing of this tag that is paired with the seat: the first seat's is the first of them, and
  /// so on.
  Bearing paired(std::size_t tag) const;
  /// Where a body, zone or item lies, whether it is there or not.
  Bearing bearing_to(EntityId thing) const;
  /// The same along the shortest path over cells, around what is solid and what `cells.avoid`
  /// names: the distance is that of the path, the direction that into the next cell. Straight there
  /// if there is no such path.
  Bearing path_to(EntityId thing) const;
  /// The seat's number among those of its role in the lane.
  std::size_t number() const { return seat_; }

  /// What the seat senses for the next step, in the order of `role().columns`.
  std::span<const float> observation() const { return lanes_.observation(role_, row()); }
  /// Every ray of the seat's ray fans and cones, for drawing; allocates.
  std::vector<SeenRay> rays() const;
  /// Since the episode began.
  std::uint32_t steps() const { return lanes_.steps(lane_); }
  /// Of the last step.
  std::span<const Event> events() const { return lanes_.events(lane_); }
  /// The episode's key, for your own random numbers.
  EpisodeKey episode() const { return lanes_.key(lane_); }
  /// The game as the lane plays it.
  const Game& game() const { return lanes_.game_of(lane_); }
  /// The arena's state in its lane.
  const std::byte* arena_state() const { return lanes_.arena_state(lane_); }
  /// How things stand in its lane's arena.
  ArenaView view() const { return lanes_.view(lane_); }

 private:
  float middle_of(EntityId thing) const;

  const Lanes& lanes_;
  std::size_t lane_, role_, seat_;
};

}  // namespace zithercraft
