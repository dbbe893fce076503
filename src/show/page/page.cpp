#include "zithercraft/show/page.hpp"

#include <fmt/format.h>

#include "config/data_file.hpp"
#include "show/page/viewer_page.hpp"
#include "show/server/replay_match.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {
using namespace config;
using namespace show_internal;

void write_page(const std::filesystem::path& html,
                const std::vector<std::filesystem::path>& replays,
                const std::vector<Policy>& policies) {
  if (replays.empty() || replays.size() > 4)
    throw Error(ErrorKind::usage,
                fmt::format("{} replays cannot be shown side by side", replays.size()),
                html.string(), "give one to four");
  check_policies(replays.size(), policies);
  Json start{{"mode", "replay"},
             {"version", library_version()},
             {"names", Json::array()},
             {"matches", Json::array()}};
  constexpr const char* script = "<script type=\"text/plain\" id=\"data/{}/{}/{}\">{}</script>\n";
  std::string data;
  for (std::size_t i = 0; i < replays.size(); ++i) {
    ReplayMatch match(Replay(replays[i]), replays[i].stem().string());
    if (!policies.empty()) match.show_network(policies[policies.size() == 1 ? 0 : i]);
    start["names"].push_back(std::to_string(i));
    start["matches"].push_back(match.meta());
    for (std::size_t e = 0; e < match.episodes(); ++e)
      for (std::size_t n = 0; n < match.messages(e); ++n)
        data += fmt::format(script, i, e, n, base64(gzipped(match.message(e, n))));
    for (const std::size_t role : match.networks())
      for (std::size_t e = 0; e < match.episodes(); ++e)
        data += fmt::format(script, i, fmt::format("nodes-{}", role), e,
                            base64(gzipped(match.nodes(role, e))));
  }
  start["title"] = start.at("matches").at(0).at("scene").at("game");
  write_atomically(html, viewer_page(start, data));
}

}  // namespace zithercraft
