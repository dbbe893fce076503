#include <algorithm>
#include <cmath>

#include "match/fan_reading.hpp"
#include "match/scripts.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::match_internal {
namespace {

constexpr float credited_ahead = 8.0f;  // metres of free water a heading is credited with at most
constexpr float room_needed = 2.5f;     // metres of free water wanted across a heading
constexpr float cruise = 1.8f, crawl = 0.25f;  // m/s

// Where the role's observations hold what the script reads.
struct Senses {
  FanReading rays;
  std::size_t compass = 0, own = 0;
  float compass_reach = 1, top_speed = 1, top_turn = 1;
  std::size_t throttle = 0, rudder = 0;
};

Senses find(const Game& game, std::size_t r) {
  const RoleSpec& spec = game.spec().roles[r];
  const Role& role = game.roles()[r];
  const auto* compass = sense_of<Compass>(spec);
  const auto* fan = sense_of<RayFan>(spec);
  const auto* own = sense_of<OwnMotion>(spec);
  if (compass == nullptr || fan == nullptr || own == nullptr || fan->rays < 3)
    lacks("steer_home", role, "a compass, a ray fan of three rays or more, and own motion");
  return {.rays = FanReading(role, *fan, compass->to),
          .compass = column_of(role, compass->name, "ahead"),
          .own = column_of(role, own->name, "speed_ahead"),
          .compass_reach = static_cast<float>(compass->reach),
          .top_speed = static_cast<float>(own->top_speed),
          .top_turn = static_cast<float>(exact::radians(own->top_turn_rate)),
          .throttle = dial_of("steer_home", role, "throttle"),
          .rudder = dial_of("steer_home", role, "rudder")};
}

class Helmsman {
 public:
  explicit Helmsman(Senses senses) : s_(std::move(senses)) {}

  void operator()(const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    const float bearing = static_cast<float>(exact::atan2(static_cast<double>(see[s_.compass + 1]),
                                                          static_cast<double>(see[s_.compass])));
    const float distance = see[s_.compass + 2] * s_.compass_reach;
    const float speed = see[s_.own] * s_.top_speed, turn = see[s_.own + 2] * s_.top_turn;

    const float heading = distance < 2.0f
                              ? bearing
                              : s_.rays.clearest(see, bearing, std::min(credited_ahead, distance),
                                                 credited_ahead, 0.5f * room_needed);
    float wanted =
        std::min(cruise, 0.3f + 0.35f * distance) * std::max(0.15f, 1.0f - std::fabs(heading));
    wanted = std::min(
        wanted,
        crawl +
            0.4f * std::max(0.0f, s_.rays.free_way(see, s_.rays.nearest_ray(0.0f), 1e9f) - 1.5f));
    if (distance < 1.5f) wanted = 0.0f;
    controls[s_.throttle] = 1.5f * (wanted - speed) + 0.33f * wanted;
    const float rudder = 2.0f * heading - 0.8f * turn;
    // Going astern the rudder works the other way round.
    controls[s_.rudder] = std::clamp(speed < -0.05f ? -rudder : rudder, -1.0f, 1.0f);
  }

 private:
  Senses s_;
};

}  // namespace

Script::Function steer_home(const Game& game, std::size_t role) {
  return Helmsman(find(game, role));
}

}  // namespace zithercraft::match_internal
