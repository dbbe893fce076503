#include <algorithm>
#include <array>
#include <cmath>

#include "match/scripts.hpp"
#include "zithercraft/game/seat.hpp"

// A simple script for walkers on a causeway: runs ahead, hops where the ground ends or steps up,
// and waits at the edge while the wind blows against it. It knows where stones are without seeing
// them.

namespace zithercraft::match_internal {
namespace {

constexpr float stride = 0.1f;     // metres from one look ahead to the next
constexpr float far = 7.0f;        // metres ahead that it looks
constexpr float over = 2.5f;       // metres above its foot from which it looks down
constexpr float under = 1.2f;      // metres below its foot that are no gap yet
constexpr float low_step = 0.1f;   // metres that it takes without a hop
constexpr float edge = 0.45f;      // metres before the end of the ground where it hops
constexpr float slow_from = 1.2f;  // metres before it from where on it goes as fast as it will hop
constexpr float foothold = 0.6f;   // metres beyond the rim where it means to land

class Hopper {
 public:
  Hopper(const Game& game, std::size_t r) {
    const Role& role = game.roles()[r];
    ahead_ = dial_of("hop_on", role, "ahead");
    for (std::size_t c = 0; c < role.controls.size(); ++c)
      if (const auto* choice = std::get_if<Choice>(&game.spec().roles[r].controls[c]))
        for (std::size_t o = 0; o < choice->options.size(); ++o)
          if (const auto found = choice->options[o].sets.find("jump");
              found != choice->options[o].sets.end() && found->second > 0.5) {
            hop_ = c;
            hops_ = static_cast<float>(o);
          }
    if (hops_ < 0.0f || game.spec().arena.causeways.empty())
      lacks("hop_on", role, "a choice with an option that sets `jump`, and a causeway");
    const BodySpec& body =
        game.spec().arena.bodies[game.arena().entity(role.seats.front()).spec_index];
    const auto* walker = body.mover ? std::get_if<Walker>(&*body.mover) : nullptr;
    if (walker == nullptr) lacks("hop_on", role, "a walker");
    speed_ = static_cast<float>(walker->speed);
    jump_ = static_cast<float>(walker->jump);
    drag_ = static_cast<float>(body.drag);
    gravity_ = static_cast<float>(std::max(0.1, game.spec().arena.heights->gravity));
    stones_ = TagSet::of(
        game.arena().tag(game.spec().arena.causeways.front().name, "arena.causeways[0].name"));
  }

  void operator()(const SeatView& seat, std::span<float> controls) const {
    std::fill(controls.begin(), controls.end(), 0.0f);
    // In the air it keeps its way.
    controls[ahead_] = std::clamp(seat.velocity().x / speed_, -0.5f, 1.0f);
    if (!seat.present() || !seat.view().stands_on(seat.body())) return;
    const Pose at = seat.pose();
    controls[ahead_] = 1.0f;
    // Where the ground ends or steps up, and where it goes on behind that.
    float ends = stride;
    while (ends < far && goes_on(at.z, ground_below(seat, at.x + ends))) ends += stride;
    if (ends > slow_from) return;
    float rim = ends;
    while (rim < far && ground_below(seat, at.x + rim) < at.z - under) rim += stride;
    const bool windy = seat.game().arena().phase(seat.arena_state()) != 0;
    if (windy && rim > ends) {
      controls[ahead_] = seat.velocity().x > 0.2f ? -0.5f : 0.0f;
      return;
    }
    const float rise = ground_below(seat, at.x + rim) - at.z;
    const float air =
        (jump_ + std::sqrt(std::max(0.0f, jump_ * jump_ - 2.0f * gravity_ * rise))) / gravity_;
    const float way = drag_ > 0.0f ? (1.0f - std::exp(-drag_ * air)) / drag_ : air;
    const float wanted = (rim - ends + std::min(edge, ends) + foothold) / (way * speed_);
    controls[ahead_] = std::clamp(wanted, 0.3f, 1.0f);
    if (ends <= edge) controls[hop_] = hops_;
  }

 private:
  static bool goes_on(float foot, float level) {
    return level > foot - under && level < foot + low_step;
  }
  // The level of the stones at x; far below where there are none.
  float ground_below(const SeatView& seat, float x) const {
    const Pose at = seat.pose();
    const std::array<float, 1> none{0.0f}, down{-1.0f};
    std::array<float, 1> distance{};
    std::array<EntityId, 1> met{};
    seat.view().cast({.x = x,
                      .y = at.y,
                      .z = at.z + over,
                      .direction_x = none,
                      .direction_y = none,
                      .direction_z = down,
                      .reach = 3.0f * over,
                      .tags = stones_,
                      .exclude = seat.body()},
                     distance, met);
    return met[0] ? at.z + over - distance[0] : -1e9f;
  }

  std::size_t ahead_ = 0, hop_ = 0;
  float hops_ = -1.0f;
  float speed_ = 1.0f, jump_ = 0.0f, gravity_ = 1.0f, drag_ = 0.0f;  // as of the causeway
  TagSet stones_{};
};

}  // namespace

Script::Function hop_on(const Game& game, std::size_t role) { return Hopper(game, role); }

}  // namespace zithercraft::match_internal
