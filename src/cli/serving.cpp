#include "cli/serving.hpp"

#include <fmt/format.h>
#include <cstdio>

#include "cli/signals.hpp"

namespace zithercraft::cli {

ServeOptions serve_options(const ServeFlags& flags) {
  return {.address = flags.address,
          .port = flags.port,
          .token = flags.token,
          .stop = &stop_on_signal(),
          .on_ready = [](const std::string& url) {
            fmt::print(stderr, "open {} in a browser; Ctrl-C ends\n", url);
            std::fflush(stderr);
          }};
}

}  // namespace zithercraft::cli
