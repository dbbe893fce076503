#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <limits>
#include <sstream>
#include <utility>

#include "base/json.hpp"
#include "remote/game_wire.hpp"
#include "remote/host_state.hpp"
#include "remote/remote_batch.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
using namespace remote_internal;
namespace {

constexpr std::size_t most_games = 4096;

void check_options(const RemoteOptions& o) {
  if (!o.page.empty() && !std::filesystem::is_regular_file(o.page))
    throw Error(ErrorKind::file, "there is no such page", o.page.string(), "name an HTML file");
  const auto need = [](bool fine, const char* what, const char* fix) {
    if (!fine) throw Error(ErrorKind::usage, what, "games in other processes", fix);
  };
  need(o.instances >= 1 && o.instances <= 4096, "there is no such number of games",
       "give 1 to 4096 instances");
  need(o.answer_seconds > 0.0 && o.answer_seconds <= 86400.0, "no game can answer in that time",
       "give seconds above 0, at most a day");
  need(o.join_seconds > 0.0 && o.join_seconds <= 86400.0, "no game can join in that time",
       "give seconds above 0, at most a day");
}

// A value of JSON as one of TOML, under a key of a table.
struct TomlPut {
  toml::table& table;
  const std::string& key;

  void operator()(std::monostate) const {
    throw Error(ErrorKind::spec, "null is no value of a game", "game." + key, "leave the key out");
  }
  void operator()(std::uint64_t number) const {
    if (number > static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max()))
      throw Error(ErrorKind::spec, "the number is too large", "game." + key, "give a smaller one");
    (*this)(static_cast<std::int64_t>(number));
  }
  template <class T>
  void operator()(const T& value) const {
    table.insert_or_assign(key, value);
  }
  void operator()(const Json::List& list) const {
    toml::array array;
    for (const Json& item : list) {
      toml::table one;
      item.visit(TomlPut{one, key});
      array.push_back(*one.get(key));
    }
    table.insert_or_assign(key, std::move(array));
  }
  void operator()(const Json::Members& members) const {
    toml::table inner;
    for (const auto& [name, member] : members) member.visit(TomlPut{inner, name});
    table.insert_or_assign(key, std::move(inner));
  }
};

// The game that a hello describes, as a game file would.
GameSpec game_in(const Hello& hello) {
  toml::table table;
  const Json game = Json::parse(hello.game_json);
  for (const auto& [key, value] : game.members()) value.visit(TomlPut{table, key});
  if (!table.contains("custom")) table.insert("custom", toml::table{});
  if (!table.contains("name")) table.insert("name", hello.name);
  std::ostringstream text;
  text << table;
  try {
    return parse_game(text.str(), "", CustomParts::optional);
  } catch (const Error& error) {
    // Lines are those of a text that nobody has seen.
    const std::string where = error.where();
    const std::size_t key = where.find_last_of(' ');
    throw Error(error.kind(), error.problem(),
                "game." + (key == std::string::npos ? where : where.substr(key + 1)), error.fix());
  }
}

}  // namespace

// ---- Who joins

std::string RemoteHost::State::refusal(const Hello& hello) {
  const auto turn_away = [&](const std::string& why) {
    const std::lock_guard lock(mutex);
    last_refusal = why;
    return why;
  };
  if (hello.protocol != protocol_version)
    return turn_away(
        fmt::format("the game speaks version {} of the protocol, and this program "
                    "version {}: use the kit that belongs to it",
                    hello.protocol, protocol_version));
  try {
    std::optional<GameSpec> said;
    if (!hello.game_json.empty()) {
      said = game_in(hello);
      if (said->name != hello.name)
        return turn_away("the game says two names: '" + hello.name + "' and '" + said->name + "'");
      if (!said->custom) return turn_away("the game is no custom game");
    }
    const std::lock_guard lock(mutex);
    if (links.size() >= most_games)
      return last_refusal = fmt::format("there are {} games already", most_games);
    if (!game) {
      if (!said)
        return last_refusal =
                   "the game says its name alone: let it say all, or give a game file that "
                   "declares it";
      said->custom->host = [] { return std::shared_ptr<CustomHost>(); };
      spec = *said;
      game.emplace(*said);
      shape = GameShape::of(*game);
      return {};
    }
    if (game->spec().name != hello.name)
      return last_refusal = fmt::format("the game is '{}', and '{}' is played here", hello.name,
                                        game->spec().name);
    if (!said) return {};
    const std::string difference = disagreement(*game, Game(*said, CustomParts::optional));
    if (difference.empty()) return {};
    return last_refusal = "the game differs from the one that is played here: " + difference;
  } catch (const std::exception& error) {
    return turn_away(error.what());
  }
}

void RemoteHost::State::join(std::unique_ptr<GameLink::Wire> wire, const Hello& hello, Form form) {
  std::size_t number = 0;
  {
    const std::lock_guard lock(mutex);
    number = ++joined;
    auto link = std::make_shared<GameLink>(std::move(wire), hello, form, number);
    link->since = std::chrono::duration<double>(Clock::now() - begun).count();
    links.push_back(link);
    for (std::size_t copy = 0; copy < hello.copies; ++copy) free.push_back({link, copy});
  }
  changed.notify_all();
  note(fmt::format("game {} joined{}: {} {}", number,
                   hello.program.empty() ? "" : " (" + hello.program + ")", hello.copies,
                   hello.copies == 1 ? "copy" : "copies"));
}

void RemoteHost::State::drop(GameLink& link, const std::string& why) {
  const std::string text = fmt::format("game {} is gone: {}", link.number(), why);
  {
    const std::lock_guard lock(mutex);
    if (!link.open.exchange(false)) return;
    std::erase_if(links, [&](const auto& known) { return known.get() == &link; });
    std::erase_if(free, [&](const Copy& copy) { return copy.link.get() == &link; });
    ++dropped;
    last_drop = text;
  }
  link.close(why);
  changed.notify_all();
  note(text);
}

void RemoteHost::State::note(const std::string& text) {
  const std::lock_guard lock(notes);
  if (options.on_note) options.on_note(text);
}

// ---- Who plays which copy

RemoteHost::State::Copy RemoteHost::State::take(const Copy& wished) {
  if (free.empty()) return {};
  auto found = std::find_if(free.begin(), free.end(), [&](const Copy& copy) {
    return copy.link == wished.link && copy.number == wished.number;
  });
  if (found == free.end()) found = free.begin();
  Copy copy = std::move(*found);
  free.erase(found);
  return copy;
}

bool RemoteHost::State::is_free(const Copy& copy) const {
  return std::any_of(free.begin(), free.end(), [&](const Copy& known) {
    return known.link == copy.link && known.number == copy.number;
  });
}

std::string RemoteHost::State::why_none() const {
  std::string text;
  if (!last_drop.empty()) text += "; " + last_drop;
  if (!last_refusal.empty()) text += "; the last that was turned away: " + last_refusal;
  if (launcher && !launcher->last_end().empty()) text += "; " + launcher->last_end();
  return text;
}

void RemoteHost::State::give_back(const Copy& copy) {
  if (!copy.link->open) return;
  free.push_back(copy);
  changed.notify_all();
}

bool RemoteHost::State::preempt(const RemoteBatch* keep) {
  bool any = false;
  for (RemoteBatch* batch : batches)
    if (batch != keep) any = batch->yield_copies() || any;
  return any;
}

// ---- The host

RemoteHost::RemoteHost(const RemoteOptions& options, const std::optional<GameSpec>& declared)
    : state_(std::make_shared<State>(options)) {
  check_options(options);
  if (declared) {
    GameSpec spec = *declared;
    if (!spec.custom)
      throw Error(ErrorKind::usage, "the game '" + spec.name + "' is played in an arena", "custom",
                  "only custom games are played in other processes");
    spec.custom->host = [] { return std::shared_ptr<CustomHost>(); };
    state_->spec = spec;
    state_->game.emplace(std::move(spec));
    state_->shape = GameShape::of(*state_->game);
  }
  State* const state = state_.get();
  state_->listener = std::make_unique<Listener>(
      ListenerOptions{options.address, options.port, options.token, options.page},
      [state](const Hello& hello) { return state->refusal(hello); },
      [state](std::unique_ptr<GameLink::Wire> wire, const Hello& hello, Form form) {
        state->join(std::move(wire), hello, form);
      });
  if (!options.launch.empty())
    state_->launcher =
        std::make_unique<GameLauncher>(options.launch, address(), options.instances,
                                       [state](const std::string& text) { state->note(text); });
}

RemoteHost::~RemoteHost() {
  if (state_->launcher) state_->launcher->expect_end();
  state_->listener.reset();
  for (const auto& link : std::vector(state_->links)) {
    const std::lock_guard busy(link->busy);
    try {
      link->send(end_message(link->form(), "it is over"), Clock::now() + std::chrono::seconds(1));
    } catch (const std::exception&) {
      // It has left already.
    }
    link->close("it is over");
  }
  state_->launcher.reset();
}

std::string RemoteHost::address() const { return state_->listener->address(); }
std::string RemoteHost::page() const { return "http" + address().substr(2); }

GameSpec RemoteHost::wait() {
  State& s = *state_;
  const auto limit = Clock::now() + s.join_time();
  std::unique_lock lock(s.mutex);
  while (s.links.size() < s.options.instances) {
    const bool late = Clock::now() > limit;
    if (!late && !s.stopped()) {
      s.changed.wait_for(lock, std::chrono::milliseconds(100));
      continue;
    }
    throw Error(ErrorKind::refused,
                fmt::format("{} of {} games joined within {:.0f} s{}", s.links.size(),
                            s.options.instances, s.options.join_seconds, s.why_none()),
                address(), "let games join there, fewer of them, or wait longer");
  }
  return s.spec;
}

HostReport RemoteHost::report() const {
  const State& s = *state_;
  HostReport report;
  const std::lock_guard lock(s.mutex);
  const double now = std::chrono::duration<double>(Clock::now() - s.begun).count();
  for (const auto& link : s.links)
    report.games.push_back({link->number(), link->hello().program, link->hello().copies,
                            static_cast<std::int64_t>(link->steps),
                            static_cast<double>(link->steps) / std::max(1e-3, now - link->since)});
  report.dropped = s.dropped;
  report.last_drop = s.last_drop;
  return report;
}

std::unique_ptr<CustomBatch> RemoteHost::batch(const Game& game, std::size_t lanes) {
  if (const std::string difference = disagreement(game, *state_->game); !difference.empty())
    throw Error(ErrorKind::refused,
                "the game was changed into one that is not played there: " + difference,
                "game '" + game.spec().name + "'", "change its numbers alone");
  return std::make_unique<RemoteBatch>(state_, lanes);
}

std::size_t RemoteHost::copies() const {
  const std::lock_guard lock(state_->mutex);
  std::size_t copies = 0;
  for (const auto& link : state_->links) copies += link->hello().copies;
  return std::max<std::size_t>(1, copies);
}

GameSpec remote_game(std::shared_ptr<RemoteHost> host) {
  GameSpec spec = host->wait();
  spec.custom->host = [host = std::move(host)] { return std::shared_ptr<CustomHost>(host); };
  return spec;
}

}  // namespace zithercraft
