#pragma once

#include "cli/commands.hpp"
#include "zithercraft/show/serve.hpp"

namespace zithercraft::cli {

/// Serves until interrupted, and prints the page's address on standard error.
ServeOptions serve_options(const ServeFlags& flags);

}  // namespace zithercraft::cli
