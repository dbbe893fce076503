#pragma once

#include <string>
#include <vector>

#include "cli/commands.hpp"

namespace zithercraft::cli {

/// The name that stands for whatever game joins.
constexpr const char* remote_name = "remote";

/// Lets games join as the options say, and makes what they play known by its name. `named`: what
/// of the command's words may name a game or a run; a file, or a run, declares the game. Nothing
/// happens without the options. Throws Error.
void join_games(const RemoteFlags& flags, const std::vector<std::string>& named);

/// What has joined. Throws Error (usage) if nobody was asked to.
const GameSpec& joined_game();

}  // namespace zithercraft::cli
