#include "run/teaching.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <filesystem>
#include <memory>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft::run_internal {
namespace {

namespace fs = std::filesystem;

[[noreturn]] void refuse_teacher(const std::string& teacher, const std::string& what,
                                 const std::string& fix) {
  throw Error(ErrorKind::refused, what, "teacher '" + teacher + "'", fix);
}

// A file of demonstrations, if it is one.
std::optional<TensorFile> demonstrations_file(const std::string& name) {
  if (fs::path(name).extension() != ".safetensors" || !fs::exists(name)) return {};
  TensorFile file = TensorFile::load(name);
  if (!Demonstrations::are_in(file)) return {};
  return file;
}

std::vector<std::size_t> learning_roles(const std::vector<RolePlayer>& players) {
  std::vector<std::size_t> roles;
  for (std::size_t role = 0; role < players.size(); ++role)
    if (players[role].player == nullptr) roles.push_back(role);
  return roles;
}

std::vector<const Player*> pointers_to(const std::vector<std::unique_ptr<Player>>& players) {
  std::vector<const Player*> pointers;
  pointers.reserve(players.size());
  for (const auto& player : players) pointers.push_back(player.get());
  return pointers;
}

void append_moment(const RoleMoment& moment, const Role& role, std::size_t seat, bool after_step,
                   Demonstration& own) {
  const auto part = [&](const std::vector<float>& all_seats, std::size_t each) {
    return std::span(all_seats).subspan(seat * each, each);
  };
  const auto sensed = part(moment.observations, role.columns.size());
  own.senses.insert(own.senses.end(), sensed.begin(), sensed.end());
  if (!after_step) return;
  const auto given = part(moment.controls, role.controls.size());
  own.controls.insert(own.controls.end(), given.begin(), given.end());
  float reward = 0.0f;
  for (const float term : part(moment.rewards, role.terms.size())) reward += term;
  own.rewards.push_back(reward);
  own.present.push_back(1);
}

// Moments of a game with code of its own, which might not play again as it was recorded. They are
// checked value by value against this game, as a file's are.
Demonstrations moments_of(Replay& replay, const Game& game) {
  Demonstrations all;
  const auto roles = replay.game().roles();
  for (std::size_t e = 0; e < replay.episodes().size(); ++e)
    for (std::size_t r = 0; r < roles.size(); ++r)
      for (std::size_t seat = 0; seat < roles[r].seats.size(); ++seat) {
        Demonstration& own = all.list.emplace_back(Demonstration{r, replay.episodes()[e].outcome});
        for (std::uint32_t step = 0; step < replay.episodes()[e].moments; ++step)
          append_moment(replay.moment(e, step).roles[r], roles[r], seat, step > 0, own);
      }
  TensorFile file;
  all.store(file, replay.game());
  return Demonstrations::from(file, game);
}

// Plays a recording again, and makes sure that the same comes of it.
Demonstrations played_again(Replay& replay, const PlayerSource& source, const Game& game,
                            std::span<const std::size_t> roles, WorkerPool& pool) {
  std::vector<EpisodeKey> keys;
  for (std::size_t e = 0; e < replay.episodes().size(); ++e)
    keys.push_back(episode_key(replay.moment(e, 0)));
  std::vector<std::unique_ptr<Player>> players;
  for (std::size_t role = 0; role < game.roles().size(); ++role)
    players.push_back(source.player(game, role, ActionMode::usual, 0));
  Demonstrations all = demonstrate(game, pointers_to(players), roles, keys, pool);
  const std::size_t each = all.list.size() / keys.size();
  for (std::size_t e = 0; e < keys.size(); ++e)
    if (const std::size_t steps = all.list[e * each].steps(),
        recorded = replay.episodes()[e].moments;
        steps + 1 != recorded)
      refuse_teacher(source.name(),
                     fmt::format("episode {} does not go here as it was recorded: it has {} steps "
                                 "in place of {}",
                                 e, steps, recorded - 1),
                     "record it in this game");
  return all;
}

Demonstrations recorded_by(const PlayerSource& source, const Game& game,
                           std::span<const std::size_t> roles, WorkerPool& pool) {
  Replay replay(*source.recording());
  for (const std::size_t role : roles) source.player(game, role, ActionMode::usual, 0);  // checks
  if (replay.episodes().empty())
    refuse_teacher(source.name(), "the recording holds no episode", "record one");
  return game.spec().custom ? moments_of(replay, game)
                            : played_again(replay, source, game, roles, pool);
}

// Fresh episodes of a player in the roles that learn.
Demonstrations played_by(const PlayerSource& source, const Game& game,
                         const std::vector<RolePlayer>& players, std::int64_t episodes,
                         std::uint64_t seed, double disturbance, WorkerPool& pool) {
  std::vector<std::unique_ptr<Player>> all;
  for (std::size_t role = 0; role < players.size(); ++role)
    all.push_back(players[role].player
                      ? players[role].player->copy()
                      : source.player(game, role, ActionMode::usual, derived_seed(seed, "player")));
  std::vector<EpisodeKey> keys;
  for (std::uint32_t episode = 0; episode < static_cast<std::uint32_t>(episodes); ++episode)
    keys.push_back({seed, 0, episode});
  return demonstrate(game, pointers_to(all), learning_roles(players), keys, pool,
                     source.name() == "expert" ? 0.0 : disturbance);
}

Demonstrations shown_by(const RunSettings& settings, std::size_t number, const Game& game,
                        const std::vector<RolePlayer>& players, WorkerPool& pool) {
  const std::string& name = settings.teachers[number];
  if (const auto file = demonstrations_file(name)) return Demonstrations::from(*file, game);
  const PlayerSource source = PlayerSource::find(name);
  const auto roles = learning_roles(players);
  if (source.recording()) return recorded_by(source, game, roles, pool);
  // Those that play share the episodes evenly.
  const auto count = static_cast<std::int64_t>(settings.teachers.size()),
             own = static_cast<std::int64_t>(number);
  const std::int64_t episodes =
      settings.teacher_episodes / count + (own < settings.teacher_episodes % count ? 1 : 0);
  return played_by(source, game, players, episodes,
                   derived_seed(settings.seed, "teacher " + std::to_string(number)),
                   teacher_use(settings).disturbance, pool);
}

}  // namespace

TeacherUse teacher_use(const RunSettings& settings) {
  const LearningMethod& method = learning_method(settings.learner.method());
  const TeacherUse use = method.teachers ? method.teachers(settings.learner) : TeacherUse{};
  if (settings.teachers.empty() && use.needed)
    throw Error(ErrorKind::refused, method.name + " needs a teacher with these settings",
                "teachers",
                "name a player, a recording or a file of demonstrations: --teacher script");
  if (!settings.teachers.empty() && !use.demonstrations && !use.asked)
    throw Error(ErrorKind::refused,
                method.name + (method.teachers ? " makes no use of a teacher with these settings"
                                               : " takes no teacher"),
                "teachers",
                method.teachers ? "raise the setting that says how much it counts: teacher_weight, "
                                  "teacher_share or demonstrations_share"
                                : "leave it out, or choose another method");
  return use;
}

void add_teachers(const Game& game, const RunSettings& settings, std::vector<RolePlayer>& players) {
  const TeacherUse use = teacher_use(settings);
  if (!use.asked || settings.teachers.empty()) return;
  for (const std::string& name : settings.teachers) {
    if (demonstrations_file(name)) continue;
    const PlayerSource source = PlayerSource::find(name);
    if (source.recording()) continue;
    for (const std::size_t role : learning_roles(players))
      players[role].teacher =
          source.player(game, role, use.sampled ? ActionMode::sampled : ActionMode::usual,
                        derived_seed(settings.seed, "asked"));
    return;
  }
  refuse_teacher(settings.teachers.front(), "a recording cannot be asked what it would do",
                 "name a player that can: script, expert, a run or a checkpoint");
}

std::optional<Demonstrations> demonstrations_of(const Run& run, const Game& game,
                                                const std::vector<RolePlayer>& players,
                                                WorkerPool& pool) {
  const RunSettings& settings = run.settings();
  if (settings.teachers.empty() || !teacher_use(settings).demonstrations) return {};
  if (fs::exists(run.demonstrations()))
    return Demonstrations::from(TensorFile::load(run.demonstrations()), game);
  if (holds_run(run.folder()))
    throw Error(ErrorKind::file, "the run's demonstrations are missing",
                run.demonstrations().string(), "restore the file, or begin the run afresh");
  Demonstrations all;
  for (std::size_t number = 0; number < settings.teachers.size(); ++number)
    all.append(shown_by(settings, number, game, players, pool));
  TensorFile file;
  all.store(file, game);
  file.metadata["made_with"] = library_version();
  file.save(run.demonstrations());
  return all;
}

}  // namespace zithercraft::run_internal
