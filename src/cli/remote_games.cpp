#include "cli/remote_games.hpp"

#include <fmt/format.h>

#include <charconv>
#include <memory>
#include <optional>
#include <vector>

#include "cli/signals.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/record/replay.hpp"
#include "zithercraft/remote/remote_game.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft::cli {
namespace {

std::optional<GameSpec>& joined() {
  static std::optional<GameSpec> game;
  return game;
}

// "4600", "127.0.0.1:4600" or "[::1]:4600".
void read_address(const std::string& text, RemoteOptions& options) {
  const std::size_t colon = text.rfind(':');
  const std::string port = colon == std::string::npos ? text : text.substr(colon + 1);
  const auto [end, code] = std::from_chars(port.data(), port.data() + port.size(), options.port);
  if (port.empty() || code != std::errc() || end != port.data() + port.size())
    throw Error(ErrorKind::usage, "'" + text + "' is no place to listen at", "--join-at",
                "give a port from 0 to 65535, or ADDRESS:PORT");
  if (colon == std::string::npos) return;
  options.address = text.substr(0, colon);
  if (options.address.starts_with('[') && options.address.ends_with(']'))
    options.address = options.address.substr(1, options.address.size() - 2);
}

// The game, if a file or a run declares it. Its code is what joins.
std::optional<GameSpec> declared(const std::vector<std::string>& named) {
  for (const std::string& name : named) {
    if (name == remote_name || name.empty()) continue;
    if (holds_run(name)) return Run::open(name).game_spec();
    if (name.ends_with(".zrep")) return Replay(name).game().spec();
    if (name.ends_with(".toml")) return parse_game(read_text(name), name, CustomParts::optional);
  }
  return {};
}

}  // namespace

void join_games(const RemoteFlags& flags, const std::vector<std::string>& named) {
  if (!flags.used()) return;
  RemoteOptions options;
  if (!flags.join_at.empty()) read_address(flags.join_at, options);
  options.token = flags.token;
  options.launch = flags.launch;
  options.page = flags.page;
  options.instances = flags.instances;
  options.free = flags.free;
  options.answer_seconds = flags.answer_limit;
  options.stop = &stop_on_signal();
  options.on_note = [](const std::string& note) {
    fmt::print(stderr, "zithercraft: note: {}\n", note);
  };
  const auto host = std::make_shared<RemoteHost>(options, declared(named));
  if (!flags.page.empty())
    fmt::print(stderr, "zithercraft: note: open {} in a browser\n", host->page());
  else if (flags.launch.empty())
    fmt::print(stderr, "zithercraft: note: games join at {}\n", host->address());
  joined() = remote_game(host);
  add_game(*joined());
}

const GameSpec& joined_game() {
  if (joined()) return *joined();
  throw Error(ErrorKind::usage, "no game joins", remote_name,
              "start games with --launch 'COMMAND {address}', or give --join-at PORT");
}

}  // namespace zithercraft::cli
