#include "zithercraft/doctor/doctor.hpp"

#include <fmt/format.h>
#include <algorithm>

#include "base/json.hpp"
#include "doctor/checks.hpp"
#include "evaluate/recorded_episode.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft {
using namespace evaluate_internal;
using namespace doctor_internal;
namespace {

// Who plays a survey: one player for each role.
struct NamedLineup {
  std::string name;
  std::vector<std::unique_ptr<Player>> owned;

  std::vector<const Player*> players() const {
    std::vector<const Player*> list;
    for (const auto& player : owned) list.push_back(player.get());
    return list;
  }
};

template <class Make>
NamedLineup lineup_of(const Game& game, const char* name, const Make& make) {
  NamedLineup lineup{name, {}};
  for (std::size_t r = 0; r < game.roles().size(); ++r) lineup.owned.push_back(make(r));
  return lineup;
}

std::vector<NamedLineup> lineups_for(const Game& game, const Run* run, std::uint64_t seed) {
  std::vector<NamedLineup> lineups;
  lineups.push_back(lineup_of(game, "random", [&](std::size_t) { return random_player(seed); }));
  lineups.push_back(lineup_of(game, "idle", [](std::size_t) { return idle_player(); }));
  lineups.push_back(
      lineup_of(game, "to and fro", [&](std::size_t) { return dithering_player(seed); }));
  const auto scripted = [&](std::size_t r) { return has_script(game, r); };
  const auto other = [&](std::size_t r) { return usual_player(game, r, seed); };
  bool any = false;
  for (std::size_t r = 0; r < game.roles().size(); ++r) any = any || scripted(r);
  if (any) lineups.push_back(lineup_of(game, "script", other));
  if (run != nullptr)
    lineups.push_back(lineup_of(game, "trained", [&](std::size_t r) {
      return r == 0 ? policy_player(game, 0, run->policy(), ActionMode::sampled, seed) : other(r);
    }));
  return lineups;
}

void write_strange(const Game& game, const std::vector<NamedLineup>& lineups,
                   const std::filesystem::path& folder, std::vector<StrangeEpisode>& strange) {
  make_folder(folder);
  for (std::size_t i = 0; i < strange.size(); ++i) {
    StrangeEpisode& s = strange[i];
    const auto lineup = std::find_if(lineups.begin(), lineups.end(),
                                     [&](const NamedLineup& c) { return c.name == s.player; });
    const auto file = folder / fmt::format("strange-{}.zrep", i + 1);
    record_episode(file, game, lineup->owned, {s.seed, s.lane, s.episode}, s.seed);
    s.replay = file.string();
  }
}

// Checks that play by themselves.
void check_alone(const Examined& examined, Findings& findings) {
  if (examined.game.spec().custom) return check_custom(examined, findings);
  check_controls(examined, findings);
  check_starts(examined, findings);
}

Diagnosis diagnose(const Game& game, const Run* run, const DoctorOptions& options) {
  if (options.steps < 1000)
    throw Error(ErrorKind::usage, "fewer than 1000 steps show nothing", "DoctorOptions::steps",
                "watch more");
  if (!options.method.empty()) learning_method(options.method);  // throws if there is none
  WorkerPool pool(options.threads);
  Diagnosis diagnosis;
  diagnosis.game = game.spec().name;
  if (run != nullptr) diagnosis.run = run->folder().string();
  const auto lineups = lineups_for(game, run, options.seed);
  Examined examined{game, options, {}};
  const std::uint64_t seed = derived_seed(options.seed, "doctor");
  WorkCount progress(options.steps * static_cast<std::int64_t>(lineups.size()),
                     options.on_progress);
  bool breaks_off = false;
  for (const NamedLineup& lineup : lineups) {
    examined.surveys.push_back(
        watch(game, lineup.name, lineup.players(), options.steps, seed, pool, &progress));
    const Survey& survey = examined.surveys.back();
    diagnosis.players.push_back(survey.player);
    diagnosis.steps += survey.steps;
    if (survey.failure.empty()) continue;
    breaks_off = true;
    diagnosis.findings.push_back(
        {Severity::error, "play breaks off", "the game", "an error ends the play",
         fmt::format("{} play, after {} steps: {}", survey.player, survey.steps, survey.failure),
         "fix it first: what else was found comes from the play before it"});
  }
  Findings& findings = diagnosis.findings;
  check_unseen_tags(examined, findings);
  check_columns(examined, findings);
  check_rewards(examined, findings);
  check_episodes(examined, findings);
  check_headings(examined, findings);
  check_rules(examined, findings);
  if (!breaks_off) check_alone(examined, findings);
  check_method(examined, findings);
  if (run != nullptr) {
    check_training(game, learning_method(run->settings().learner.method()),
                   Metrics(run->metrics()).rows(), findings);
    check_responses(examined, *run, findings);
  }
  diagnosis.seen = seen_tags(examined);
  diagnosis.strange = strange_episodes(examined);
  if (!options.strange_replays.empty())
    write_strange(game, lineups, options.strange_replays, diagnosis.strange);
  std::stable_sort(findings.begin(), findings.end(),
                   [](const Finding& a, const Finding& b) { return a.severity > b.severity; });
  return diagnosis;
}

}  // namespace

std::string_view name_of(Severity severity) noexcept {
  switch (severity) {
    case Severity::note: return "note";
    case Severity::warning: return "warning";
    case Severity::error: return "error";
  }
  return "unknown";
}

const Survey* Examined::by(const std::string& player) const {
  const auto found = std::find_if(surveys.begin(), surveys.end(),
                                  [&](const Survey& s) { return s.player == player; });
  return found == surveys.end() ? nullptr : &*found;
}

std::string doctor_internal::role_name(const Game& game, std::size_t role) {
  return "role '" + game.roles()[role].name + "'";
}
std::string doctor_internal::percent(double share) { return fmt::format("{:.3g}%", 100.0 * share); }

std::string Diagnosis::to_json() const {
  Json j{{"game", game}, {"steps", steps}, {"players", players}};
  if (!run.empty()) j["run"] = run;
  j["worst"] = findings.empty() ? "nothing found" : std::string(name_of(worst()));
  j["findings"] = Json::array();
  for (const Finding& f : findings) {
    Json one{
        {"severity", name_of(f.severity)}, {"check", f.check}, {"where", f.where}, {"what", f.what},
        {"evidence", f.evidence},          {"fix", f.fix}};
    if (f.began >= 0) one["began"] = f.began;
    j["findings"].push_back(std::move(one));
  }
  j["seen"] = Json::array();
  for (const TagSeen& s : seen)
    j["seen"].push_back({{"role", s.role}, {"tag", s.tag}, {"share", s.share}});
  j["strange"] = Json::array();
  for (const StrangeEpisode& s : strange) {
    Json one{{"player", s.player},
             {"seed", s.seed},
             {"lane", s.lane},
             {"episode", s.episode},
             {"why", s.why}};
    if (!s.replay.empty()) one["replay"] = s.replay;
    j["strange"].push_back(std::move(one));
  }
  return j.dump(2);
}

Diagnosis examine(const Game& game, const DoctorOptions& options) {
  return diagnose(game, nullptr, options);
}
Diagnosis examine(const Run& run, const DoctorOptions& options) {
  return diagnose(run.game(), &run, options);
}

}  // namespace zithercraft
