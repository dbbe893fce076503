#include "zithercraft/run/run.hpp"

#include <algorithm>
#include <utility>

#include "learn/settings_model.hpp"
#include "run/role_training_fields.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft {
namespace {

// The form of run.toml, beside the learner's settings, which depend on the method, and the game,
// which is as in a game file.
struct RunFile {
  std::string made_with{}, method = "ppo";
  std::int64_t steps = 0, generations = 0, seed = 0, checkpoint_every = 0;
  std::string from{};
  std::vector<RoleTraining> roles{};
  std::vector<std::string> teachers{};
  std::int64_t teacher_episodes = RunSettings{}.teacher_episodes;
};

template <class V>
void describe(V& v, RunFile& s) {
  v("made_with", s.made_with, needed());
  v("method", s.method);
  v("steps", s.steps, Rule{.low = 1, .needed = true});
  if (learning_method(s.method).generations) v("generations", s.generations, at_least(0));
  v("seed", s.seed, needed());
  v("checkpoint_every", s.checkpoint_every, Rule{.low = 1, .needed = true});
  v("from", s.from);
  v("roles", s.roles);
  v("teachers", s.teachers);
  v("teacher_episodes", s.teacher_episodes, at_least(1));
}

// A table that must be there, taken out of another.
toml::table taken(toml::table& from, const char* key, const std::string& source) {
  const auto* table = from[key].as_table();
  if (table == nullptr)
    throw Error(ErrorKind::spec, std::string("the table '") + key + "' is missing", source,
                "restore the file");
  toml::table copy = *table;
  from.erase(key);
  return copy;
}

}  // namespace

const char* library_version() noexcept { return ZITHERCRAFT_VERSION; }

Run::Run(std::filesystem::path folder, const GameSpec& game, RunSettings settings)
    : folder_(std::move(folder)), game_(self_contained(game)), settings_(std::move(settings)) {}

std::int64_t steps_of(const std::string& checkpoint) {
  return std::stoll(checkpoint.substr(checkpoint.find('-') + 1));
}

bool holds_run(const std::filesystem::path& folder) {
  return std::filesystem::exists(folder / "run.toml");
}

Run Run::open(const std::filesystem::path& folder) {
  if (!holds_run(folder))
    throw Error(
        ErrorKind::file,
        std::filesystem::exists(folder) ? "the folder holds no run" : "there is no such run",
        folder.string(), "name the folder that a training was given");
  const std::string source = (folder / "run.toml").string();
  toml::table table = parse_toml(read_text(source), source);
  const GameSpec game =
      parse_game(toml_text(taken(table, "game", source)), source, CustomParts::optional);
  const toml::table learner = taken(table, "learner", source);
  RunFile file;
  read_struct(table, file, source);
  return Run(folder, game,
             {.steps = file.steps,
              .seed = static_cast<std::uint64_t>(file.seed),
              .checkpoint_every = file.checkpoint_every,
              .learner = read_settings(learning_method(file.method).settings, learner, source),
              .generations = file.generations,
              .from = file.from,
              .roles = file.roles,
              .teachers = file.teachers,
              .teacher_episodes = file.teacher_episodes});
}

void Run::save_configuration() const {
  const RunSettings& s = settings_;
  toml::table table =
      TomlWriter::to_table(RunFile{library_version(), s.learner.method(), s.steps, s.generations,
                                   static_cast<std::int64_t>(s.seed), s.checkpoint_every, s.from,
                                   s.roles, s.teachers, s.teacher_episodes});
  table.insert("learner", table_of(s.learner));
  table.insert("game", parse_toml(to_toml(game_), "game"));
  write_atomically(configuration(), toml_text(table));
}

Game Run::game() const { return Game(game_); }

Policy Run::policy() const { return policy("last"); }
Policy Run::policy(const std::string& checkpoint) const {
  return Policy::load(checkpoint_file(checkpoint));
}

std::filesystem::path Run::checkpoint_file(const std::string& checkpoint) const {
  const auto names = checkpoint_names();
  if (checkpoint == "last") {
    if (const auto newest = newest_checkpoint()) return *newest;
    throw Error(ErrorKind::file, "the run has no checkpoint yet", folder_.string(),
                "train it further");
  }
  if (std::find(names.begin(), names.end(), checkpoint) == names.end())
    throw Error(ErrorKind::usage, "the run has no checkpoint '" + checkpoint + "'",
                folder_.string(), advice(checkpoint, names));
  return checkpoints() / (checkpoint + ".safetensors");
}

std::vector<std::string> Run::checkpoint_names() const {
  std::vector<std::string> names;
  std::error_code code;
  for (const auto& entry : std::filesystem::directory_iterator(checkpoints(), code)) {
    const std::string name = entry.path().stem().string();
    if (entry.path().extension() == ".safetensors" && name.starts_with("at-"))
      names.push_back(name);
  }
  std::sort(names.begin(), names.end());
  return names;
}

std::optional<std::filesystem::path> Run::newest_checkpoint() const {
  if (std::filesystem::exists(last_checkpoint())) return last_checkpoint();
  const auto names = checkpoint_names();
  if (names.empty()) return std::nullopt;
  return checkpoints() / (names.back() + ".safetensors");
}

bool Run::owns(const std::filesystem::path& file) const {
  std::vector<std::filesystem::path> own{configuration(), folder_ / "lock", last_checkpoint(),
                                         games(), demonstrations()};
  for (const char* suffix : {"", "-wal", "-shm"}) own.push_back(metrics().string() + suffix);
  for (const std::string& name : checkpoint_names())
    own.push_back(checkpoints() / (name + ".safetensors"));
  std::error_code code;
  for (const auto& piece : std::filesystem::directory_iterator(checkpoints() / "pieces", code))
    own.push_back(piece.path());
  return std::any_of(own.begin(), own.end(),
                     [&](const auto& path) { return same_file(path, file); });
}

void Run::refuse_own_file(const std::filesystem::path& output) const {
  if (owns(output))
    throw Error(ErrorKind::usage, "this is a file of the run itself", output.string(),
                "write to another file");
}

Counters Run::counters() const {
  const auto newest = newest_checkpoint();
  return newest ? Counters::of(TensorFile::load_metadata(*newest), newest->string()) : Counters{};
}

bool Run::finished() const {
  const auto newest = newest_checkpoint();
  if (newest && TensorFile::load_metadata(*newest).contains("ended")) return true;
  const Counters made = counters();
  return Budget{settings_.steps, settings_.generations}.done(made.steps, made.updates) >= 1.0;
}

}  // namespace zithercraft
