#include "zithercraft/show/serve.hpp"
#include "base/json.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <chrono>
#include <cmath>
#include <deque>
#include <optional>
#include <thread>
#include <utility>

#include "show/page/viewer_page.hpp"
#include "show/server/replay_match.hpp"
#include "show/server/server.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/evaluate/evaluation.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/metrics.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

constexpr std::size_t most_matches = 8;  // of a run that are kept to be looked at
constexpr std::int64_t watched_episodes = 3;

WebReply page_reply(const std::string& page) { return {200, "text/html; charset=utf-8", page}; }
WebReply json_reply(const Json& j) { return {200, "application/json", j.dump()}; }
WebReply nothing_here() { return {404, "text/plain; charset=utf-8", "there is nothing here\n"}; }

template <class Number>
bool is_number(const std::string& text, Number& number) {
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), number);
  return code == std::errc() && end == text.data() + text.size();
}

// "data/<name>/meta.json", "data/<name>/<episode>/<number>" or
// "data/<name>/nodes-<role>/<episode>".
struct DataPath {
  std::string name{};
  bool meta = false;
  std::optional<std::size_t> nodes_of{};  // a role
  std::size_t episode = 0, number = 0;
};

std::optional<DataPath> data_path(const std::string& path) {
  std::vector<std::string> parts;
  for (std::size_t at = 0; at <= path.size();) {
    const auto slash = std::min(path.find('/', at), path.size());
    parts.push_back(path.substr(at, slash - at));
    at = slash + 1;
  }
  if (parts.size() < 3 || parts[0] != "data") return {};
  if (parts.size() == 3 && parts[2] == "meta.json") return DataPath{.name = parts[1], .meta = true};
  DataPath found{.name = parts[1]};
  if (parts.size() != 4) return {};
  if (constexpr std::string_view nodes = "nodes-"; parts[2].starts_with(nodes)) {
    std::size_t role = 0;
    if (!is_number(parts[2].substr(nodes.size()), role) || !is_number(parts[3], found.episode))
      return {};
    found.nodes_of = role;
    return found;
  }
  if (!is_number(parts[2], found.episode) || !is_number(parts[3], found.number)) return {};
  return found;
}

WebReply data_reply(ReplayMatch& match, const DataPath& path) {
  if (path.meta) return json_reply(match.meta());
  if (path.nodes_of)
    return {200, "application/octet-stream", match.nodes(*path.nodes_of, path.episode)};
  return {200, "application/octet-stream", match.message(path.episode, path.number)};
}

void serve(const ServeOptions& options, const Server::Answer& answer) {
  const Server server({options.address, options.port, options.token}, answer);
  if (options.on_ready) options.on_ready(server.url());
  while (options.stop == nullptr || !options.stop->load()) std::this_thread::sleep_for(look_up);
}

// A folder that is deleted with everything in it.
class Scratch {
 public:
  Scratch() {
    std::string name = (std::filesystem::temp_directory_path() / "zithercraft-XXXXXX").string();
    if (::mkdtemp(name.data()) == nullptr)
      throw Error(ErrorKind::file, "no folder can be made there", name,
                  "check TMPDIR, its rights and its space");
    folder_ = name;
  }
  ~Scratch() {
    std::error_code ignored;
    std::filesystem::remove_all(folder_, ignored);
  }
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  std::filesystem::path operator/(const std::string& name) const { return folder_ / name; }

 private:
  std::filesystem::path folder_;
};

// A run as it is, read at each request.
class WatchedRun {
 public:
  explicit WatchedRun(const std::filesystem::path& folder)
      : run_(Run::open(folder)), game_(run_.game_spec(), CustomParts::optional) {}

  WebReply answer(const WebRequest& request) {
    if (request.path.empty()) return page_reply(viewer_page(start()));
    if (request.path == "data/curves.json") {
      std::int64_t after = -1;
      if (const auto given = request.query.find("after");
          given != request.query.end() && !is_number(given->second, after))
        return {400, "text/plain; charset=utf-8", "`after` is no whole number\n"};
      return json_reply(curves(after));
    }
    if (request.path == "metrics")
      return {200, "application/openmetrics-text; version=1.0.0; charset=utf-8", newest_metrics()};
    const auto path = data_path(request.path);
    return path ? data_reply(match(path->name), *path) : nothing_here();
  }

 private:
  Json start() const {
    return {{"mode", "watch"},
            {"title", game_.spec().name + ": " + run_.folder().filename().string()},
            {"version", library_version()},
            {"terms", game_.roles()[0].terms},
            {"charts", live_charts()},
            {"further_roles", further_roles()}};
  }

  // Those that the method wants to be drawn while the training goes on.
  Json live_charts() const {
    const LearningMethod& method = learning_method(run_.settings().learner.method());
    Json list = Json::array();
    for (const ChartInfo& chart : method.charts) {
      if (!chart.live) continue;
      Json metrics = Json::array(), axis = Json::object();
      for (const MetricInfo& info : method.metrics)
        if (info.chart == chart.name && !info.of_parts) metrics.push_back(info.name);
      if (std::isfinite(chart.least)) axis["min"] = chart.least;
      if (std::isfinite(chart.most)) axis["max"] = chart.most;
      list.push_back({{"title", chart.title}, {"metrics", metrics}, {"axis", axis}});
    }
    return list;
  }

  // Those whose policies learn beside the first one.
  Json further_roles() const {
    Json names = Json::array();
    const auto roles = game_.roles();
    for (std::size_t r = 1; r < roles.size(); ++r)
      for (const RoleTraining& told : run_.settings().roles)
        if (told.role == roles[r].name && told.played_by == learns && roles[r].mirrors == r)
          names.push_back(told.role);
    return names;
  }

  std::string newest_metrics() const {
    const Metrics metrics(run_.metrics());
    const auto newest = metrics.newest();
    return newest ? open_metrics(
                        *newest, metrics.infos(),
                        {{"game", game_.spec().name}, {"run", run_.folder().filename().string()}})
                  : "# EOF\n";
  }

  Json curves(std::int64_t after) const {
    const Metrics metrics(run_.metrics());
    auto rows = metrics.rows(after);
    // A run that was begun again has nothing after where the page stands, and less before it.
    const bool restarted = after >= 0 && rows.empty() && metrics.rows(after - 1).empty();
    if (restarted) rows = metrics.rows();
    Json list = Json::array();
    for (const MetricsRow& r : rows) {
      Json row{{"steps", r.steps},
               {"steps_per_second", r.steps_per_second},
               {"recent_success", r.recent_success},
               {"learner", Json::object()},
               {"terms", Json::object()},
               {"roles", Json::object()}};
      for (const Metric& metric : r.learner)
        if (metric.part == Metric::whole) row["learner"][metric.name] = metric.value;
      for (const RoleMetrics& role : r.roles)
        if (role.episodes > 0) row["roles"][role.role] = role.mean_return;
      if (r.episodes > 0) {
        row["mean_return"] = r.mean_return;
        row["mean_length"] = r.mean_length;
        for (const auto& [term, mean] : r.terms) row["terms"][term] = mean;
      }
      list.push_back(std::move(row));
    }
    return {{"rows", std::move(list)},
            {"restarted", restarted},
            {"total", run_.settings().steps},
            {"finished", run_.finished()},
            {"games", games()},
            // Without the game's code nobody can play.
            {"checkpoints", game_.complete() ? checkpoints() : std::vector<std::string>{}}};
  }

  // Who plays a game in other processes; null for others.
  Json games() const {
    std::error_code code;
    if (!std::filesystem::exists(run_.games(), code)) return {};
    try {
      return Json::parse(read_text(run_.games()));
    } catch (const std::exception&) {
      return {};  // it was changed by other hands
    }
  }

  // Kept ones, and the last under the name with its steps.
  std::vector<std::string> checkpoints() const {
    auto names = run_.checkpoint_names();
    if (const auto done = run_.steps_done(); done > 0)
      if (const std::string last = name_at(done); names.empty() || names.back() < last)
        names.push_back(last);
    return names;
  }
  static std::string name_at(std::int64_t steps) { return fmt::format("at-{:012d}", steps); }

  // Plays a checkpoint when it is asked for first.
  ReplayMatch& match(const std::string& name) {
    for (auto& known : matches_)
      if (known.name() == name) return known;
    const bool last = name == name_at(run_.steps_done());
    const auto file = scratch_ / "watched.zrep";
    record(run_, file, {.episodes = watched_episodes, .checkpoint = last ? "last" : name});
    if (matches_.size() == most_matches) matches_.pop_front();
    ReplayMatch& match = matches_.emplace_back(Replay(file), name);
    match.show_network(run_.policy(last ? "last" : name));
    return match;
  }

  Run run_;
  Game game_;
  Scratch scratch_;
  std::deque<ReplayMatch> matches_;
};

}  // namespace

void serve_replays(const std::vector<std::filesystem::path>& replays, const ServeOptions& options,
                   const std::vector<Policy>& policies) {
  if (replays.empty() || replays.size() > 4)
    throw Error(ErrorKind::usage,
                fmt::format("{} replays cannot be shown side by side", replays.size()), "replays",
                "give one to four");
  check_policies(replays.size(), policies);
  std::vector<ReplayMatch> matches;
  Json names = Json::array();
  for (const auto& file : replays) {
    names.push_back(std::to_string(matches.size()));
    matches.emplace_back(Replay(file), file.stem().string());
    if (!policies.empty())
      matches.back().show_network(policies[policies.size() == 1 ? 0 : matches.size() - 1]);
  }
  const std::string page = viewer_page({{"mode", "replay"},
                                        {"title", matches.front().meta().at("scene").at("game")},
                                        {"version", library_version()},
                                        {"names", names}});
  serve(options, [&](const WebRequest& request) {
    if (request.path.empty()) return page_reply(page);
    const auto path = data_path(request.path);
    for (std::size_t i = 0; path && i < matches.size(); ++i)
      if (path->name == std::to_string(i)) return data_reply(matches[i], *path);
    return nothing_here();
  });
}

void serve_run(const std::filesystem::path& folder, const ServeOptions& options) {
  WatchedRun run(folder);
  serve(options, [&](const WebRequest& request) { return run.answer(request); });
}

}  // namespace zithercraft
