#include <fmt/format.h>
#include <algorithm>

#include "doctor/checks.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft::doctor_internal {
namespace {

// Where all is seen from the side, it does not matter where one looks.
bool sees_from_the_side(const RoleSpec& role) {
  return std::any_of(role.senses.begin(), role.senses.end(), [](const Sense& sense) {
    const auto* fan = std::get_if<RayFan>(&sense);
    const auto* camera = std::get_if<Camera>(&sense);
    return (fan != nullptr && fan->upright) ||
           (camera != nullptr && camera->from == CameraFrom::side);
  });
}

// Senses that are turned with the seat.
bool turns_with_seat(const RoleSpec& role) {
  return std::any_of(role.senses.begin(), role.senses.end(), [](const Sense& sense) {
    if (const auto* fan = std::get_if<RayFan>(&sense)) return fan->arc < 360.0;
    return std::holds_alternative<Window>(sense) || std::holds_alternative<Hazards>(sense) ||
           std::holds_alternative<RayCone>(sense);
  });
}

}  // namespace

// A body that moves and never turns sees and goes by a heading that means nothing.
void check_headings(const Examined& e, Findings& findings) {
  constexpr double moved = 0.5;  // metres
  if (e.game.spec().custom) return;
  for (std::size_t r = 0; r < e.game.roles().size(); ++r) {
    const RoleSpec& role = e.game.spec().roles[r];
    if (sees_from_the_side(role) || !turns_with_seat(role)) continue;
    std::size_t episodes = 0;
    bool turned = false;
    for (const Survey& survey : e.surveys)
      for (const EpisodeSurvey& episode : survey.roles[r].episodes) {
        episodes += episode.farthest > moved ? 1 : 0;
        turned = turned || episode.turned;
      }
    if (turned || episodes == 0) continue;
    findings.push_back(
        {Severity::note, "a heading that never changes", role_name(e.game, r),
         "its heading never changes while it moves",
         fmt::format("in none of {} episodes in which it moved", episodes),
         "senses are turned with the heading: let a control drive `turn`, or steppers face their "
         "moves (`faces_move` with moves `east` and `north`), unless that is meant"});
  }
}

}  // namespace zithercraft::doctor_internal
