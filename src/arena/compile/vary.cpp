#include "arena/compile/vary.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "arena/compile/spec_fields.hpp"
#include "config/key_path.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft::arena_internal {
using namespace config;
namespace {

/// Finds the number that a key names and changes it.
class Finder {
 public:
  Finder(const std::vector<KeyStep>& steps, double value, std::string where, const std::string& key)
      : steps_(steps), value_(value), where_(std::move(where)), key_(key) {}

  template <class Spec>
  void change(Spec& spec) {
    into(spec, 0);
  }
  /// The last word, to distinguish counts from other numbers.
  bool changes_count() const { return !steps_.empty() && steps_.back().word == "count"; }
  /// Which body or item a changed count belongs to.
  std::size_t list_index() const { return list_index_; }

  template <class T>
  void operator()(std::string_view key, T& field, const Rule& rule = {}) {
    known_.emplace_back(key);
    if (at_ < steps_.size() && steps_[at_].word == key && !found_) {
      found_ = true;
      rule_ = rule;
      const std::size_t here = at_;
      meet(field, here + 1);
    }
  }

 private:
  [[noreturn]] void unknown(const std::string& fix) const {
    throw Error(ErrorKind::spec, "the key '" + key_ + "' names no number of the arena", where_,
                fix);
  }

  template <class Struct>
  void into(Struct& s, std::size_t at) {
    if (at >= steps_.size() || steps_[at].index >= 0) unknown("name a number, not a whole part");
    Finder inner(steps_, value_, where_, key_);
    inner.at_ = at;
    describe(inner, s);
    if (!inner.found_) unknown(advice(steps_[at].word, inner.known_));
    if (inner.list_index_ != nowhere) list_index_ = inner.list_index_;
  }

  void meet(double& field, std::size_t next) {
    last(next);
    field = value_;
    check_rule(field, rule_, where_ + " '" + key_ + "'");
  }
  void meet(std::int64_t& field, std::size_t next) {
    last(next);
    field = static_cast<std::int64_t>(std::floor(value_ + 0.5));
    check_rule(static_cast<double>(field), rule_, where_ + " '" + key_ + "'");
  }
  template <class T>
  void meet(std::optional<T>& field, std::size_t next) {
    if (!field) unknown("give it a value first");
    meet(*field, next);
  }
  template <class... Kinds>
  void meet(std::variant<Kinds...>& field, std::size_t next) {
    std::visit([&](auto& kind) { into(kind, next); }, field);
  }
  template <class T, std::size_t N>
  void meet(std::array<T, N>& field, std::size_t next) {
    meet(field[index(next, N)], next + 1);
  }
  template <class T>
  void meet(std::vector<T>& field, std::size_t next) {
    if (next < steps_.size() && steps_[next].index < 0) {
      if constexpr (requires(T t) { t.name; }) {
        std::vector<std::string> names;
        for (std::size_t i = 0; i < field.size(); ++i) {
          names.push_back(field[i].name);
          if (field[i].name != steps_[next].word) continue;
          if (list_index_ == nowhere) list_index_ = i;
          return meet(field[i], next + 1);
        }
        unknown(advice(steps_[next].word, names));
      }
    }
    const std::size_t i = index(next, field.size());
    list_index_ = i;
    meet(field[i], next + 1);
  }
  template <class Other>
  void meet(Other& field, std::size_t next) {
    if constexpr (std::is_class_v<Other> && !HasTomlForm<Other> &&
                  !std::is_same_v<Other, std::string>) {
      into(field, next);
    } else {
      unknown("only numbers can vary");
    }
  }

  std::size_t index(std::size_t at, std::size_t size) const {
    if (at >= steps_.size() || steps_[at].index < 0)
      unknown("say which of the list, as in list[0]");
    if (static_cast<std::size_t>(steps_[at].index) >= size)
      unknown("the list has " + std::to_string(size) + " entries, counted from 0");
    return static_cast<std::size_t>(steps_[at].index);
  }
  void last(std::size_t next) const {
    if (next != steps_.size()) unknown("leave out what follows the number");
  }

  const std::vector<KeyStep>& steps_;
  double value_;
  std::string where_;
  const std::string& key_;
  std::size_t at_ = 0;
  bool found_ = false;
  Rule rule_;
  std::vector<std::string> known_;
  std::size_t list_index_ = nowhere;
};

struct Limit {
  bool item = false;
  std::size_t list_index = 0;
  std::size_t count = 0;
};

// Things beyond a varied count are not there when an episode begins.
void limit_count(ArenaPlan& plan, const Limit& limit) {
  std::size_t met = 0;
  const EntityKind kind = limit.item ? EntityKind::item : EntityKind::body;
  for (std::size_t e = 0; e < plan.posed; ++e)
    if (plan.entities[e].kind == kind && plan.entities[e].spec_index == limit.list_index &&
        met++ >= limit.count)
      plan.at_start[e] = 0;
}

// Worlds of blocks that differ between variants are all kept.
void check_worlds(const ArenaPlan& plan, const ArenaPlan& first, std::int64_t variants) {
  constexpr std::size_t most_blocks = 256'000'000;
  if (!plan.has_blocks() || plan.blocks.layouts == first.blocks.layouts) return;
  if (plan.blocks.count() * plan.blocks.layouts->size() >
      most_blocks / static_cast<std::size_t>(variants))
    throw Error(ErrorKind::spec, "the worlds of all variants have more than 256 million blocks",
                "arena.variants", "use fewer variants or layouts, or vary nothing of the blocks");
}

// The words of a key that may differ between lanes of one size.
std::vector<KeyStep> changeable(const std::string& key, const std::string& where) {
  std::vector<KeyStep> steps = key_steps(key, where);
  constexpr std::array tops{"vary", "variants", "phases", "tick"};
  constexpr std::array ends{"columns", "rows",  "in_flight", "gates",
                            "density", "layer", "layers",    "layouts"};
  const auto among = [](const auto& words, const std::string& word) {
    return std::find(words.begin(), words.end(), word) != words.end();
  };
  if (steps.empty() || among(tops, steps.front().word) || among(ends, steps.back().word))
    throw Error(ErrorKind::spec, "'" + key + "' cannot differ from episode to episode", where,
                "it decides how large a state is; choose another number");
  return steps;
}

// Draws the numbers that vary, and says how many of each kind of thing begin.
std::vector<Limit> draw_variant(ArenaSpec& variant, RandomStream& random) {
  std::vector<Limit> limits;
  const std::vector<Vary> varied = variant.vary;
  for (std::size_t k = 0; k < varied.size(); ++k) {
    const Vary& vary = varied[k];
    const std::string where = "arena.vary[" + std::to_string(k) + "]";
    if (vary.high < vary.low)
      throw Error(ErrorKind::spec, "the range runs backwards", where + ".high",
                  "swap low and high");
    const std::vector<KeyStep> steps = changeable(vary.key, where + ".key");
    Finder finder(steps, random.between(vary.low, vary.high), where + ".key", vary.key);
    if (!finder.changes_count()) {
      finder.change(variant);
      continue;
    }
    // Every variant has room for the most there can be.
    const double drawn =
        std::floor(vary.low + (vary.high - vary.low + 1.0) * static_cast<double>(random.uniform()));
    Finder most(steps, vary.high, where + ".key", vary.key);
    most.change(variant);
    if (steps.front().word == "bodies" && variant.bodies[most.list_index()].tail)
      throw Error(ErrorKind::spec, "the pieces of a tail cannot vary", where + ".key",
                  "let the start of its leader's meter vary");
    limits.push_back({steps.front().word == "items", most.list_index(),
                      static_cast<std::size_t>(std::max(0.0, std::min(drawn, vary.high)))});
  }
  return limits;
}

void enter(ArenaSpec& spec, const Phase& phase, const std::string& where) {
  for (std::size_t k = 0; k < phase.set.size(); ++k) {
    const Setting& setting = phase.set[k];
    const std::string at = where + ".set[" + std::to_string(k) + "].key";
    const std::vector<KeyStep> steps = changeable(setting.key, at);
    Finder finder(steps, setting.value, at, setting.key);
    if (finder.changes_count())
      throw Error(ErrorKind::spec, "a phase cannot change how many things there are", at,
                  "let rules take them out and bring them back");
    finder.change(spec);
  }
}

void check_phases(const ArenaSpec& spec) {
  for (std::size_t i = 0; i < spec.phases.size(); ++i) {
    const std::string where = "arena.phases[" + std::to_string(i) + "]";
    if (spec.phases[i].name.empty())
      throw Error(ErrorKind::spec, "the name is empty", where + ".name", "name it");
    for (std::size_t j = 0; j < i; ++j)
      if (spec.phases[j].name == spec.phases[i].name)
        throw Error(ErrorKind::spec, "two phases are named '" + spec.phases[i].name + "'",
                    where + ".name", "give them different names");
  }
  constexpr std::size_t most_plans = 4096;
  const std::size_t variants = spec.vary.empty() ? 1 : static_cast<std::size_t>(spec.variants);
  if (variants * (spec.phases.size() + 1) > most_plans)
    throw Error(ErrorKind::spec,
                std::to_string(variants) + " variants in " +
                    std::to_string(spec.phases.size() + 1) + " phases are more than 4096",
                "arena.variants", "use fewer variants or phases");
}

}  // namespace

std::shared_ptr<const ArenaPlans> compile_variants(const ArenaSpec& spec) {
  check_phases(spec);
  auto plans = std::make_shared<ArenaPlans>();
  plans->spec = spec;
  plans->phases = static_cast<std::uint32_t>(spec.phases.size() + 1);
  auto& all = plans->variants;
  const auto add = [&](const ArenaSpec& variant, const std::vector<Limit>& limits) {
    all.push_back(compile_arena(variant, all.empty() ? nullptr : &all.front()));
    check_worlds(all.back(), all.front(), spec.vary.empty() ? 1 : spec.variants);
    all.back().spec.vary.clear();
    for (const Limit& limit : limits) limit_count(all.back(), limit);
  };
  const std::int64_t variants = spec.vary.empty() ? 1 : spec.variants;
  for (std::int64_t v = 0; v < variants; ++v) {
    RandomStream random(0, static_cast<std::uint32_t>(v), 0, Purpose::vary);
    ArenaSpec variant = spec;
    const std::vector<Limit> limits = draw_variant(variant, random);
    add(variant, limits);
    for (std::size_t p = 0; p < spec.phases.size(); ++p) {
      ArenaSpec changed = variant;
      enter(changed, spec.phases[p], "arena.phases[" + std::to_string(p) + "]");
      add(changed, limits);
    }
  }
  return plans;
}

}  // namespace zithercraft::arena_internal
