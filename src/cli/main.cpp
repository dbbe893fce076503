#include "zithercraft/cli/main.hpp"

#include <fmt/format.h>
#include <CLI/CLI.hpp>
#include <algorithm>
#include <exception>
#include <memory>
#include <string>
#include <vector>

#include "cli/command_line.hpp"
#include "cli/commands.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/process_group.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/run.hpp"

namespace {

using namespace zithercraft::cli;

constexpr const char* footer =
    "GAME, the environment to learn in, is a demo's name (see `zithercraft games`), the path of a\n"
    "TOML file, or - for standard input. Results go to standard output, progress and errors to\n"
    "standard error. Everything is deterministic: the same game and seed give the same result.\n\n"
    "Exit status: 0 done; 1 a check found a difference; 2 wrong command line; 3 wrong game or\n"
    "configuration; 4 a file is missing, damaged or cannot be written; 5 refused: the run exists\n"
    "or does not fit; 6 a number is not finite; 7 stopped by SIGINT or SIGTERM after saving;\n"
    "8 the doctor warns; 9 the doctor found an error; 70 an unexpected error.";

// What is wrong with the command line; a command that does not exist gets the nearest one that
// does.
std::string explain(const CLI::App& app, int argc, char** argv, const CLI::ParseError& error) {
  std::vector<std::string> names;
  for (const CLI::App* sub : app.get_subcommands({})) names.push_back(sub->get_name());
  const std::string first = argc > 1 ? argv[1] : "";
  if (first.empty() || first.front() == '-' ||
      std::find(names.begin(), names.end(), first) != names.end())
    return error.what();
  return "there is no command '" + first + "'; " + zithercraft::advice(first, names);
}

[[noreturn]] void fail(const std::string& why, int status) {
  zithercraft::end_all_processes("zithercraft: " + why, status);
}

int run_tool(int argc, char** argv) {
  int status = done;
  CLI::App app(
      "Zithercraft: game arenas (environments) in which agents sense by raycasts and learn to "
      "play,\n"
      "by reinforcement learning, self-play or neuroevolution",
      "zithercraft");
  app.set_version_flag("--version", zithercraft::library_version());
  app.require_subcommand(1);
  app.footer(footer);
  add_commands(app, status);
  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& wish) {  // --help, --version
    return app.exit(wish);
  } catch (const CLI::ParseError& error) {
    throw zithercraft::Error(zithercraft::ErrorKind::usage, explain(app, argc, argv, error), {},
                             "see `zithercraft --help`");
  }
  return status;
}

}  // namespace

int zithercraft::zithercraft_main(int argc, char** argv) {
  try {
    return run_tool(argc, argv);
  } catch (const zithercraft::Error& error) {
    fail(std::string("error: ") + error.what(), static_cast<int>(error.kind()));
  } catch (const std::exception& error) {
    fail(std::string("unexpected error: ") + error.what(), unexpected);
  }
}
