#include <algorithm>
#include <cmath>
#include <string>

#include "match/scripts.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/game/seat.hpp"

// A gunner that knows the laws of flight: where the target will be when the shot arrives is found
// by repeating the question a few times, then the two angles follow from the parabola.

namespace zithercraft::match_internal {
namespace {

struct Gun {
  Launcher launcher{};
  float fall = 0.0f;  // m/s2 that a shot feels
  std::size_t tag = 0;
  std::size_t bearing = 0, elevation = 0, trigger = 0;
  float wait = 0.0f, fire = 0.0f;  // options of the trigger
};

struct Aim {
  float bearing = 0.0f,
        elevation = 0.0f;  // radians, from where the gunner faces and from the level
  bool possible = false;
};

float angle_of(float y, float x) {
  return static_cast<float>(exact::atan2(static_cast<double>(y), static_cast<double>(x)));
}

// Both angles reach the target; a launcher that cannot be lowered far enough takes the steep one.
Aim aim_at(const Gun& gun, float ahead, float left, float up) {
  const float v = static_cast<float>(gun.launcher.speed),
              away = std::sqrt(ahead * ahead + left * left);
  Aim aim{.bearing = angle_of(left, ahead)};
  const float root = v * v * v * v - gun.fall * (gun.fall * away * away + 2.0f * up * v * v);
  if (root < 0.0f || away < 0.1f) return aim;
  const auto angle = [&](float sign) {
    return gun.fall == 0.0f ? angle_of(up, away)
                            : angle_of(v * v + sign * std::sqrt(root), gun.fall * away);
  };
  const auto radians = [](double degrees) { return static_cast<float>(exact::radians(degrees)); };
  const float low = radians(gun.launcher.rise[0]), high = radians(gun.launcher.rise[1]);
  aim.elevation = angle(-1.0f) >= low ? angle(-1.0f) : angle(1.0f);
  aim.possible = aim.elevation >= low && aim.elevation <= high &&
                 std::fabs(aim.bearing) <= radians(gun.launcher.swing);
  return aim;
}

class Gunner {
 public:
  explicit Gunner(Gun gun) : gun_(std::move(gun)) {}

  void operator()(const SeatView& seat, std::span<float> controls) const {
    controls[gun_.trigger] = gun_.wait;
    const Bearing target = seat.nearest(gun_.tag);
    if (!target.entity) return;
    const Arena& arena = seat.game().arena();
    const EntityId thing = target.entity;
    const Pose own = seat.pose(), there = seat.view().pose(thing);
    const Velocity drift = seat.view().velocity(thing);
    const float muzzle = own.z + static_cast<float>(gun_.launcher.muzzle);
    const float middle = there.z + 0.5f * arena.height_of(thing, seat.arena_state());
    Aim aim;
    float time = 0.0f;
    for (int round = 0; round < 4; ++round) {
      const float x = there.x + drift.x * time - own.x, y = there.y + drift.y * time - own.y;
      const float up = middle + drift.z * time - muzzle;
      aim = aim_at(gun_, own.cos * x + own.sin * y, own.cos * y - own.sin * x, up);
      if (!aim.possible) return;
      time = std::sqrt(x * x + y * y) / (static_cast<float>(gun_.launcher.speed) *
                                         exact::sin_cos(static_cast<double>(aim.elevation)).cos);
    }
    const auto share = [](double degrees, float of) {
      return of / static_cast<float>(exact::radians(degrees));
    };
    const auto [low, high] = gun_.launcher.rise;
    controls[gun_.bearing] = share(gun_.launcher.swing, aim.bearing);
    controls[gun_.elevation] =
        2.0f * share(high - low, aim.elevation - static_cast<float>(exact::radians(low))) - 1.0f;
    controls[gun_.trigger] = gun_.fire;
  }

 private:
  Gun gun_;
};

// The control that drives an input; the number of controls if none does.
std::size_t driving(const RoleSpec& spec, const std::string& input) {
  const auto drives = [&](const Control& control) {
    return std::visit(
        [&](const auto& c) {
          if constexpr (requires { c.drives; })
            return (c.drives.empty() ? c.name : c.drives) == input;
          else
            return false;
        },
        control);
  };
  return static_cast<std::size_t>(std::find_if(spec.controls.begin(), spec.controls.end(), drives) -
                                  spec.controls.begin());
}

Gun find(const Game& game, std::size_t r) {
  const RoleSpec& spec = game.spec().roles[r];
  const Role& role = game.roles()[r];
  const auto* compass = sense_of<Compass>(spec);
  const std::size_t none = spec.controls.size();
  for (const BodySpec& body : game.spec().arena.bodies) {
    if (compass == nullptr || body.name != (spec.body.empty() ? spec.name : spec.body)) continue;
    for (const Launcher& launcher : body.launchers) {
      Gun gun{.launcher = launcher,
              .fall = static_cast<float>(game.spec().arena.heights
                                             ? game.spec().arena.heights->gravity * launcher.gravity
                                             : 0.0),
              .tag = game.arena().tag(compass->to, "role '" + role.name + "'"),
              .bearing = driving(spec, launcher.name + ".bearing"),
              .elevation = driving(spec, launcher.name + ".elevation"),
              .trigger = driving(spec, launcher.name + ".fire")};
      if (std::max({gun.bearing, gun.elevation, gun.trigger}) == none) continue;
      const auto* choice = std::get_if<Choice>(&spec.controls[gun.trigger]);
      if (choice == nullptr || role.controls[gun.bearing].is_choice() ||
          role.controls[gun.elevation].is_choice())
        continue;
      const auto by_value = [](const Option& a, const Option& b) { return a.value < b.value; };
      const auto [wait, fire] =
          std::minmax_element(choice->options.begin(), choice->options.end(), by_value);
      gun.wait = static_cast<float>(wait - choice->options.begin());
      gun.fire = static_cast<float>(fire - choice->options.begin());
      return gun;
    }
  }
  lacks("lead_and_fire", role,
        "a compass, dials for a launcher's bearing and elevation, and a choice that fires it");
}

}  // namespace

Script::Function lead_and_fire(const Game& game, std::size_t role) {
  return Gunner(find(game, role));
}

}  // namespace zithercraft::match_internal
