#include "zithercraft/run/player_source.hpp"

#include <algorithm>
#include <utility>

#include "run/teaching.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/learn/past_policies.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft {
namespace {

namespace fs = std::filesystem;

// Gives the seats of a role the controls that were recorded.
class RecordedPlayer : public Player {
 public:
  RecordedPlayer(const Game& game, std::size_t role, Replay replay) {
    const Role& own = game.roles()[role];
    const auto roles = replay.game().roles();
    const auto found =
        std::find_if(roles.begin(), roles.end(), [&](const Role& r) { return r.name == own.name; });
    if (found == roles.end())
      throw Error(ErrorKind::refused, "the replay has no role '" + own.name + "'",
                  "role '" + own.name + "'", "record one of this game");
    if (found->controls != own.controls || found->seats.size() != own.seats.size())
      throw Error(ErrorKind::refused,
                  "the replay's role '" + own.name + "' has other seats or controls",
                  "role '" + own.name + "'", "record one of this game");
    const auto there = static_cast<std::size_t>(found - roles.begin());
    auto episodes = std::make_shared<std::vector<Episode>>();
    for (std::size_t e = 0; e < replay.episodes().size(); ++e) {
      Episode& episode = episodes->emplace_back();
      episode.key = episode_key(replay.moment(e, 0));
      for (std::uint32_t d = 1; d < replay.episodes()[e].moments; ++d)
        episode.controls.push_back(replay.moment(e, d).roles[there].controls);
    }
    if (episodes->empty())
      throw Error(ErrorKind::refused, "the replay holds no episode", "role '" + own.name + "'",
                  "record one");
    episodes_ = std::move(episodes);
  }

  std::string name() const override { return "recorded"; }
  std::unique_ptr<Player> copy() const override { return std::make_unique<RecordedPlayer>(*this); }

  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const Role& own = environment.game().roles()[role];
    for (std::size_t lane = first; lane < first + count; ++lane) {
      const auto& controls = recorded_in(environment.key(lane)).controls;
      const std::size_t step = environment.steps(lane), each = own.controls.size();
      for (std::size_t seat = 0; seat < own.seats.size(); ++seat) {
        const auto out = environment.control(role, lane * own.seats.size() + seat);
        if (step < controls.size()) {
          std::copy_n(controls[step].begin() + static_cast<std::ptrdiff_t>(seat * each), each,
                      out.begin());
        } else {
          std::copy(own.rest.begin(), own.rest.end(), out.begin());
        }
      }
    }
  }

 private:
  struct Episode {
    EpisodeKey key{};
    std::vector<std::vector<float>> controls{};  // of all seats, step by step
  };
  const Episode& recorded_in(EpisodeKey key) const {
    for (const Episode& e : *episodes_)
      if (e.key.seed == key.seed && e.key.lane == key.lane && e.key.episode == key.episode)
        return e;
    return (*episodes_)[key.episode % episodes_->size()];
  }

  std::shared_ptr<const std::vector<Episode>> episodes_;
};

}  // namespace

const char* name_of(TrainedAs as) {
  switch (as) {
    case TrainedAs::latest: return "latest";
    case TrainedAs::mixture: return "mixture";
    case TrainedAs::average: return "average";
  }
  return "";
}

ActionMode PlayerSource::actions(ActionMode asked) const noexcept {
  const bool draws = kind_ == Kind::checkpoint && as_ != TrainedAs::latest;
  return draws && asked == ActionMode::usual ? ActionMode::sampled : asked;
}

PlayerSource PlayerSource::find(const std::string& name, TrainedAs as) {
  PlayerSource player;
  player.name_ = name;
  player.as_ = as;
  const std::size_t colon = name.rfind(':');
  if (name == "script" || name == "random" || name == "expert") {
    player.kind_ = name == "script" ? Kind::script : name == "random" ? Kind::random : Kind::expert;
  } else if (holds_run(name)) {
    player.kind_ = Kind::checkpoint;
    player.run_ = name;
    player.file_ = Run::open(name).checkpoint_file("last");
  } else if (colon != std::string::npos && holds_run(name.substr(0, colon))) {
    player.kind_ = Kind::checkpoint;
    player.run_ = name.substr(0, colon);
    player.file_ = Run::open(*player.run_).checkpoint_file(name.substr(colon + 1));
  } else if (fs::path(name).extension() == ".zrep" && fs::exists(name)) {
    player.kind_ = Kind::recording;
    player.file_ = name;
  } else if (fs::path(name).extension() == ".safetensors" && fs::exists(name)) {
    player.kind_ = Kind::checkpoint;
    player.file_ = name;
  } else {
    throw Error(
        ErrorKind::usage, "no player is called '" + name + "'", "players",
        "name 'script', 'random', 'expert', a run's folder, FOLDER:CHECKPOINT, a checkpoint's file "
        "or a replay");
  }
  return player;
}

std::unique_ptr<Player> PlayerSource::make(const Game& game, std::size_t role, ActionMode actions,
                                           std::uint64_t seed) const {
  switch (kind_) {
    case Kind::script: return script_player(game, role);
    case Kind::random: return random_player(seed);
    case Kind::expert: return expert_player(game);
    case Kind::recording: return std::make_unique<RecordedPlayer>(game, role, Replay(file_));
    case Kind::checkpoint: return trained(game, role, actions, seed);
  }
  return nullptr;
}

std::unique_ptr<Player> PlayerSource::trained(const Game& game, std::size_t role,
                                              ActionMode actions, std::uint64_t seed) const {
  const std::string &own = game.roles()[role].name,
                    &like = game.roles()[game.roles()[role].mirrors].name;
  switch (as_) {
    case TrainedAs::latest: break;
    case TrainedAs::mixture:
      return past_mixture(game, role, TensorFile::load(file_), actions, seed);
    case TrainedAs::average:
      return policy_player(game, role, Policy::from(average(game), own, like), actions, seed);
  }
  return policy_player(game, role, Policy::load(file_, own, like), actions, seed);
}

const TensorFile& PlayerSource::average(const Game& game) const {
  if (averages_->game != game.fingerprint())
    *averages_ = {game.fingerprint(), average_policies(game, TensorFile::load(file_))};
  return averages_->policies;
}

std::string PlayerSource::objection(const Game& game, std::size_t role) const {
  try {
    make(game, role, ActionMode::usual, 0);
    return {};
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::file) throw;
    return error.problem();
  }
}

std::unique_ptr<Player> PlayerSource::player(const Game& game, std::size_t role, ActionMode actions,
                                             std::uint64_t seed) const {
  try {
    return make(game, role, actions, seed);
  } catch (const Error& error) {
    if (error.kind() == ErrorKind::file) throw;
    throw Error(ErrorKind::refused,
                "'" + name_ + "' cannot play the role '" + game.roles()[role].name +
                    "': " + error.problem(),
                error.where(), error.fix());
  }
}

std::optional<std::filesystem::path> PlayerSource::checkpoint() const {
  return kind_ == Kind::checkpoint ? std::optional(file_) : std::nullopt;
}

std::optional<std::filesystem::path> PlayerSource::recording() const {
  return kind_ == Kind::recording ? std::optional(file_) : std::nullopt;
}

std::optional<GameSpec> PlayerSource::game() const {
  if (run_) return Run::open(*run_).game_spec();
  if (kind_ == Kind::recording) return Replay(file_).game().spec();
  return std::nullopt;
}

std::vector<RolePlayer> role_players(const Game& game, const RunSettings& settings) {
  const auto roles = game.roles();
  std::vector<RolePlayer> players = usual_players(game, settings.seed);
  const std::uint64_t seed = derived_seed(settings.seed, "others");
  for (const RoleTraining& told : settings.roles) {
    const auto found = std::find_if(roles.begin(), roles.end(),
                                    [&](const Role& r) { return r.name == told.role; });
    if (found == roles.end()) {
      std::vector<std::string> names;
      for (const Role& role : roles) names.push_back(role.name);
      throw Error(ErrorKind::spec, "the game has no role '" + told.role + "'", "roles",
                  advice(told.role, names));
    }
    const auto role = static_cast<std::size_t>(found - roles.begin());
    RolePlayer& player = players[role];
    player.player = nullptr;
    if (told.played_by != learns)
      player.player = PlayerSource::find(told.played_by)
                          .player(game, role, ActionMode::sampled, derived_seed(seed, told.role));
    if (told.learner.empty()) continue;
    if (player.player)
      throw Error(ErrorKind::spec,
                  "the role '" + told.role + "' does not learn, so it has no settings", "roles",
                  "let it learn, or leave them out");
    if (!learning_method(settings.learner.method()).role_settings)
      throw Error(
          ErrorKind::spec,
          "the roles of a training by " + settings.learner.method() + " share their settings",
          "role '" + told.role + "'", "give the settings without a role");
    player.settings = settings.learner;
    for (const auto& [key, value] : told.learner)
      player.settings->set(key, value, "role '" + told.role + "'");
  }
  run_internal::add_teachers(game, settings, players);
  return players;
}

}  // namespace zithercraft
