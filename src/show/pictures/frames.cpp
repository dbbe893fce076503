#include "show/pictures/frames.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <utility>

#include "show/pictures/scene.hpp"

namespace zithercraft::show_internal {
namespace {

constexpr std::size_t most_moments = 64;
constexpr std::size_t message_numbers = 1u << 20;

Json overlay_json(const Overlay& o) {
  return {{"name", o.name},
          {"label", o.label},
          {"form", static_cast<int>(o.form)},
          {"colour", fmt::format("#{:02x}{:02x}{:02x}", o.colour[0], o.colour[1], o.colour[2])},
          {"numbers", o.numbers}};
}

std::size_t numbers_per_moment(const Game& game) {
  std::size_t numbers =
      game.arena().posed().size() * (game.arena().has_height() ? 5 : 3) * ticks_shown(game);
  for (const Role& role : game.roles())
    numbers += role.seats.size() * (role.columns.size() + role.controls.size() + role.terms.size() +
                                    1 + probability_count(role.controls));
  return numbers;
}

}  // namespace

std::size_t moments_per_message(const Game& game) {
  return std::clamp<std::size_t>(message_numbers / numbers_per_moment(game), 1, most_moments);
}

void append_poses(std::vector<float>& numbers, const Game& game, const std::byte* state) {
  const Arena& arena = game.arena();
  const bool custom = game.spec().custom.has_value();
  for (const EntityId e : arena.posed()) {
    const Pose pose = arena.pose(state, e);
    numbers.push_back(!custom && arena.present(state, e) ? pose.x
                                                         : std::numeric_limits<float>::quiet_NaN());
    numbers.push_back(pose.y);
    numbers.push_back(pose.heading);
    if (!arena.has_height()) continue;
    numbers.push_back(pose.z);
    numbers.push_back(pose.pitch);
  }
}

void FrameChunk::Map::add(std::vector<std::int32_t> next, std::uint32_t step) {
  if (now.size() != next.size()) {
    start = Json(next);
  } else {
    for (std::size_t i = 0; i < next.size(); ++i)
      if (next[i] != now[i]) changes.push_back({step, i, next[i]});
  }
  now = std::move(next);
}

void FrameChunk::add(const Moment& moment, std::span<const std::vector<std::byte>> ticks) {
  const Arena& arena = game_.arena();
  if (moments_++ == 0) first_ = moment.step;
  outcomes_.push_back(moment.outcome);
  for (const Event& e : moment.events)
    events_.push_back({moment.step, e.tick, e.kind, e.who.number(), e.whom.number(), e.x, e.y,
                       e.strength, e.detail, e.z});
  for (const Overlay& o : moment.overlays) overlays_.push_back({moment.step, overlay_json(o)});
  if (arena.cell_columns() > 0) cells_.add(cells_of(arena, moment.state.data()), moment.step);
  if (arena.block_count().columns > 0)
    blocks_.add(blocks_of(arena, moment.state.data()), moment.step);
  if (const auto tags = tags_of(arena, moment.state.data()); !tags.empty())
    tags_.add(tags, moment.step);

  for (const RoleMoment& role : moment.roles)
    for (const auto* list :
         {&role.observations, &role.controls, &role.rewards, &role.values, &role.probabilities})
      numbers_.insert(numbers_.end(), list->begin(), list->end());
  for (const EntityId body : arena.bodies())
    for (const std::string& meter : arena.meters_of(body))
      numbers_.push_back(arena.meter(moment.state.data(), body, meter));
  const std::size_t shown = ticks_shown(game_);
  for (std::size_t t = 0; t < shown; ++t)
    append_poses(numbers_, game_,
                 ticks[ticks.size() == 1 ? 0 : (t + 1) * ticks.size() / shown - 1].data());
}

std::string FrameChunk::take(Json about) {
  about["first"] = first_;
  about["moments"] = std::exchange(moments_, 0);
  about["outcomes"] = std::exchange(outcomes_, Json::array());
  about["events"] = std::exchange(events_, Json::array());
  about["overlays"] = std::exchange(overlays_, Json::array());
  about["cells"] = {{"start", cells_.start}, {"changes", cells_.changes}};
  about["blocks"] = {{"start", blocks_.start}, {"changes", blocks_.changes}};
  about["tags"] = {{"start", tags_.start}, {"changes", tags_.changes}};
  cells_ = blocks_ = tags_ = {};
  std::string message = message_of(about, numbers_);
  numbers_.clear();
  return message;
}

std::string message_of(const Json& about, std::span<const float> numbers) {
  std::string text = about.dump();
  text.resize((text.size() + 3) / 4 * 4, ' ');  // numbers begin on a multiple of four
  const auto bytes = static_cast<std::uint32_t>(text.size());
  std::string message(4 + text.size() + numbers.size_bytes(), '\0');
  std::memcpy(message.data(), &bytes, 4);
  std::memcpy(message.data() + 4, text.data(), text.size());
  if (!numbers.empty())
    std::memcpy(message.data() + 4 + text.size(), numbers.data(), numbers.size_bytes());
  return message;
}

Moment moment_of(const Environment& environment, std::size_t lane, Estimates estimates) {
  const Game& game = environment.game();
  Moment m;
  m.step = environment.steps(lane);
  m.outcome = environment.outcome(lane);
  const auto state = environment.recorded(lane);
  m.state.assign(state.begin(), state.end());
  m.events.assign(environment.events(lane).begin(), environment.events(lane).end());
  const auto part = [](std::span<const float> all, std::size_t first, std::size_t count) {
    return std::vector<float>(all.begin() + static_cast<std::ptrdiff_t>(first),
                              all.begin() + static_cast<std::ptrdiff_t>(first + count));
  };
  const auto estimated = [&](std::span<const float>& left, std::size_t count) {
    if (left.empty()) return std::vector<float>(count);
    const auto own = part(left, 0, count);
    left = left.subspan(count);
    return own;
  };
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    const std::size_t seats = role.seats.size(), row = lane * seats;
    RoleMoment& own = m.roles.emplace_back();
    own.observations =
        part(environment.observations(r), row * role.columns.size(), seats * role.columns.size());
    own.controls.resize(seats * role.controls.size());
    own.rewards.resize(seats * role.terms.size());
    if (m.step > 0) {
      own.controls = part(environment.given_controls(r), row * role.controls.size(),
                          seats * role.controls.size());
      own.rewards.clear();
      for (std::size_t seat = 0; seat < seats; ++seat)
        own.rewards.insert(own.rewards.end(), environment.rewards_by_term(r, row + seat).begin(),
                           environment.rewards_by_term(r, row + seat).end());
    }
    own.values = estimated(estimates.values, seats);
    own.probabilities =
        estimated(estimates.probabilities, seats * probability_count(role.controls));
  }
  environment.draw(lane, m.overlays);
  return m;
}

}  // namespace zithercraft::show_internal
