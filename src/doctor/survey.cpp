#include "doctor/survey.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/work_count.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::doctor_internal {
namespace {

std::uint64_t mixed(std::uint64_t sum, float value) {
  return (sum ^ std::bit_cast<std::uint32_t>(value + 0.0f)) * 0x9E3779B97F4A7C15ULL +
         0x632BE59BD9B4E019ULL;
}

class Watcher {
 public:
  Watcher(const Game& game, std::int64_t steps) : game_(game), wanted_(steps) {
    for (std::size_t r = 0; r < game.roles().size(); ++r) {
      const Role& role = game.roles()[r];
      RoleSurvey& s = survey_.roles.emplace_back();
      s.columns.resize(role.columns.size());
      s.terms.resize(role.terms.size());
      s.seen.resize(game.arena().tags().size());
      s.forbidden.resize(role.columns.size());
      reports_.push_back(tag_reports(game, r));
    }
  }

  Survey watch(const std::string& name, const std::vector<const Player*>& players,
               std::uint64_t seed, WorkerPool& pool, WorkCount* progress) {
    survey_.player = name;
    std::size_t seats = 0;
    for (const Role& role : game_.roles()) seats += role.seats.size();
    // Many short lanes see more beginnings, few long ones see more endings.
    const std::size_t count = lanes_within(game_, std::clamp<std::size_t>(64 / seats, 2, 32));
    Lanes lanes(game_, count, pool.threads());
    std::vector<std::unique_ptr<Player>> copies;
    for (const Player* player : players) copies.push_back(player->copy());
    try {
      for (std::size_t lane = 0; lane < count; ++lane)
        lanes.begin(lane, {seed, static_cast<std::uint32_t>(lane), 0});
      start(lanes);
      while (survey_.steps < wanted_ ||
             survey_.roles[0].episodes.size() < 20 * game_.roles()[0].seats.size()) {
        if (survey_.steps >= 8 * wanted_) break;
        note_senses(lanes);
        for (std::size_t r = 0; r < copies.size(); ++r) copies[r]->decide(lanes, r, 0, count);
        lanes.step_all(pool);
        note_results(lanes);
        note_rules(lanes);
        note_bodies(lanes);
        const auto decided = static_cast<std::int64_t>(count * seats);
        if (progress != nullptr)
          progress->add(std::clamp<std::int64_t>(wanted_ - survey_.steps, 0, decided));
        survey_.steps += decided;
        lanes.renew_all(pool);
        renew(lanes);
      }
    } catch (const Error& error) {
      survey_.failure = error.what();
    }
    return std::move(survey_);
  }

 private:
  struct Track {
    Pose start;
    double top_speed = 0.0, farthest = 0.0;
    bool turned = false;
  };

  void start(const Lanes& lanes) {
    bounds_ = bounds_of(game_, lanes.arena_state(0));
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      tracks_.emplace_back(lanes.rows(r));
      for (std::size_t row = 0; row < lanes.rows(r); ++row) begin(lanes, r, row);
    }
    episodes_.resize(lanes.count());
    for (std::size_t lane = 0; lane < lanes.count(); ++lane)
      episodes_[lane] = lanes.key(lane).episode;
  }
  void begin(const Lanes& lanes, std::size_t r, std::size_t row) {
    const SeatView seat(lanes, row / lanes.seats(r), r, row % lanes.seats(r));
    tracks_[r][row] = {seat.pose(), 0.0, 0.0, false};
  }
  void renew(const Lanes& lanes) {
    for (std::size_t lane = 0; lane < lanes.count(); ++lane) {
      if (lanes.key(lane).episode == episodes_[lane]) continue;
      episodes_[lane] = lanes.key(lane).episode;
      for (std::size_t r = 0; r < game_.roles().size(); ++r)
        for (std::size_t seat = 0; seat < lanes.seats(r); ++seat)
          begin(lanes, r, lane * lanes.seats(r) + seat);
    }
  }

  void note_senses(const Lanes& lanes) {
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      RoleSurvey& s = survey_.roles[r];
      const auto& columns = game_.roles()[r].columns;
      for (std::size_t row = 0; row < lanes.rows(r); ++row) {
        const SeatView seat(lanes, row / lanes.seats(r), r, row % lanes.seats(r));
        if (!seat.present()) continue;
        const auto sensed = lanes.observation(r, row);
        ++s.rows;
        for (std::size_t c = 0; c < columns.size(); ++c) {
          ColumnSurvey& column = s.columns[c];
          const auto value = static_cast<double>(sensed[c]);
          column.low = std::min(column.low, value);
          column.high = std::max(column.high, value);
          column.sum += value;
          column.squares += value * value;
          column.sequence = mixed(column.sequence, sensed[c]);
          column.at_low += value <= columns[c].low ? 1u : 0u;
          column.at_high += value >= columns[c].high ? 1u : 0u;
          if (columns[c].unit == mask_unit && sensed[c] < 0.5f) ++s.forbidden[c];
        }
        TagSet seen;
        for (const TagReport& report : reports_[r])
          if (report.below_one ? sensed[report.column] < 1.0f : sensed[report.column] > 0.5f)
            seen |= TagSet::of(report.tag);
        for (std::size_t tag = 0; tag < s.seen.size(); ++tag)
          s.seen[tag] += seen.holds(tag) ? 1u : 0u;
      }
    }
  }

  void note_bodies(const Lanes& lanes) {
    const Arena& arena = game_.arena();
    survey_.moments += lanes.count();
    survey_.outside.resize(arena.bodies().size());
    if (!bounds_.closed) return;
    for (std::size_t lane = 0; lane < lanes.count(); ++lane)
      for (const EntityId body : arena.bodies())
        if (arena.entity(body).free && lanes.view(lane).present(body) &&
            !bounds_.holds(lanes.view(lane).pose(body)))
          ++survey_.outside[body.index()];
  }

  // Of episodes that end, and of those that are broken off.
  void note_rules(const Lanes& lanes) {
    const std::size_t rules = game_.spec().rules.size();
    carried_out_.resize(lanes.count() * rules);
    survey_.rules.resize(rules);
    for (std::size_t lane = 0; lane < lanes.count(); ++lane)
      for (std::size_t rule = 0; rule < rules; ++rule) {
        std::uint64_t& before = carried_out_[lane * rules + rule];
        const std::uint64_t now = lanes.carried_out(lane, rule);
        survey_.rules[rule] += now >= before ? now - before : now;
        before = lanes.outcome(lane) == Outcome::running ? now : 0;
      }
  }

  void note_results(const Lanes& lanes) {
    for (std::size_t r = 0; r < game_.roles().size(); ++r) {
      RoleSurvey& s = survey_.roles[r];
      for (std::size_t row = 0; row < lanes.rows(r); ++row) {
        const std::size_t lane = row / lanes.seats(r);
        const SeatView seat(lanes, lane, r, row % lanes.seats(r));
        Track& track = tracks_[r][row];
        if (seat.present()) {
          const Pose pose = seat.pose();
          track.turned = track.turned || pose.cos * track.start.cos + pose.sin * track.start.sin <
                                             0.9998f;  // by a degree
          track.top_speed = std::max(track.top_speed, static_cast<double>(seat.speed()));
          track.farthest = std::max(
              track.farthest,
              static_cast<double>(std::hypot(pose.x - track.start.x, pose.y - track.start.y)));
        }
        const auto reward = lanes.rewards_by_term(r, row);
        for (std::size_t t = 0; t < reward.size(); ++t) {
          s.terms[t].reward += static_cast<double>(reward[t]);
          s.terms[t].absolute += std::fabs(static_cast<double>(reward[t]));
          s.terms[t].times += reward[t] != 0.0f ? 1u : 0u;
        }
        if (lanes.outcome(lane) != Outcome::running)
          s.episodes.push_back({lanes.key(lane), seat.number(), episode_result(lanes, r, row),
                                track.top_speed, track.farthest, track.turned});
      }
    }
  }

  const Game& game_;
  std::int64_t wanted_;
  Survey survey_;
  Bounds bounds_;
  std::vector<std::vector<TagReport>> reports_;
  std::vector<std::vector<Track>> tracks_;
  std::vector<std::uint32_t> episodes_;
  std::vector<std::uint64_t> carried_out_;  // [lanes][rules] in the episode so far
};

class IdlePlayer : public Player {
 public:
  std::string name() const override { return "idle"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<IdlePlayer>(*this); }
  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const auto& rest = environment.game().roles()[role].rest;
    const std::size_t seats = environment.seats(role);
    for (std::size_t row = first * seats; row < (first + count) * seats; ++row)
      std::copy(rest.begin(), rest.end(), environment.control(role, row).begin());
  }
};

class DitheringPlayer : public Player {
 public:
  explicit DitheringPlayer(std::uint64_t seed) : seed_(derived_seed(seed, "to and fro")) {}
  std::string name() const override { return "to and fro"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<DitheringPlayer>(*this); }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const auto& controls = environment.game().roles()[role].controls;
    const std::size_t seats = environment.seats(role);
    for (std::size_t row = first * seats; row < (first + count) * seats; ++row) {
      const std::size_t lane = row / seats;
      const EpisodeKey key = environment.key(lane);
      RandomStream random(seed_, key.lane * 4096 + static_cast<std::uint32_t>(row % seats),
                          key.episode, Purpose::decide);
      const std::uint32_t period = 4u << random.below(3);
      const bool back = environment.steps(lane) / period % 2 == 1;
      const auto out = environment.control(role, row);
      for (std::size_t c = 0; c < controls.size(); ++c) {
        if (controls[c].is_choice()) {
          const auto options = static_cast<std::uint32_t>(controls[c].options.size());
          const std::uint32_t one = random.below(options),
                              other = (one + 1 + random.below(options - 1)) % options;
          out[c] = static_cast<float>(back ? other : one);
        } else {
          const double to = random.between(controls[c].low, controls[c].high);
          out[c] =
              static_cast<float>(back ? std::clamp(-to, controls[c].low, controls[c].high) : to);
        }
      }
    }
  }

 private:
  std::uint64_t seed_;
};

}  // namespace

double ColumnSurvey::stddev(std::size_t rows) const {
  if (rows < 2) return 0.0;
  const double m = mean(rows);
  return std::sqrt(std::max(0.0, squares / static_cast<double>(rows) - m * m));
}

Bounds bounds_of(const Game& game, const std::byte* state) {
  const Arena& arena = game.arena();
  Bounds b{std::numeric_limits<float>::infinity(), std::numeric_limits<float>::infinity(),
           -std::numeric_limits<float>::infinity(), -std::numeric_limits<float>::infinity(), false};
  const auto add = [&](double x, double y) {
    b.low_x = std::min(b.low_x, static_cast<float>(x));
    b.low_y = std::min(b.low_y, static_cast<float>(y));
    b.high_x = std::max(b.high_x, static_cast<float>(x));
    b.high_y = std::max(b.high_y, static_cast<float>(y));
  };
  for (const WallSpec& wall : game.spec().arena.walls)
    for (const Point& p : wall.points) add(p[0], p[1]);
  const Place middle = arena.middle();
  if (arena.cell_columns() > 0) {
    const double size = static_cast<double>(arena.cell_size());
    add(middle.x - 0.5 * size * static_cast<double>(arena.cell_columns()),
        middle.y - 0.5 * size * static_cast<double>(arena.cell_rows()));
    add(middle.x + 0.5 * size * static_cast<double>(arena.cell_columns()),
        middle.y + 0.5 * size * static_cast<double>(arena.cell_rows()));
  }
  b.closed = b.low_x < b.high_x && b.low_y < b.high_y && game.spec().arena.rivers.empty();
  for (const EntityId e : arena.posed())
    if (arena.present(state, e)) {
      const Pose pose = arena.pose(state, e);
      add(static_cast<double>(pose.x), static_cast<double>(pose.y));
    }
  const float room = 0.05f * std::max(b.high_x - b.low_x, b.high_y - b.low_y) + 1.0f;
  return {b.low_x - room, b.low_y - room, b.high_x + room, b.high_y + room, b.closed};
}

std::vector<TagReport> tag_reports(const Game& game, std::size_t role) {
  std::vector<TagReport> reports;
  const auto& columns = game.roles()[role].columns;
  for (std::size_t c = 0; c < columns.size(); ++c) {
    const Column& column = columns[c];
    const bool below_one = column.quantity == distance_quantity;
    if (column.age == 0 && !column.tag.empty() && (below_one || column.quantity == seen_quantity))
      reports.push_back({game.arena().tag(column.tag, ""), c, below_one});
  }
  return reports;
}

TagSet sensed_tags(const Game& game, std::size_t role) {
  TagSet tags;
  const auto add = [&](const std::string& tag) { tags |= TagSet::of(game.arena().tag(tag, "")); };
  for (const Column& column : game.roles()[role].columns)
    if (!column.tag.empty()) add(column.tag);
  for (const HazardSense& hazards : game.roles()[role].hazards)
    std::for_each(hazards.tags.begin(), hazards.tags.end(), add);
  for (const Sense& sense : game.spec().roles[role].senses)
    if (const auto* camera = std::get_if<Camera>(&sense)) {
      if (camera->sees.empty()) return TagSet::all();
      std::for_each(camera->sees.begin(), camera->sees.end(), add);
    }
  return tags;
}

bool has_custom_senses(const Game& game, std::size_t role) {
  const auto& senses = game.spec().roles[role].senses;
  return std::any_of(senses.begin(), senses.end(),
                     [](const Sense& sense) { return std::holds_alternative<CustomSense>(sense); });
}

Survey watch(const Game& game, const std::string& name, const std::vector<const Player*>& players,
             std::int64_t steps, std::uint64_t seed, WorkerPool& pool, WorkCount* progress) {
  return Watcher(game, steps).watch(name, players, seed, pool, progress);
}

std::unique_ptr<Player> idle_player() { return std::make_unique<IdlePlayer>(); }
std::unique_ptr<Player> dithering_player(std::uint64_t seed) {
  return std::make_unique<DitheringPlayer>(seed);
}

}  // namespace zithercraft::doctor_internal
