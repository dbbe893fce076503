#include "zithercraft/experiment/plan.hpp"

#include <fmt/format.h>
#include <algorithm>

#include "game/compile/spec_toml.hpp"
#include "learn/settings_model.hpp"
#include "run/teaching.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/experiment/measure.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft {
using namespace game_internal;

template <class V>
void describe(V& v, Variant& s) {
  v("name", s.name, needed());
  v("set", s.set);
  v("method", s.method);
  v("learner", s.learner);
  v("teachers", s.teachers);
  v("without", s.without);
}

namespace {

// What a plan file and a resolved plan have in common.
template <class V>
void describe_plan(V& v, StudyPlan& s) {
  v("name", s.name);
  v("variants", s.variants);
  v("seeds", s.seeds, at_least(0));
  v("steps", s.steps, at_least(1));
  v("episodes", s.episodes, at_least(1));
  v("episodes_seed", s.episodes_seed, at_least(0));
  v("target", s.target, between(0, 1));
  v("teachers", s.teachers);
  v("teacher_episodes", s.teacher_episodes, at_least(1));
  v("measures", s.measures);
}

// A way of training that every variant is to be tried with.
struct Method {
  std::string name{}, method{};
  KeyValues learner{};
  std::vector<std::string> teachers{};
};

template <class V>
void describe(V& v, Method& s) {
  v("name", s.name, needed());
  v("method", s.method);
  v("learner", s.learner);
  v("teachers", s.teachers);
}

// A plan as people write it.
struct PlanFile {
  StudyPlan plan{};
  std::vector<std::string> games{};
  std::string method = "ppo";
  KeyValues learner{};
  std::vector<Method> methods{};
};

template <class V>
void describe(V& v, PlanFile& s) {
  describe_plan(v, s.plan);
  v("games", s.games, needed());
  v("method", s.method);
  v("learner", s.learner);
  v("methods", s.methods);
}

// Every variant by every method; a variant's own settings win.
std::vector<Variant> by_methods(const std::vector<Variant>& variants,
                                const std::vector<Method>& methods) {
  std::vector<Variant> all;
  for (const Variant& variant : variants)
    for (const Method& method : methods) {
      Variant& v = all.emplace_back(variant);
      v.name = variants == StudyPlan{}.variants ? method.name : variant.name + ", " + method.name;
      if (v.method.empty()) v.method = method.method;
      v.learner.insert(method.learner.begin(), method.learner.end());
      if (v.teachers.empty()) v.teachers = method.teachers;
    }
  return all;
}

// A plan as a study's folder holds it, without its games and its learner's settings.
struct ResolvedPlan {
  StudyPlan plan{};
  std::string method = "ppo";
};

template <class V>
void describe(V& v, ResolvedPlan& s) {
  describe_plan(v, s.plan);
  v("method", s.method);
}

toml::table plan_table(const StudyPlan& plan) {
  toml::table table = TomlWriter::to_table(ResolvedPlan{plan, plan.learner.method()});
  table.insert("learner", table_of(plan.learner));
  toml::array games;
  for (const GameSpec& game : plan.games) games.push_back(table_of(game));
  table.insert("games", std::move(games));
  return table;
}

[[noreturn]] void wrong(const std::string& problem, const std::string& where,
                        const std::string& fix) {
  throw Error(ErrorKind::spec, problem, where, fix);
}

// "term.NAME" and "sense.NAME" taken apart.
struct LeftOut {
  std::string kind, name;
};
LeftOut left_out(const std::string& text, const std::string& where) {
  const std::size_t dot = text.find('.');
  LeftOut part{text.substr(0, dot), dot == std::string::npos ? "" : text.substr(dot + 1)};
  if ((part.kind != "term" && part.kind != "sense") || part.name.empty())
    wrong("'" + text + "' cannot be left out", where, "write term.NAME or sense.NAME");
  return part;
}

const std::string& name_of(const Term& term) { return term.name; }
const std::string& name_of(const Sense& sense) {
  return std::visit([](const auto& s) -> const std::string& { return s.name; }, sense);
}

template <class List>
auto find_named(List& list, const std::string& what, const std::string& name,
                const std::string& where) {
  const auto found = std::find_if(list.begin(), list.end(),
                                  [&](const auto& item) { return name_of(item) == name; });
  if (found != list.end()) return found;
  std::vector<std::string> names;
  for (const auto& item : list) names.push_back(name_of(item));
  wrong("there is no " + what + " '" + name + "'", where, advice(name, names));
}

std::string place(const Variant& variant) { return "variant '" + variant.name + "'"; }

template <class Names>
void check_names(const Names& names, const std::string& what) {
  if (names.empty()) wrong("there is none", what, "add one");
  for (auto name = names.begin(); name != names.end(); ++name)
    if (std::find(names.begin(), name, *name) != name)
      wrong(fmt::format("'{}' is listed twice", *name), what, "give each its own name");
}

void check_variant(const StudyPlan& plan, const GameSpec& game, const Variant& variant) {
  try {
    check_scripts(Game(trained_game(game, variant)));
    run_internal::teacher_use(
        {.learner = learner_of(plan, variant), .teachers = teachers_of(plan, variant)});
    check_measures(measured_game(game, variant), plan.measures);
  } catch (const Error& error) {
    throw Error(error.kind(), error.problem(),
                "game '" + game.name + "', " + place(variant) + ": " + error.where(), error.fix());
  }
}

}  // namespace

GameSpec trained_game(const GameSpec& game, const Variant& variant) {
  GameSpec changed = variant.set.empty() ? game : with_keys(game, variant.set, place(variant));
  RoleSpec& role = changed.roles.at(0);
  for (const std::string& text : variant.without) {
    const LeftOut part = left_out(text, place(variant));
    if (part.kind == "term") {
      find_named(role.rewards, "term", part.name, place(variant))->weight = 0.0;
    } else {
      role.senses.erase(find_named(role.senses, "sense", part.name, place(variant)));
      role.script = {};  // it may need what is gone, and does not play where the role is trained
    }
  }
  return changed;
}

GameSpec measured_game(const GameSpec& game, const Variant& variant) {
  GameSpec measured = trained_game(game, variant);
  for (Term& term : measured.roles.at(0).rewards)
    for (const Term& own : game.roles.at(0).rewards)
      if (own.name == term.name) term.weight = own.weight;
  measured.stages.clear();
  return measured;
}

const std::vector<std::string>& teachers_of(const StudyPlan& plan, const Variant& variant) {
  return variant.teachers.empty() ? plan.teachers : variant.teachers;
}

LearnerSettings learner_of(const StudyPlan& plan, const Variant& variant) {
  const bool as_planned = variant.method.empty() || variant.method == plan.learner.method();
  LearnerSettings learner = as_planned ? plan.learner : learning_method(variant.method).settings;
  for (const auto& [key, value] : variant.learner) learner.set(key, value, place(variant));
  return learner;
}

void check_plan(const StudyPlan& plan) {
  std::vector<std::string> games, variants;
  for (const GameSpec& game : plan.games) games.push_back(game.name);
  for (const Variant& variant : plan.variants) variants.push_back(variant.name);
  check_names(games, "games");
  check_names(variants, "variants");
  check_names(plan.seeds, "seeds");
  check_names(plan.measures, "measures");
  if (plan.steps < 1) wrong("there is nothing to train", "steps", "give at least 1");
  if (plan.episodes < 1) wrong("there is nothing to measure", "episodes", "give at least 1");
  for (const GameSpec& game : plan.games)
    for (const Variant& variant : plan.variants) check_variant(plan, game, variant);
}

std::string to_toml(const StudyPlan& plan) { return toml_text(plan_table(plan)); }

StudyPlan parse_resolved_plan(const std::string& text, const std::string& source) {
  toml::table table = parse_toml(text, source);
  const auto* games = table["games"].as_array();
  if (games == nullptr) wrong("the list 'games' is missing", source, "restore the file");
  std::vector<GameSpec> specs;
  for (const toml::node& node : *games) {
    const auto* game = node.as_table();
    if (game == nullptr) wrong("a game is no table", source, "restore the file");
    specs.push_back(parse_game(toml_text(*game), source, CustomParts::optional));
  }
  table.erase("games");
  const auto* learner = table["learner"].as_table();
  if (learner == nullptr) wrong("the table 'learner' is missing", source, "restore the file");
  const toml::table settings = *learner;
  table.erase("learner");
  ResolvedPlan resolved;
  read_struct(table, resolved, source);
  resolved.plan.learner =
      read_settings(learning_method(resolved.method).settings, settings, source);
  resolved.plan.games = std::move(specs);
  return resolved.plan;
}

StudyPlan load_plan(const std::filesystem::path& file,
                    const std::function<GameSpec(const std::string&)>& find_game) {
  const std::string source = file.string();
  PlanFile read;
  read.plan.name = file.stem().string();
  read_struct(parse_toml(read_text(file), source), read, source);
  for (const std::string& name : read.games)
    read.plan.games.push_back(self_contained(find_game(name)));
  read.plan.learner = learning_method(read.method).settings;
  for (const auto& [key, value] : read.learner)
    read.plan.learner.set(key, value, source + " (learner)");
  if (!read.methods.empty()) read.plan.variants = by_methods(read.plan.variants, read.methods);
  check_plan(read.plan);
  return read.plan;
}

std::string refusal_to_extend(const StudyPlan& before, const StudyPlan& now) {
  StudyPlan here = now, there = before;
  for (const Variant& variant : there.variants)
    if (std::find(here.variants.begin(), here.variants.end(), variant) == here.variants.end())
      return "the variant '" + variant.name + "' is missing or differs";
  for (const std::int64_t seed : there.seeds)
    if (std::find(here.seeds.begin(), here.seeds.end(), seed) == here.seeds.end())
      return fmt::format("the seed {} is missing", seed);
  here.variants = there.variants;
  here.seeds = there.seeds;
  return first_difference(plan_table(here), plan_table(there));
}

}  // namespace zithercraft
