#include <algorithm>
#include <cmath>
#include <optional>

#include "scripts.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

constexpr float look_ahead = 8.0f;             // metres of free water a heading is credited with at most
constexpr float room_needed = 2.5f;            // metres of free water wanted on both sides of a heading
constexpr float cruise = 1.8f, crawl = 0.25f;  // m/s

// Where the role's observations hold what the script reads.
struct Senses {
  std::size_t compass = 0, own = 0, rays = 0;
  float compass_reach = 1, top_speed = 1, top_turn = 1, ray_reach = 1;
  std::vector<float> angles;  // of the rays, radians to port
  std::size_t columns_per_ray = 0;
  std::optional<std::size_t> target_flag;
  std::size_t throttle = 0, rudder = 0;
};

class Finder {
 public:
  Finder(const Game& game, std::size_t role) : spec_(game.spec().roles[role]), role_(game.roles()[role]) {}

  Senses find() {
    const Compass* compass = nullptr;
    const RayFan* fan = nullptr;
    const OwnMotion* own = nullptr;
    for (const Sense& sense : spec_.senses) {
      if (const auto* s = std::get_if<Compass>(&sense)) compass = s;
      if (const auto* s = std::get_if<RayFan>(&sense)) fan = s;
      if (const auto* s = std::get_if<OwnMotion>(&sense)) own = s;
    }
    if (compass == nullptr || fan == nullptr || own == nullptr || fan->rays < 3)
      lacks("a compass, a ray fan of three rays or more, and own motion");
    Senses s;
    s.compass = column(compass->name + ".ahead");
    s.own = column(own->name + ".speed_ahead");
    s.rays = column(fan->name + "[0]." + fan->sees.front());
    s.compass_reach = static_cast<float>(compass->reach);
    s.top_speed = static_cast<float>(own->top_speed);
    s.top_turn = static_cast<float>(exact::radians(own->top_turn_rate));
    s.ray_reach = static_cast<float>(fan->reach);
    if (fan->reports == RayReport::each_tag) lacks("a ray fan that reports what each ray meets first");
    s.columns_per_ray = fan->sees.size() + (fan->reports == RayReport::first_or_miss ? 2 : 1);
    const auto flag = std::find(fan->sees.begin(), fan->sees.end(), compass->to);
    if (flag != fan->sees.end()) s.target_flag = static_cast<std::size_t>(flag - fan->sees.begin());
    const double gaps = static_cast<double>(fan->arc >= 360.0 ? fan->rays : fan->rays - 1);
    for (std::int64_t i = 0; i < fan->rays; ++i)
      s.angles.push_back(
          static_cast<float>(exact::radians(-0.5 * fan->arc + fan->arc * static_cast<double>(i) / gaps)));
    s.throttle = dial("throttle");
    s.rudder = dial("rudder");
    return s;
  }

 private:
  [[noreturn]] void lacks(const std::string& what) const { zithercraft::lacks("steer_home", role_, what); }
  std::size_t column(const std::string& name) const { return column_of(role_, name); }
  std::size_t dial(const std::string& name) const {
    for (std::size_t i = 0; i < role_.controls.size(); ++i)
      if (role_.controls[i].name == name && !role_.controls[i].is_choice()) return i;
    lacks("a dial '" + name + "'");
  }

  const RoleSpec& spec_;
  const Role& role_;
};

class Helmsman {
 public:
  explicit Helmsman(Senses senses) : s_(std::move(senses)) {}

  void operator()(const SeatView& seat, std::span<float> controls) const {
    const auto see = seat.observation();
    const float bearing = static_cast<float>(
        exact::atan2(static_cast<double>(see[s_.compass + 1]), static_cast<double>(see[s_.compass])));
    const float distance = see[s_.compass + 2] * s_.compass_reach;
    const float speed = see[s_.own] * s_.top_speed, turn = see[s_.own + 2] * s_.top_turn;

    const float heading = distance < 2.0f ? bearing : clearest(see, bearing, distance);
    float wanted = std::min(cruise, 0.3f + 0.35f * distance) * std::max(0.15f, 1.0f - std::fabs(heading));
    wanted = std::min(wanted, crawl + 0.4f * std::max(0.0f, free_water(see, nearest_ray(0.0f), 1e9f) - 1.5f));
    if (distance < 1.5f) wanted = 0.0f;
    controls[s_.throttle] = 1.5f * (wanted - speed) + 0.33f * wanted;
    const float rudder = 2.0f * heading - 0.8f * turn;
    // Going astern the rudder works the other way round.
    controls[s_.rudder] = std::clamp(speed < -0.05f ? -rudder : rudder, -1.0f, 1.0f);
  }

 private:
  std::size_t nearest_ray(float angle) const {
    std::size_t best = 0;
    for (std::size_t i = 1; i < s_.angles.size(); ++i)
      if (std::fabs(s_.angles[i] - angle) < std::fabs(s_.angles[best] - angle)) best = i;
    return best;
  }

  // Metres of free water along a ray; the target itself is no obstacle.
  float free_water(std::span<const float> see, std::size_t ray, float distance) const {
    const std::size_t first = s_.rays + ray * s_.columns_per_ray;
    if (s_.target_flag && see[first + *s_.target_flag] > 0.5f) return distance;
    return see[first + s_.columns_per_ray - 1] * s_.ray_reach;
  }

  // The ray whose neighbourhood is free for long and that lies nearest to the target's bearing.
  float clearest(std::span<const float> see, float bearing, float distance) const {
    const float far = std::min(look_ahead, distance);
    float best = -1e9f, heading = bearing;
    for (std::size_t i = 0; i < s_.angles.size(); ++i) {
      float room = free_water(see, i, look_ahead);
      for (std::size_t j = 0; j < s_.angles.size(); ++j) {
        const float apart = std::fabs(s_.angles[j] - s_.angles[i]);
        const float water = free_water(see, j, look_ahead);
        // Something seen beside the heading, at an angle, leaves this much water beside the track.
        const float beside = water * static_cast<float>(exact::sin_cos(static_cast<double>(apart)).sin);
        if (apart < 1.5f && beside < room_needed * 0.5f) room = std::min(room, water);
      }
      const float value = std::min(room, far) / far - 0.45f * std::fabs(s_.angles[i] - bearing);
      if (value > best) {
        best = value;
        heading = s_.angles[i];
      }
    }
    return heading;
  }

  Senses s_;
};

}  // namespace

Script::Function steer_home(const Game& game, std::size_t role) { return Helmsman(Finder(game, role).find()); }

}  // namespace zithercraft
