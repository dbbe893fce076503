#include "zithercraft/study/run.hpp"

#include <algorithm>
#include <type_traits>
#include <utility>

#include "settings_fields.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

// The form of run.toml. It holds the game as a game file does.
template <class Learner>
struct RunFile {
  std::string made_with{}, method = "ppo";
  std::int64_t steps = 0, generations = 0, seed = 0, checkpoint_every = 0;
  Learner learner{};
  std::string from{};
  std::vector<RoleTraining> roles{};
};

template <class V, class Learner>
void describe(V& v, RunFile<Learner>& s) {
  v("made_with", s.made_with, needed());
  v("method", s.method);
  v("steps", s.steps, Rule{.low = 1, .needed = true});
  if constexpr (std::is_same_v<Learner, EvolutionSettings>)
    v("generations", s.generations, at_least(0));
  v("seed", s.seed, needed());
  v("checkpoint_every", s.checkpoint_every, Rule{.low = 1, .needed = true});
  v("learner", s.learner, needed());
  v("from", s.from);
  v("roles", s.roles);
}

template <class Learner>
RunSettings settings_of(const RunFile<Learner>& file) {
  return {.steps = file.steps,
          .seed = static_cast<std::uint64_t>(file.seed),
          .checkpoint_every = file.checkpoint_every,
          .generations = file.generations,
          .from = file.from,
          .roles = file.roles};
}

template <class Learner>
RunFile<Learner> file_of(const RunSettings& s, const Learner& learner) {
  return {
      library_version(),  method_of(s), s.steps, s.generations, static_cast<std::int64_t>(s.seed),
      s.checkpoint_every, learner,      s.from,  s.roles};
}

constexpr std::pair<const char*, EvolutionMethod> methods[] = {
    {"genetic", EvolutionMethod::genetic},
    {"topology", EvolutionMethod::topology},
    {"cma", EvolutionMethod::cma},
    {"es", EvolutionMethod::es}};

}  // namespace

std::string method_of(const RunSettings& settings) {
  for (const auto& [name, method] : methods)
    if (settings.evolution && settings.evolution->method == method) return name;
  return "ppo";
}

std::optional<EvolutionSettings> evolution_by(const std::string& method) {
  if (method == "ppo") return std::nullopt;
  std::vector<std::string> known{"ppo"};
  for (const auto& [name, found] : methods) {
    if (name == method) return EvolutionSettings{.method = found};
    known.emplace_back(name);
  }
  throw Error(ErrorKind::usage, "no method is called '" + method + "'", "method",
              advice(method, known));
}

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
        folder.string(), "name the folder given to `train --run`");
  const std::string source = (folder / "run.toml").string();
  toml::table table = parse_toml(read_text(source), source);
  const auto* game_table = table["game"].as_table();
  if (game_table == nullptr)
    throw Error(ErrorKind::spec, "the table 'game' is missing", source, "restore the file");
  GameSpec game = parse_game(toml_text(*game_table), source, CustomParts::optional);
  table.erase("game");
  RunSettings settings;
  if (const auto evolution = evolution_by(table["method"].value_or(std::string("ppo")))) {
    RunFile<EvolutionSettings> file{.learner = *evolution};
    read_struct(table, file, source);
    settings = settings_of(file);
    settings.evolution = file.learner;
  } else {
    RunFile<PolicyGradientSettings> file;
    read_struct(table, file, source);
    settings = settings_of(file);
    settings.learner = file.learner;
  }
  return Run(folder, std::move(game), std::move(settings));
}

void Run::save_configuration() const {
  toml::table table = settings_.evolution
                          ? TomlWriter::to_table(file_of(settings_, *settings_.evolution))
                          : TomlWriter::to_table(file_of(settings_, settings_.learner));
  table.insert("game", parse_toml(to_toml(game_), "game"));
  write_atomically(configuration(), toml_text(table));
}

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
  std::vector<std::filesystem::path> own{configuration(), folder_ / "lock", last_checkpoint()};
  for (const char* suffix : {"", "-wal", "-shm"}) own.push_back(metrics().string() + suffix);
  for (const std::string& name : checkpoint_names())
    own.push_back(checkpoints() / (name + ".safetensors"));
  return std::any_of(own.begin(), own.end(),
                     [&](const auto& path) { return same_file(path, file); });
}

void Run::refuse_own_file(const std::filesystem::path& output) const {
  if (owns(output))
    throw Error(ErrorKind::usage, "this is a file of the run itself", output.string(),
                "write to another file");
}

std::int64_t Run::steps_done() const {
  const auto newest = newest_checkpoint();
  return newest ? TensorFile::load(*newest).integers("counters").at(0) : 0;
}

std::int64_t Run::generations_done() const {
  const auto newest = newest_checkpoint();
  return settings_.evolution && newest ? TensorFile::load(*newest).integers("counters").at(1) : 0;
}

bool Run::finished() const {
  return settings_.generations > 0 ? generations_done() >= settings_.generations
                                   : steps_done() >= settings_.steps;
}

}  // namespace zithercraft
