#include "game/compile/compile_custom.hpp"

#include <cmath>

#include "game/compile/compile_role.hpp"

namespace zithercraft::game_internal {
namespace {

constexpr const char* no_arena = "a custom game has no arena";

void refuse(bool wrong, const std::string& problem, const std::string& where,
            const std::string& fix = "leave it out") {
  if (wrong) wrong_spec(problem, where, fix);
}

void check_sense(const CustomSense& sense, const std::string& where) {
  refuse(static_cast<bool>(sense.code.function()),
         "the game's own code writes the columns of the sense '" + sense.name + "'",
         where + ".code", "write them in its `observe`");
}
void check_sense(const CustomPicture&, const std::string&) {}
void check_sense(const OwnState& sense, const std::string& where) {
  refuse(sense.heading, no_arena, where + ".heading");
  refuse(sense.quarter, no_arena, where + ".quarter");
  refuse(sense.level.has_value(), no_arena, where + ".level");
  refuse(sense.phase, no_arena, where + ".phase");
}
template <class Other>
void check_sense(const Other& sense, const std::string& where) {
  wrong_spec(std::string(no_arena) + " to sense by '" + sense.name + "'", where,
             "declare custom senses and pictures; of others only `own_state` is known there");
}

void check_control(const Dial& dial, const std::string& where) {
  refuse(!dial.drives.empty(), no_arena, where + ".drives");
  refuse(dial.dead_zone > 0.0, no_arena, where + ".dead_zone");
  refuse(dial.rate.has_value(), no_arena, where + ".rate");
  refuse(!dial.holds, no_arena, where + ".holds");
}
void check_control(const Target&, const std::string& where) {
  wrong_spec(std::string(no_arena) + " to see somebody in", where, "use a choice");
}
void check_control(const Choice& choice, const std::string& where) {
  refuse(!choice.drives.empty(), no_arena, where + ".drives");
  refuse(!choice.holds, no_arena, where + ".holds");
  for (std::size_t i = 0; i < choice.options.size(); ++i) {
    const std::string at = where + ".options[" + std::to_string(i) + "]";
    refuse(!choice.options[i].sets.empty(), no_arena, at + ".sets");
    const auto& need = choice.options[i].allowed_when;
    refuse(need && *need != AllowedWhen{.by_game = true},
           "whether an option of a custom game is allowed, its own code says", at + ".allowed_when",
           "give `by_game` alone");
  }
}

void check_term(const Term& term, const std::string& where) {
  refuse(term.progress || term.on || term.when || term.change || term.near_miss || term.visits,
         "the term '" + term.name + "' needs an arena, and a custom game has none", where,
         "leave its trigger out and pay it in the game's `step`");
  refuse(term.each_step.custom() || term.each_second.custom(),
         "the game's own code pays what is not always paid", where,
         "leave the measure out and pay the term in the game's `step`");
}

void check_role(const RoleSpec& role, const std::string& where) {
  refuse(!role.body.empty(), no_arena, where + ".body", "give `seats`");
  const auto each = [&](const char* list, std::size_t i) {
    return where + "." + list + "[" + std::to_string(i) + "]";
  };
  for (std::size_t i = 0; i < role.senses.size(); ++i)
    std::visit([&](const auto& sense) { check_sense(sense, each("senses", i)); }, role.senses[i]);
  for (std::size_t i = 0; i < role.controls.size(); ++i)
    std::visit([&](const auto& control) { check_control(control, each("controls", i)); },
               role.controls[i]);
  for (std::size_t i = 0; i < role.rewards.size(); ++i)
    check_term(role.rewards[i], each("rewards", i));
}

// Those who watch count in ticks, which are short.
std::int64_t ticks_of(const CustomGameSpec& custom) {
  constexpr double longest = 0.25;
  return static_cast<std::int64_t>(std::ceil(custom.step_seconds / longest));
}

// What seats are counted by where a game is no arena: bodies that never move, row by row.
ArenaSpec stand_in(const GameSpec& game) {
  ArenaSpec arena{.tick = game.custom->step_seconds / static_cast<double>(ticks_of(*game.custom))};
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const RoleSpec& role = game.roles[r];
    const std::int64_t seats = role.seats.value_or(1);
    const double y = 4.0 * static_cast<double>(r),
                 length = seats > 1 ? 4.0 * static_cast<double>(seats) : 0.0;
    arena.bodies.push_back({.name = role.name,
                            .side = role.side,
                            .count = seats,
                            .shape = Disc{.radius = 0.01},
                            .place = {.region = {0.0, y, length, y}}});
  }
  return arena;
}

}  // namespace

void settle_custom(GameSpec& game) {
  if (!game.custom) {
    for (std::size_t r = 0; r < game.roles.size(); ++r) {
      const std::string where = "roles[" + std::to_string(r) + "]";
      refuse(game.roles[r].seats.has_value(), "seats are the bodies of a name", where + ".seats",
             "leave it out, and give the body a `count`");
      refuse(!game.roles[r].side.empty(), "seats are on the side of their bodies", where + ".side",
             "give the body a `side`");
    }
    return;
  }
  const ArenaSpec standing_in = stand_in(game);
  refuse(game.arena != ArenaSpec{} && game.arena != standing_in, no_arena, "arena");
  const std::int64_t ticks = ticks_of(*game.custom);
  refuse(game.ticks_per_step != GameSpec{}.ticks_per_step && game.ticks_per_step != ticks, no_arena,
         "ticks_per_step", "leave it out; `custom.step_seconds` says how long a step lasts");
  refuse(!game.rules.empty(), "a custom game has no rules beside its own code", "rules");
  const Cutoffs& cutoffs = game.cutoffs;
  refuse(!cutoffs.too_far.empty() || !cutoffs.stalls.empty() || cutoffs.repeats, no_arena,
         "cutoffs", "give `steps` alone; the game's own code can cut its episode off");
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    check_role(game.roles[r], "roles[" + std::to_string(r) + "]");
  check_unique(game.custom->events, "event", "custom.events", "name each once");
  if (const auto& frame = game.custom->frame)
    refuse((*frame)[2] <= (*frame)[0] || (*frame)[3] <= (*frame)[1], "the frame is empty",
           "custom.frame", "give left, bottom, right and top");
  for (std::size_t s = 0; s < game.stages.size(); ++s)
    refuse(game.stages[s].start.has_value(),
           "episodes of a custom game cannot begin in recorded moments",
           "stages[" + std::to_string(s) + "].start");
  game.arena = standing_in;
  game.ticks_per_step = ticks;
}

}  // namespace zithercraft::game_internal
