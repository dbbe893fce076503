#include "games.hpp"

#include <filesystem>
#include <string_view>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/match/pilot.hpp"

namespace zithercraft::cli {

// Embedded from demos/.
extern const std::string_view archipelago, barge, flare, fogbank, kelpdive, lanternboat, locks, mooring, narrows,
    tidepools;

std::vector<DemoGame> demo_games() {
  std::vector<DemoGame> games;
  for (const auto& [name, text] :
       {std::pair{"mooring", mooring}, std::pair{"tidepools", tidepools}, std::pair{"barge", barge},
        std::pair{"lanternboat", lanternboat}, std::pair{"locks", locks}, std::pair{"archipelago", archipelago},
        std::pair{"fogbank", fogbank}, std::pair{"narrows", narrows}, std::pair{"flare", flare},
        std::pair{"kelpdive", kelpdive}})
    games.push_back({name, parse_game(text, std::string("demo '") + name + "'")});
  return games;
}

GameSpec find_game(const std::string& name_or_path) {
  if (name_or_path.find('/') != std::string::npos || name_or_path.ends_with(".toml")) {
    GameSpec spec = load_game(name_or_path);
    try {
      check_scripts(Game(spec));
    } catch (const Error& error) {
      throw Error(error.fault(), error.problem(), name_or_path + " (" + error.where() + ")", error.mend());
    }
    return spec;
  }
  std::vector<std::string> names;
  for (auto& demo : demo_games()) {
    if (demo.name == name_or_path) return std::move(demo.spec);
    names.push_back(demo.name);
  }
  throw Error(Fault::usage, "there is no demo game '" + name_or_path + "'", {},
              advice(name_or_path, names) + " A file's name ends with .toml");
}

}  // namespace zithercraft::cli
