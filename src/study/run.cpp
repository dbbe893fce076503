#include "zithercraft/study/run.hpp"

#include <algorithm>

#include <algorithm>
#include <utility>

#include "settings_fields.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

// The shape of run.toml. The game stands in it as it would in a file of its own.
struct RunFile {
  std::string made_with;
  std::int64_t decisions = 0, seed = 0, checkpoint_every = 0;
  PpoSettings learner;
  std::string from;
  std::vector<RoleTraining> roles;
};

template <class V>
void describe(V& v, RunFile& s) {
  v("made_with", s.made_with, needed());
  v("decisions", s.decisions, Rule{.low = 1, .needed = true});
  v("seed", s.seed, needed());
  v("checkpoint_every", s.checkpoint_every, Rule{.low = 1, .needed = true});
  v("learner", s.learner, needed());
  v("from", s.from);
  v("roles", s.roles);
}

}  // namespace

const char* library_version() noexcept { return ZITHERCRAFT_VERSION; }

Run::Run(std::filesystem::path folder, const GameSpec& game, RunSettings settings)
    : folder_(std::move(folder)), game_(self_contained(game)), settings_(std::move(settings)) {}

std::int64_t decisions_of(const std::string& checkpoint) { return std::stoll(checkpoint.substr(checkpoint.find('-') + 1)); }

bool holds_run(const std::filesystem::path& folder) { return std::filesystem::exists(folder / "run.toml"); }

Run Run::open(const std::filesystem::path& folder) {
  if (!holds_run(folder))
    throw Error(Fault::file, std::filesystem::exists(folder) ? "the folder holds no run" : "there is no such run",
                folder.string(), "name the folder given to `train --run`");
  const std::string source = (folder / "run.toml").string();
  toml::table table = parse_toml(read_text(source), source);
  const auto* game_table = table["game"].as_table();
  if (game_table == nullptr) throw Error(Fault::spec, "the table 'game' is missing", source, "restore the file");
  GameSpec game = parse_game(toml_text(*game_table), source, CodedParts::optional);
  table.erase("game");
  RunFile file;
  read_struct(table, file, source);
  return Run(folder, std::move(game),
             {file.decisions, static_cast<std::uint64_t>(file.seed), file.checkpoint_every, file.learner, file.from,
              file.roles});
}

void Run::save_configuration() const {
  toml::table table =
      TomlWriter::to_table(RunFile{library_version(), settings_.decisions, static_cast<std::int64_t>(settings_.seed),
                                   settings_.checkpoint_every, settings_.learner, settings_.from, settings_.roles});
  table.insert("game", parse_toml(to_toml(game_), "game"));
  write_atomically(configuration(), toml_text(table));
}

Policy Run::policy() const { return policy("last"); }
Policy Run::policy(const std::string& checkpoint) const { return Policy::load(checkpoint_file(checkpoint)); }

std::filesystem::path Run::checkpoint_file(const std::string& checkpoint) const {
  const auto names = checkpoint_names();
  if (checkpoint == "last") {
    if (std::filesystem::exists(last_checkpoint())) return last_checkpoint();
    throw Error(Fault::file, "the run has no checkpoint yet", folder_.string(), "train it further");
  }
  if (std::find(names.begin(), names.end(), checkpoint) == names.end())
    throw Error(Fault::usage, "the run has no checkpoint '" + checkpoint + "'", folder_.string(),
                advice(checkpoint, names));
  return checkpoints() / (checkpoint + ".safetensors");
}

std::vector<std::string> Run::checkpoint_names() const {
  std::vector<std::string> names;
  std::error_code code;
  for (const auto& entry : std::filesystem::directory_iterator(checkpoints(), code)) {
    const std::string name = entry.path().stem().string();
    if (entry.path().extension() == ".safetensors" && name.starts_with("at-")) names.push_back(name);
  }
  std::sort(names.begin(), names.end());
  return names;
}

std::int64_t Run::decisions_done() const {
  if (!std::filesystem::exists(last_checkpoint())) return 0;
  return TensorFile::load(last_checkpoint()).integers("counters").at(0);
}

}  // namespace zithercraft
