#include "zithercraft/game/demos.hpp"

#include <array>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace game_internal {

// Embedded from demos/.
extern const std::string_view barge, basin, breakwater, flare, fogbank, kelpdive, lanternboat,
    locks, mooring, narrows, salvage, skerries, tidepools, towline;

}  // namespace game_internal

namespace {

using Demo = std::pair<const char*, const std::string_view*>;

// Texts are embedded elsewhere: pointers to them are known before they are.
constexpr std::array<Demo, 14> demos{{{"mooring", &game_internal::mooring},
                                      {"tidepools", &game_internal::tidepools},
                                      {"barge", &game_internal::barge},
                                      {"salvage", &game_internal::salvage},
                                      {"lanternboat", &game_internal::lanternboat},
                                      {"basin", &game_internal::basin},
                                      {"locks", &game_internal::locks},
                                      {"towline", &game_internal::towline},
                                      {"skerries", &game_internal::skerries},
                                      {"fogbank", &game_internal::fogbank},
                                      {"narrows", &game_internal::narrows},
                                      {"breakwater", &game_internal::breakwater},
                                      {"flare", &game_internal::flare},
                                      {"kelpdive", &game_internal::kelpdive}}};

}  // namespace

std::vector<std::string> demo_names() {
  std::vector<std::string> names;
  for (const auto& [name, text] : demos) names.emplace_back(name);
  return names;
}

GameSpec demo_game(std::string_view name) {
  for (const auto& [known, text] : demos)
    if (known == name) return parse_game(*text, "demo '" + std::string(name) + "'");
  throw Error(ErrorKind::spec, "no demo is named '" + std::string(name) + "'", "demo_game",
              advice(name, demo_names()));
}

}  // namespace zithercraft
