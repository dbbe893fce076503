#include "show/server/driven_match.hpp"

#include <algorithm>
#include <charconv>

#include "show/pictures/frames.hpp"
#include "show/pictures/scene.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/episode.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft::show_internal {
namespace {

// Seat names are "role" or "role:2"; found by text, since the role decides how many there are.
std::pair<std::size_t, std::size_t> seat_named(const Game& game, const std::string& name) {
  if (name.empty()) return {0, 0};
  const auto colon = name.find(':');
  const std::string role = name.substr(0, colon);
  std::vector<std::string> names;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    names.push_back(game.roles()[r].name);
    if (names.back() != role) continue;
    const std::size_t seats = game.roles()[r].seats.size();
    std::size_t number = 1;
    if (colon != std::string::npos) {
      const auto [end, code] =
          std::from_chars(name.data() + colon + 1, name.data() + name.size(), number);
      if (code != std::errc() || end != name.data() + name.size() || number < 1 || number > seats)
        throw Error(ErrorKind::usage,
                    "the role '" + role + "' has no seat '" + name.substr(colon + 1) + "'", name,
                    "its seats are 1 to " + std::to_string(seats));
    }
    return {r, number - 1};
  }
  throw Error(ErrorKind::usage, "the game has no role '" + role + "'", name, advice(role, names));
}

}  // namespace

DrivenMatch::DrivenMatch(const Game& game, const DriveOptions& options)
    : game_(game),
      role_(seat_named(game, options.seat).first),
      seat_(seat_named(game, options.seat).second),
      lanes_(game, 1),
      ahead_(game, 1),
      steering_(game.roles()[role_]),
      seed_(derived_seed(options.seed, "score")) {
  info_ = {game.spec().name, to_toml(game.spec()), {}, options.seed, library_version()};
  choose_players(options);
  if (!options.out.empty()) writer_ = std::make_unique<ReplayWriter>(options.out, game, info_);
  if (adviser_) {
    for (const Role& role : game.roles()) {
      values_.resize(values_.size() + role.seats.size());
      probabilities_.resize(probabilities_.size() +
                            role.seats.size() * probability_count(role.controls));
    }
  }
}

void DrivenMatch::choose_players(const DriveOptions& options) {
  if (!options.with.empty()) adviser_ = Run::open(options.with).policy();
  for (std::size_t r = 0; r < game_.roles().size(); ++r) {
    if (r == 0 && adviser_) {
      players_.push_back(policy_player(game_, r, *adviser_));
    } else {
      players_.push_back(usual_player(game_, r, seed_));
    }
    const std::string others = players_.back()->name();
    info_.players.push_back(r != role_                          ? others
                            : game_.roles()[r].seats.size() > 1 ? "person and " + others
                                                                : "person");
  }
}

void DrivenMatch::begin() {
  lanes_.begin(0, {seed_, 0, episode_++});
  after_moment();
}

// Everybody else decides at once; the person has until the step's end.
void DrivenMatch::after_moment() {
  if (adviser_) {
    const std::size_t seats = game_.roles()[0].seats.size();
    if (lanes_.steps(0) == 0) advised_.assign(seats * adviser_->memory(), 0.0f);
    if (adviser_->knows_values())
      adviser_->values(lanes_.observations(0), std::span(values_).first(seats), advised_);
    adviser_->probabilities(
        lanes_.observations(0),
        std::span(probabilities_).first(seats * probability_count(game_.roles()[0].controls)),
        advised_);
  }
  if (writer_) writer_->add(lanes_, 0, {values_, probabilities_});
}

std::vector<float> DrivenMatch::preview() {
  std::vector<float> poses;
  append_poses(poses, game_, lanes_.arena_state(0));
  const std::size_t shown = ticks_shown(game_),
                    ticks = static_cast<std::size_t>(game_.spec().ticks_per_step);
  if (over() || game_.spec().custom) {
    for (std::size_t t = 0; t < shown; ++t) append_poses(poses, game_, lanes_.arena_state(0));
    return poses;
  }
  ahead_.restore(0, lanes_.state(0));
  for (std::size_t r = 0; r < game_.roles().size(); ++r) players_[r]->decide(ahead_, r, 0, 1);
  steering_.controls(ahead_.control(role_, seat_));
  std::size_t tick = 0;
  ahead_.play_ticks(0, [&] {
    ++tick;
    if (tick * shown / ticks != (tick - 1) * shown / ticks)
      append_poses(poses, game_, ahead_.arena_state(0));
  });
  return poses;
}

void DrivenMatch::decide() {
  for (std::size_t r = 0; r < game_.roles().size(); ++r) players_[r]->decide(lanes_, r, 0, 1);
  steering_.controls(lanes_.control(role_, seat_));
  steering_.decided();
  lanes_.step(0);
  driven_ = true;
  after_moment();
}

Moment DrivenMatch::moment() const { return moment_of(lanes_, 0, {values_, probabilities_}); }

DrivenEpisode DrivenMatch::result() const {
  const EpisodeResult r = episode_result(lanes_, role_, seat_);
  DrivenEpisode episode{lanes_.outcome(0), lanes_.steps(0), r.episode_return, {}};
  for (std::size_t t = 0; t < r.ledger.size(); ++t)
    episode.ledger.emplace_back(game_.roles()[role_].terms[t], r.ledger[t]);
  return episode;
}

void DrivenMatch::finish() {
  if (!writer_) return;
  driven_ ? writer_->finish() : writer_->discard();
}

}  // namespace zithercraft::show_internal
