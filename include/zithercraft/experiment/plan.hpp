#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "zithercraft/game/overrides.hpp"
#include "zithercraft/learn/learner_settings.hpp"

namespace zithercraft {

/// One way of doing things that a study compares with others.
struct Variant {
  std::string name{};    ///< unique among the variants
  KeyValues set{};       ///< keys of the game
  std::string method{};  ///< how it trains, see `learning_methods`; empty: as the plan says
  KeyValues learner{};   ///< settings of the learner, of that method
  /// whom it learns from, see RunSettings::teachers; empty: as the plan says
  std::vector<std::string> teachers{};
  /// "term.NAME" pays nothing; "sense.NAME" is taken from the first role
  std::vector<std::string> without{};
  bool operator==(const Variant&) const = default;
};

/// What is measured of a policy once it is trained, over fresh episodes: "success", "return",
/// "length", "term.NAME" (reward of the term per episode), "events.NAME" (how often the event of
/// the term NAME happened per episode, whatever its reward). Returns and rewards are computed by
/// the game's own weights, also where a variant trains with others. "steps_to_target" and
/// "seconds_to_target": until the success of the last 100 episodes first reached the target.
using Measures = std::vector<std::string>;

/// An experiment: every variant of every game is trained under every seed, each with the same
/// budget, and measured on the same episodes.
struct StudyPlan {
  std::string name = "study";                           ///< of the study
  std::vector<GameSpec> games{};                        ///< at least one, of different names
  std::vector<Variant> variants{{.name = "as it is"}};  ///< at least one, of different names
  std::vector<std::int64_t> seeds{1, 2, 3};             ///< of the trainings, at least one
  std::int64_t steps = 1'000'000;                       ///< of each training, at least 1
  LearnerSettings learner{};                            ///< of whichever method
  std::vector<std::string> teachers{};     ///< of each training, see RunSettings::teachers
  std::int64_t teacher_episodes = 200;     ///< that they play beforehand, in all, at least 1
  std::int64_t episodes = 200;             ///< that each trained policy is measured on, at least 1
  std::int64_t episodes_seed = 0;          ///< of the episodes that all are measured on
  double target = 0.9;                     ///< see Measures, 0 to 1
  Measures measures{"success", "return"};  ///< what is measured

  /// How many trainings it asks for.
  std::size_t runs() const { return games.size() * variants.size() * seeds.size(); }
};

/// The game as a variant trains it, and as its policy is measured. Throws Error (spec) if a variant
/// does not fit.
GameSpec trained_game(const GameSpec& game, const Variant& variant);
/// The game that a variant is measured on.
GameSpec measured_game(const GameSpec& game, const Variant& variant);

/// The plan's settings with the variant's own; a variant of another method begins with the usual
/// ones of that. Throws Error (spec or usage) if there is no such method or setting.
LearnerSettings learner_of(const StudyPlan& plan, const Variant& variant);

/// Whom a variant learns from.
const std::vector<std::string>& teachers_of(const StudyPlan& plan, const Variant& variant);

/// Checks everything that can be checked before the first training. Throws Error (spec or usage).
void check_plan(const StudyPlan& plan);

/// The resolved plan as TOML; holds everything it needs, games included. See docs/formats/study.md.
std::string to_toml(const StudyPlan& plan);
/// The plan as a study's folder keeps it, with its games within. Throws Error (spec).
StudyPlan parse_resolved_plan(const std::string& text, const std::string& source);

/// A plan file as people write it: games are named, and `find_game` finds them. Throws Error (file,
/// spec).
StudyPlan load_plan(const std::filesystem::path& file,
                    const std::function<GameSpec(const std::string&)>& find_game);

/// What differs, apart from variants and seeds that were added; empty if `now` extends `before` or
/// is the same.
std::string refusal_to_extend(const StudyPlan& before, const StudyPlan& now);

}  // namespace zithercraft
