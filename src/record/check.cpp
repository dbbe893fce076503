#include <algorithm>
#include <cstring>

#include "zithercraft/record/replay.hpp"

namespace zithercraft {
namespace {

template <class T>
bool same_bits(std::span<const T> a, std::span<const T> b) {
  return a.size() == b.size() && std::memcmp(a.data(), b.data(), a.size_bytes()) == 0;
}

// The name of the state's first field that differs.
std::string differing_field(const Arena& arena, std::span<const std::byte> a,
                            std::span<const std::byte> b) {
  const auto at =
      static_cast<std::size_t>(std::mismatch(a.begin(), a.end(), b.begin()).first - a.begin());
  std::string name = "state";
  for (const StateField& field : arena.state_fields())
    if (field.offset <= at) name = field.name;
  return name;
}

std::string compare(const Environment& environment, const Moment& recorded) {
  const Game& game = environment.game();
  const auto state = environment.recorded(0);
  if (!same_bits(state, std::span<const std::byte>(recorded.state)))
    return "the state differs in '" + differing_field(game.arena(), state, recorded.state) + "'";
  if (!std::equal(environment.events(0).begin(), environment.events(0).end(),
                  recorded.events.begin(), recorded.events.end()))
    return "the events differ";
  if (environment.outcome(0) != recorded.outcome)
    return "the outcome is " + std::string(name_of(environment.outcome(0))) +
           " and was recorded as " + std::string(name_of(recorded.outcome));
  std::vector<Overlay> drawing;
  environment.draw(0, drawing);
  if (drawing.size() > recorded.overlays.size() ||
      !std::equal(drawing.begin(), drawing.end(),
                  recorded.overlays.end() - static_cast<std::ptrdiff_t>(drawing.size())))
    return "what the game draws differs";
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const auto& senses = game.spec().roles[r].senses;
    const bool custom = std::any_of(senses.begin(), senses.end(), [](const Sense& sense) {
      return std::holds_alternative<CustomSense>(sense);
    });
    if (!(custom && !game.complete()) &&
        !same_bits(environment.observations(r),
                   std::span<const float>(recorded.roles[r].observations)))
      return "an observation of role '" + game.roles()[r].name + "' differs";
    if (!game.complete() || recorded.step == 0) continue;
    for (std::size_t seat = 0; seat < environment.seats(r); ++seat)
      if (!same_bits(
              environment.rewards_by_term(r, seat),
              std::span<const float>(recorded.roles[r].rewards)
                  .subspan(seat * game.roles()[r].terms.size(), game.roles()[r].terms.size())))
        return "a reward of role '" + game.roles()[r].name + "' differs";
  }
  return {};
}

}  // namespace

ReplayCheck check_replay(const std::filesystem::path& path) {
  Replay replay(path);
  ReplayCheck result;
  result.whole = replay.whole();
  result.rewards_compared = replay.game().complete();
  const auto environment = make_environment(replay.game(), 1);
  for (std::size_t e = 0; e < replay.episodes().size(); ++e, ++result.episodes)
    for (std::uint32_t d = 0; d < replay.episodes()[e].moments; ++d) {
      const Moment& recorded = replay.moment(e, d);
      if (d == 0) {
        environment->begin(0, episode_key(recorded));
      } else {
        if (environment->outcome(0) != Outcome::running) {
          result.difference = "episode " + std::to_string(e) + " continues after its end at step " +
                              std::to_string(d - 1);
          return result;
        }
        for (std::size_t r = 0; r < recorded.roles.size(); ++r)
          std::copy(recorded.roles[r].controls.begin(), recorded.roles[r].controls.end(),
                    environment->controls(r).begin());
        environment->step(0);
        ++result.steps;
      }
      result.difference = compare(*environment, recorded);
      if (result.difference.empty()) continue;
      result.difference =
          "episode " + std::to_string(e) + ", step " + std::to_string(d) + ": " + result.difference;
      return result;
    }
  return result;
}

}  // namespace zithercraft
