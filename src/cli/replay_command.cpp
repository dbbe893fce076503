#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "cli/serving.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {
namespace {

struct EpisodeLine {
  Outcome outcome;
  std::uint32_t steps;
  double total = 0.0;                         // of the first role's seats
  std::vector<std::vector<double>> ledger{};  // per role, per term: of all its seats
};

std::vector<EpisodeLine> lines_of(Replay& replay) {
  std::vector<EpisodeLine> lines;
  const auto roles = replay.game().roles();
  for (std::size_t e = 0; e < replay.episodes().size(); ++e) {
    const auto& episode = replay.episodes()[e];
    EpisodeLine line{episode.outcome, episode.moments - 1};
    for (const Role& role : roles) line.ledger.emplace_back(role.terms.size());
    for (std::uint32_t d = 0; d < episode.moments; ++d)
      for (std::size_t r = 0; r < roles.size(); ++r) {
        const auto& reward = replay.moment(e, d).roles[r].rewards;
        for (std::size_t i = 0; i < reward.size(); ++i)
          line.ledger[r][i % roles[r].terms.size()] += static_cast<double>(reward[i]);
      }
    for (const double reward : line.ledger[0]) line.total += reward;
    lines.push_back(std::move(line));
  }
  return lines;
}

void print_lines(Replay& replay, const std::string& file, const std::vector<EpisodeLine>& lines) {
  fmt::print("{}: {}, player {}, seed {}, {} bytes\n", file, replay.info().game,
             fmt::join(replay.info().players, ", "), replay.info().seed, replay.bytes());
  fmt::print("{:>8}  {:<9} {:>9} {:>8}\n", "episode", "outcome", "steps", "return");
  for (std::size_t e = 0; e < lines.size(); ++e)
    fmt::print("{:>8}  {:<9} {:>9} {:>8.3f}\n", e, name_of(lines[e].outcome), lines[e].steps,
               lines[e].total);
}

void print_info(Replay& replay, const std::vector<EpisodeLine>& lines) {
  const Game& game = replay.game();
  double steps = 0.0;
  for (const EpisodeLine& line : lines) steps += static_cast<double>(line.steps);
  const double seconds =
      steps * game.spec().arena.tick * static_cast<double>(game.spec().ticks_per_step);
  fmt::print("\nmade with version {}; {:.1f} minutes of play, {:.1f} kB a minute\n",
             replay.info().made_with, seconds / 60,
             static_cast<double>(replay.bytes()) / 1000 / std::max(1e-9, seconds / 60));
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    fmt::print("\nrole {}: {} seat{}, {} columns, {} controls, decided by: {}\n{:>8} ", role.name,
               role.seats.size(), role.seats.size() == 1 ? "" : "s", role.columns.size(),
               role.controls.size(),
               r < replay.info().players.size() ? replay.info().players[r] : "unknown", "episode");
    for (const std::string& term : role.terms)
      fmt::print(" {:>{}}", term, std::max<std::size_t>(9, term.size()));
    fmt::print("\n");
    for (std::size_t e = 0; e < lines.size(); ++e) {
      fmt::print("{:>8} ", e);
      for (std::size_t t = 0; t < role.terms.size(); ++t)
        fmt::print(" {:>{}.3f}", lines[e].ledger[r][t],
                   std::max<std::size_t>(9, role.terms[t].size()));
      fmt::print("\n");
    }
  }
}

Json info_json(Replay& replay, const std::string& file, const std::vector<EpisodeLine>& lines) {
  Json j{{"file", file},
         {"game", replay.info().game},
         {"players", replay.info().players},
         {"seed", replay.info().seed},
         {"made_with", replay.info().made_with},
         {"bytes", replay.bytes()},
         {"whole", replay.whole()},
         {"episodes", Json::array()}};
  for (const EpisodeLine& line : lines) {
    Json ledger = Json::object();
    for (std::size_t r = 0; r < line.ledger.size(); ++r) {
      const Role& role = replay.game().roles()[r];
      for (std::size_t t = 0; t < role.terms.size(); ++t)
        ledger[role.name][role.terms[t]] = line.ledger[r][t];
    }
    j["episodes"].push_back({{"outcome", name_of(line.outcome)},
                             {"steps", line.steps},
                             {"return", line.total},
                             {"ledger", ledger}});
  }
  return j;
}

std::vector<Policy> policies_of(const ReplayCommand& c) {
  std::vector<Policy> policies;
  for (const std::string& name : c.networks)
    policies.push_back(Policy::load(checkpoint_named(name)));
  return policies;
}

void convert(Replay& replay, const ReplayCommand& c) {
  if (!c.png.empty()) draw_moment(c.png, replay, c.episode, c.tick);
  if (!c.sheet.empty()) draw_sheet(c.sheet, replay, c.episode);
  if (!c.csv.empty()) write_csv(c.csv, replay);
  if (!c.gltf.empty()) write_gltf(c.gltf, replay, c.episode);
  if (!c.gif.empty()) write_film(c.gif, replay, c.episode, Film::gif);
  if (!c.webm.empty()) write_film(c.webm, replay, c.episode, Film::webm);
  if (!c.html.empty()) write_page(c.html, {c.files.begin(), c.files.end()}, policies_of(c));
}

}  // namespace

int ReplayCommand::run() const {
  const std::string& file = files.front();
  if (files.size() > 1 && html.empty() && !serve)
    throw Error(ErrorKind::usage, "several replays are shown side by side by a page only", files[1],
                "add --html or --serve, or name one file");
  if (!networks.empty() && html.empty() && !serve)
    throw Error(ErrorKind::usage, "--network is for the page", "--network",
                "add --html or --serve");
  if (tick && png.empty())
    throw Error(ErrorKind::usage, "--tick says what --png draws", "--tick", "add --png");
  FileGuard guard;
  guard.reads_players(files).reads_players(networks).writes("--png", png).writes("--sheet", sheet);
  guard.writes("--html", html).writes("--gltf", gltf).writes("--gif", gif).writes("--webm", webm);
  if (!csv.empty())
    for (const char* table : {"states.csv", "events.csv", "ledger.csv"})
      guard.writes("--csv", (std::filesystem::path(csv) / table).string());
  guard.check(json);
  Replay replay(file);
  if (!replay.whole())
    fmt::print(stderr,
               "zithercraft: note: {}: the end of the file is missing; what follows its last whole "
               "chunk is lost\n",
               file);
  convert(replay, *this);
  const auto lines = lines_of(replay);
  Json j = info_json(replay, file, lines);
  if (!json) print_lines(replay, file, lines);
  if (!json && info) print_info(replay, lines);
  int status = done;
  if (check) {
    const ReplayCheck found = check_replay(file);
    j["check"] = {{"passed", found.passed()},
                  {"episodes", found.episodes},
                  {"steps", found.steps},
                  {"rewards_compared", found.rewards_compared},
                  {"difference", found.difference}};
    if (!json && found.passed())
      fmt::print("check passed: {} steps played again, every bit the same{}\n", found.steps,
                 found.rewards_compared ? "" : " (rewards not compared: a term is custom)");
    if (!found.passed()) {
      status = static_cast<int>(ErrorKind::check_failed);
      fmt::print(stderr, "zithercraft: check failed: {}: {}\n", file,
                 found.difference.empty() ? "the end of the file is missing" : found.difference);
    }
  }
  if (json) fmt::print("{}\n", j.dump(2));
  if (serve) {
    std::fflush(stdout);
    serve_replays({files.begin(), files.end()}, serve_options(serving), policies_of(*this));
  }
  return status;
}

}  // namespace zithercraft::cli
