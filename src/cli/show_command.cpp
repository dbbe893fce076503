#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/games.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {
namespace {

Json column_json(const Column& c) {
  return {{"name", c.name}, {"unit", c.unit}, {"low", c.low}, {"high", c.high}, {"scale", c.scale}};
}

Json control_json(const ControlInfo& c) {
  Json j{{"name", c.name},
         {"kind", c.is_choice() ? "choice" : "dial"},
         {"unit", c.unit},
         {"low", c.low},
         {"high", c.high}};
  if (c.is_choice()) j["options"] = c.options;
  return j;
}

Json game_json(const Game& game) {
  Json j{
      {"name", game.spec().name},
      {"about", game.spec().about},
      {"fingerprint", game.fingerprint()},
      {"tags", std::vector<std::string>(game.arena().tags().begin(), game.arena().tags().end())}};
  if (const auto& custom = game.spec().custom) {
    Json settings = Json::object();
    for (const auto& [name, value] : custom->settings) settings[name] = value;
    j["custom"] = {{"settings", settings},
                   {"events", custom->events},
                   {"step_seconds", custom->step_seconds},
                   {"deterministic", custom->deterministic}};
  }
  for (const RuleSpec& rule : game.spec().rules)
    j["rules"].push_back({{"name", rule.name}, {"does", in_words(rule)}});
  for (const Role& role : game.roles()) {
    Json r{{"name", role.name}, {"seats", role.seats.size()}};
    for (const Column& c : role.columns) r["columns"].push_back(column_json(c));
    for (const ControlInfo& c : role.controls) r["controls"].push_back(control_json(c));
    r["terms"] = role.terms;
    j["roles"].push_back(r);
  }
  return j;
}

// Columns that differ only in their index are listed as one: "rays[0..23].hull".
struct ColumnGroup {
  Column column;  // the first
  std::string last;
  bool holds(const Column& other) const {
    return name_with_index(column, "") == name_with_index(other, "");
  }
  std::string name() const {
    const std::string first = index_text(column);
    return first == last ? column.name : name_with_index(column, first + ".." + last);
  }
};

std::vector<ColumnGroup> grouped(const std::vector<Column>& columns) {
  std::vector<ColumnGroup> groups;
  for (const Column& c : columns) {
    const auto same = std::find_if(groups.begin(), groups.end(),
                                   [&](const ColumnGroup& g) { return g.holds(c); });
    if (same == groups.end()) {
      groups.push_back({c, index_text(c)});
    } else {
      same->last = index_text(c);
    }
  }
  return groups;
}

void print_game(const Game& game) {
  fmt::print("{}: {}\n", game.spec().name, game.spec().about);
  std::map<std::string, int> things;
  for (const Entity& e : game.arena().entities()) ++things[e.name];
  if (const auto& custom = game.spec().custom) {
    fmt::print("custom:   by code of its own, {}",
               custom->deterministic ? "the same for the same key" : "never twice the same");
    for (const auto& [name, value] : custom->settings) fmt::print("  {}={}", name, value);
  } else {
    fmt::print("arena:   ");
    for (const auto& [name, count] : things) fmt::print(" {} x{} ", name, count);
  }
  fmt::print("\ntime:     a step every {:.2f} s, cut off after {} steps\n",
             static_cast<double>(game.spec().ticks_per_step) * game.spec().arena.tick,
             game.spec().cutoffs.steps);
  const auto& rules = game.spec().rules;
  for (std::size_t i = 0; i < rules.size(); ++i)
    fmt::print("{} {}: {}\n", i == 0 ? "rules:   " : "         ", rules[i].name,
               in_words(rules[i]));
  for (const Role& role : game.roles()) {
    fmt::print("\nrole {} ({} seat{}), script: {}\n", role.name, role.seats.size(),
               role.seats.size() == 1 ? "" : "s",
               game.spec().role(role.name).script.used() ? game.spec().role(role.name).script.name()
                                                         : "none");
    const auto groups = grouped(role.columns);
    std::size_t wide = 26;
    for (const ColumnGroup& g : groups) wide = std::max(wide, g.name().size());
    fmt::print("  {:<{}} {:<14} {:>7} {:>7}  {}\n", "senses (observations)", wide, "unit", "low",
               "high", "1 stands for");
    for (const ColumnGroup& g : groups)
      fmt::print("  {:<{}} {:<14} {:>7.2f} {:>7.2f}  {}\n", g.name(), wide, g.column.unit,
                 g.column.low, g.column.high,
                 g.column.unit == "flag" || g.column.scale == 1.0
                     ? ""
                     : fmt::format("{:.2f} {}", g.column.scale, g.column.unit));
    fmt::print("  {:<{}} {:<14} {:>7} {:>7}\n", "controls (actions)", wide, "unit", "low", "high");
    for (const ControlInfo& c : role.controls) {
      fmt::print("  {:<{}} {:<14} {:>7.2f} {:>7.2f}", c.name, wide, c.unit, c.low, c.high);
      for (const auto& option : c.options) fmt::print("  {}", option);
      fmt::print("\n");
    }
    fmt::print("  {:<{}} {:<14} {}\n", "rewards", wide, "weight", "ends the episode");
    for (const Term& t : game.spec().role(role.name).rewards)
      fmt::print("  {:<{}} {:<14} {}\n", t.name, wide, t.weight,
                 t.ends == Verdict::success   ? "success"
                 : t.ends == Verdict::failure ? "failure"
                                              : "");
  }
}

void draw_game(const Game& game, const ShowCommand& command) {
  std::vector<std::unique_ptr<Player>> players;
  std::vector<Player*> lineup;
  for (std::size_t role = 0; role < game.roles().size(); ++role)
    lineup.push_back(players.emplace_back(usual_player(game, role)).get());
  const EpisodeKey key{derived_seed(command.seed, "score"), 0, 0};
  Path path;
  play_one(game, lineup, key, [&](const Environment& environment) { extend(path, environment); });
  Lanes start(game, 1);
  start.begin(0, key);
  std::vector<Overlay> drawing;
  start.draw(0, drawing);
  const Picture picture{.lanes = &start,
                        .paths = {path},
                        .title = fmt::format("{}: start of seed {} and the path of the {} player",
                                             game.spec().name, command.seed, lineup[0]->name()),
                        .overlays = drawing};
  if (!command.png.empty()) draw_png(command.png, picture);
  if (!command.svg.empty()) draw_svg(command.svg, picture);
}

// ---- What roles sense, over random play

Json readings_json(const std::vector<ColumnReading>& readings) {
  Json list = Json::array();
  for (const ColumnReading& r : readings) {
    Json j = column_json(r.column);
    j["read"] = {{"low", r.low}, {"high", r.high}, {"mean", r.mean}, {"stddev", r.stddev}};
    list.push_back(std::move(j));
  }
  return list;
}

// Columns of a group read together.
ColumnReading together(const ColumnGroup& group, const std::vector<ColumnReading>& readings) {
  ColumnReading sum{group.column, 1e300, -1e300, 0.0, 0.0};
  double count = 0.0, squares = 0.0;
  for (const ColumnReading& r : readings) {
    if (!group.holds(r.column)) continue;
    sum.low = std::min(sum.low, r.low);
    sum.high = std::max(sum.high, r.high);
    sum.mean += r.mean;
    squares += r.mean * r.mean + r.stddev * r.stddev;
    ++count;
  }
  sum.mean /= count;
  sum.stddev = std::sqrt(std::max(0.0, squares / count - sum.mean * sum.mean));
  return sum;
}

void print_readings(const Role& role, const std::vector<ColumnReading>& readings) {
  fmt::print("\nrole {}: {} columns over random play\n", role.name, role.columns.size());
  fmt::print("  {:<30} {:<14} {:>7} {:>7}   {:>8} {:>8} {:>8} {:>8}\n", "column", "unit", "low",
             "high", "lowest", "highest", "mean", "stddev");
  for (const ColumnGroup& group : grouped(role.columns)) {
    const ColumnReading r = together(group, readings);
    fmt::print("  {:<30} {:<14} {:>7.2f} {:>7.2f}   {:>8.3f} {:>8.3f} {:>8.3f} {:>8.3f}\n",
               group.name(), r.column.unit, r.column.low, r.column.high, r.low, r.high, r.mean,
               r.stddev);
  }
}

}  // namespace

int ShowCommand::run() const {
  FileGuard().reads(game).writes("--png", png).writes("--svg", svg).check(json);
  const Game compiled(find_game(game, set));
  if (senses) {
    Json j{{"name", compiled.spec().name}};
    for (std::size_t r = 0; r < compiled.roles().size(); ++r) {
      const auto readings = read_senses(compiled, r, 20'000, seed);
      if (json) {
        j["roles"].push_back(
            {{"name", compiled.roles()[r].name}, {"columns", readings_json(readings)}});
      } else {
        print_readings(compiled.roles()[r], readings);
      }
    }
    if (!png.empty()) draw_senses(png, compiled, 0, seed);
    if (json) fmt::print("{}\n", j.dump(2));
    return done;
  }
  if (!png.empty() || !svg.empty()) draw_game(compiled, *this);
  if (json) {
    fmt::print("{}\n", game_json(compiled).dump(2));
  } else {
    print_game(compiled);
  }
  return done;
}

}  // namespace zithercraft::cli
