#pragma once

namespace CLI {
class App;
}

namespace zithercraft::cli {

/// Adds all commands of the tool with their options. The one that is asked for runs at the end of
/// parsing and leaves its exit status in `status`.
void add_commands(CLI::App& app, int& status);

}  // namespace zithercraft::cli
