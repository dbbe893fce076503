#include "replay_match.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "frames.hpp"
#include "scene.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

// Events that are too many or too dull to be marked on the time line.
bool is_quiet(EventKind kind) {
  constexpr std::array quiet{EventKind::part, EventKind::stay, EventKind::pass, EventKind::leave};
  return std::find(quiet.begin(), quiet.end(), kind) != quiet.end();
}

}  // namespace

ReplayMatch::ReplayMatch(Replay replay, std::string name)
    : replay_(std::move(replay)), name_(std::move(name)), per_message_(moments_per_message(replay_.game())) {
  json episodes = json::array(), forms = json::array();
  for (std::size_t e = 0; e < replay_.episodes().size(); ++e) {
    json marks = json::array();
    for (std::uint32_t d = 0; d < replay_.episodes()[e].moments; ++d) {
      const Moment& m = replay_.moment(e, d);
      if (d == 0) {
        json form = forms_of(replay_.game().arena(), m.state.data());
        if (forms.empty() || forms.back() != form) forms.push_back(std::move(form));
      }
      for (const Event& event : m.events)
        if (!is_quiet(event.kind)) marks.push_back({d, event.kind, event.who, event.whom});
    }
    episodes.push_back({{"moments", replay_.episodes()[e].moments},
                        {"outcome", replay_.episodes()[e].outcome},
                        {"forms", forms.size() - 1},
                        {"marks", std::move(marks)}});
  }
  meta_ = {{"name", name_},
           {"scene", scene_of(replay_.game(), replay_.info().pilots)},
           {"episodes", std::move(episodes)},
           {"forms", std::move(forms)},
           {"per_message", per_message_}};
}

std::size_t ReplayMatch::messages(std::size_t episode) const {
  return (replay_.episodes()[episode].moments + per_message_ - 1) / per_message_;
}

std::string ReplayMatch::message(std::size_t episode, std::size_t number) {
  if (episode >= episodes() || number >= messages(episode))
    throw Error(Fault::usage, "there is no such part of the replay", name_, "ask for what its list names");
  FrameChunk chunk(replay_.game());
  const std::size_t first = number * per_message_,
                    end = std::min<std::size_t>(first + per_message_, replay_.episodes()[episode].moments);
  for (std::size_t d = first; d < end; ++d) {
    const auto decision = static_cast<std::uint32_t>(d);
    const auto& ticks = replay_.ticks(episode, decision);
    chunk.add(replay_.moment(episode, decision), ticks);
  }
  return chunk.take();
}

}  // namespace zithercraft
