#pragma once

// The doctor's checks. Each looks at one side of a game and adds what it finds.

#include <string>
#include <vector>

#include "doctor/survey.hpp"
#include "zithercraft/doctor/doctor.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft::doctor_internal {

/// What checks look at: the game and how players played it.
struct Examined {
  const Game& game;
  const DoctorOptions& options;
  // Random first; then idle, to and fro, script and trained, if they exist.
  std::vector<Survey> surveys;

  /// Null if nobody of that name played.
  const Survey* by(const std::string& player) const;
};

using Findings = std::vector<Finding>;

std::string role_name(const Game& game, std::size_t role);
std::string percent(double share);

/// Tags that matter to rewards and that no sense reports.
void check_unseen_tags(const Examined& e, Findings& findings);
/// How often each role saw each tag.
std::vector<TagSeen> seen_tags(const Examined& e);
/// Columns that never change, stay at their bounds, are out of scale, agree, or jump as the body
/// turns.
void check_columns(const Examined& e, Findings& findings);
/// Controls without effect, that end the episode, that mean another thing at another heading, or
/// are never allowed.
void check_controls(const Examined& e, Findings& findings);
/// Terms that never pay or swamp the others; doing nothing or going to and fro that pays better
/// than success.
void check_rewards(const Examined& e, Findings& findings);
/// Seats that move and never turn.
void check_headings(const Examined& e, Findings& findings);
/// How episodes begin and end, and whether bodies stay in the arena.
void check_episodes(const Examined& e, Findings& findings);
/// Declared rules that were never carried out.
void check_rules(const Examined& e, Findings& findings);
/// Starts that overlap, and starts from which success cannot be reached.
void check_starts(const Examined& e, Findings& findings);
/// Of a custom game: whether episodes are the same for the same key, leave nothing behind and can
/// be brought back, and controls without effect.
void check_custom(const Examined& e, Findings& findings);
/// Whether the method that is meant to train the game can, if one is named.
void check_method(const Examined& e, Findings& findings);
/// How a training went.
void check_training(const Game& game, const LearningMethod& method,
                    const std::vector<MetricsRow>& rows, Findings& findings);

/// How far others can exploit a run's policies, where that is asked for.
void check_responses(const Examined& e, const Run& run, Findings& findings);

/// Episodes that stand out from the others of their player.
std::vector<StrangeEpisode> strange_episodes(const Examined& e);

}  // namespace zithercraft::doctor_internal
