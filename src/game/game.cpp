#include "zithercraft/game/game.hpp"

#include <algorithm>
#include <utility>

#include "game/compile/compile_custom.hpp"
#include "game/compile/compile_triggers.hpp"
#include "game/compile/overrides.hpp"
#include "game/lane_block.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
using namespace game_internal;
namespace {

std::size_t round_up(std::size_t bytes) { return (bytes + 7) / 8 * 8; }

void lay_out(GamePlan& plan) {
  plan.books_offset = round_up(plan.arena.state_bytes());
  std::size_t end = plan.books_offset + round_up(sizeof(Books));
  const auto take = [&](std::size_t bytes) {
    const std::size_t first = end;
    end += round_up(bytes);
    return first;
  };
  for (std::size_t r = 0; r < plan.roles.size(); ++r) {
    RolePlan& role = plan.role_plans[r];
    const std::size_t seats = plan.roles[r].seats.size();
    role.ledger_offset = take(seats * role.terms.size() * sizeof(double));
    role.memory_offset = take(seats * role.memory_words * sizeof(std::uint64_t));
    role.given_offset = take(seats * role.controls.size() * sizeof(float));
    role.targets_offset = take(seats * role.targets.size() * sizeof(std::uint32_t));
    role.kept_offset = take(seats * role.kept_columns * sizeof(float));
  }
  plan.cutoffs.memory_offset = take(plan.cutoffs.memory_words * sizeof(std::uint64_t));
  if (!plan.rules.empty()) {
    plan.rules_offset = take((plan.rule_numbers + first_rule_number) * sizeof(double));
    plan.rule_words_offset = take(plan.rule_words * sizeof(std::uint64_t));
  }
  plan.block_bytes = end;
}

void compile_role(GamePlan& plan, std::size_t r) {
  const std::string where = "roles[" + std::to_string(r) + "]";
  Role& role = plan.roles[r];
  role.name = plan.spec.roles[r].name;
  find_seats(plan, r, where);
  compile_controls(plan, r, where);
  compile_senses(plan, r, where);
  compile_conditions(plan, r, where);
  check_unique(names_of(role.columns), "column", where + ".senses",
               "give the senses different names");
  compile_terms(plan, r, where);
}

// One policy plays both roles, so what it reads and writes must be laid out alike.
void find_mirrored(GamePlan& plan, std::size_t r) {
  Role& role = plan.roles[r];
  role.mirrors = r;
  const std::string& name = plan.spec.roles[r].mirrors;
  if (name.empty()) return;
  const std::string where = "roles[" + std::to_string(r) + "].mirrors";
  const auto found =
      std::find_if(plan.roles.begin(), plan.roles.begin() + static_cast<std::ptrdiff_t>(r),
                   [&](const Role& other) { return other.name == name; });
  const auto number = static_cast<std::size_t>(found - plan.roles.begin());
  if (number == r || found->mirrors != number)
    wrong_spec("no role named before it is called '" + name + "'", where,
               "name one that mirrors none itself");
  const auto refuse = [&](const std::string& what) {
    wrong_spec("the role '" + role.name + "' does not mirror '" + name + "': " + what, where,
               "give both the same senses and controls, with the sides exchanged");
  };
  role.mirrors = number;
  if (role.controls != found->controls) refuse("its controls differ");
  if (role.columns.size() != found->columns.size())
    refuse(std::to_string(role.columns.size()) + " columns here, " +
           std::to_string(found->columns.size()) + " there");
  for (std::size_t c = 0; c < role.columns.size(); ++c) {
    const Column &here = role.columns[c], &there = found->columns[c];
    if (here.unit != there.unit || here.low != there.low || here.high != there.high ||
        here.scale != there.scale)
      refuse("its column '" + here.name + "' is not like '" + there.name + "'");
  }
}

// What a policy and a ledger hold must mean the same on every stage.
void check_alike(const GamePlan& game, const Game& stage, const std::string& where) {
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const Role &here = game.roles[r], &there = stage.roles()[r];
    const auto refuse = [&](const std::string& what) {
      wrong_spec("the stage changes the " + what + " of the role '" + here.name + "'",
                 where + ".set",
                 "leave them as they are in the game; numbers and ranges can change");
    };
    if (names_of(here.columns) != names_of(there.columns)) refuse("columns");
    if (here.controls != there.controls) refuse("controls");
    if (here.terms != there.terms) refuse("terms");
    if (here.seats.size() != there.seats.size()) refuse("number of seats");
  }
}

void compile_stages(GamePlan& plan, CustomParts custom) {
  const auto& stages = plan.spec.stages;
  check_unique(names_of(stages), "stage", "stages", "give them different names");
  for (std::size_t i = 0; i < stages.size(); ++i) {
    const Stage& stage = stages[i];
    const std::string where = "stages[" + std::to_string(i) + "]";
    const std::string& metric = stage.advance.metric;
    if (metric.empty() && !stage.advance.steps)
      wrong_spec("nothing says when the stage has been learned", where + ".advance",
                 "give `metric` and `at_least`, or `steps`");
    std::vector<std::string> known{"success", "return", "length"};
    known.insert(known.end(), plan.roles[0].terms.begin(), plan.roles[0].terms.end());
    if (!metric.empty() && std::find(known.begin(), known.end(), metric) == known.end())
      wrong_spec("there is no metric '" + metric + "'", where + ".advance.metric",
                 advice(metric, known));
    if (i == 0 && stage.earlier > 0.0)
      wrong_spec("no stage is earlier than the first", where + ".earlier", "leave it out");
    plan.stages.emplace_back(at_stage(plan.spec, i), custom);
    check_alike(plan, plan.stages.back(), where);
  }
}

std::shared_ptr<const GamePlan> compile(GameSpec spec, CustomParts custom) {
  check_values(spec);
  if (spec.roles.empty()) wrong_spec("the game has no role", "roles", "add one");
  check_unique(names_of(spec.roles), "role", "roles", "give them different names");
  settle_custom(spec);
  spec = self_contained(spec);
  auto plan = std::make_shared<GamePlan>(GamePlan{.spec = spec, .arena = Arena(spec.arena)});
  plan->things_of_tag.resize(plan->arena.tags().size());
  for (const EntityId e : plan->arena.posed())
    if (const Entity& entity = plan->arena.entity(e); entity.kind != EntityKind::shot)
      for (std::size_t tag = 0; tag < plan->things_of_tag.size(); ++tag)
        if (plan->arena.tags_ever(e).holds(tag)) plan->things_of_tag[tag].push_back(e);

  find_told_events(*plan);
  plan->roles.resize(spec.roles.size());
  plan->role_plans.resize(spec.roles.size());
  for (std::size_t r = 0; r < spec.roles.size(); ++r) compile_role(*plan, r);
  for (std::size_t r = 0; r < spec.roles.size(); ++r) find_mirrored(*plan, r);
  plan->seat_of.assign(plan->arena.bodies().size(), {-1, 0});
  for (std::size_t r = 0; r < spec.roles.size() && !spec.custom; ++r)
    for (std::size_t seat = 0; seat < plan->roles[r].seats.size(); ++seat)
      plan->seat_of[plan->roles[r].seats[seat].index()] = {static_cast<std::int32_t>(r),
                                                           static_cast<std::int32_t>(seat)};
  compile_cutoffs(*plan);
  compile_rules(*plan);
  if (spec.custom && !spec.custom->playable()) plan->complete = false;
  if (!plan->complete && custom == CustomParts::needed)
    wrong_spec(spec.custom ? "the game is custom, and a file cannot hold its code"
                           : "a term, a sense or a rule is custom, which a file cannot hold",
               spec.custom ? "custom" : "roles and rules",
               spec.custom
                   ? "use the program that defines it, or let games join that play it (--launch, "
                     "--join-at)"
                   : "use the program that defines it, or take it out");
  compile_stages(*plan, custom);
  lay_out(*plan);
  plan->fingerprint = hex64(hash_text(to_toml(plan->spec)));
  return plan;
}

template <class Roles>
auto& find_role(Roles& roles, std::string_view name) {
  const auto found = std::find_if(roles.begin(), roles.end(),
                                  [&](const RoleSpec& role) { return role.name == name; });
  if (found != roles.end()) return *found;
  wrong_spec("the game has no role '" + std::string(name) + "'", "roles",
             advice(name, names_of(roles)));
}

}  // namespace

RoleSpec& GameSpec::role(std::string_view role_name) { return find_role(roles, role_name); }
const RoleSpec& GameSpec::role(std::string_view role_name) const {
  return find_role(roles, role_name);
}

Game::Game(GameSpec spec, CustomParts custom)
    : plan_(compile(std::move(spec), custom)), arena_(&plan_->arena), roles_(plan_->roles) {}

std::string_view name_of(const Game& game, const Event& event) noexcept {
  const auto names = game.told_events();
  const auto number = static_cast<std::size_t>(event.detail);
  return event.kind == EventKind::custom && number < names.size() ? std::string_view(names[number])
                                                                  : name_of(event.kind);
}

std::span<const std::string> Game::told_events() const noexcept {
  return plan_->spec.custom ? plan_->spec.custom->events : plan_->told;
}
const GameSpec& Game::spec() const noexcept { return plan_->spec; }
const std::string& Game::fingerprint() const noexcept { return plan_->fingerprint; }
bool Game::complete() const noexcept { return plan_->complete; }
std::size_t Game::stages() const noexcept { return plan_->stages.size() + 1; }
Game Game::stage(std::size_t number) const {
  return number < plan_->stages.size() ? plan_->stages[number] : *this;
}
std::string Game::stage_name(std::size_t number) const {
  return number < plan_->stages.size() ? plan_->spec.stages[number].name : plan_->spec.name;
}

}  // namespace zithercraft
