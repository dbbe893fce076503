#include "zithercraft/show/drive.hpp"
#include "base/json.hpp"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <utility>

#include "show/page/viewer_page.hpp"
#include "show/pictures/frames.hpp"
#include "show/pictures/scene.hpp"
#include "show/server/driven_match.hpp"
#include "show/server/server.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

using Clock = std::chrono::steady_clock;

constexpr double slowest = 0.125, fastest = 64.0;
constexpr std::size_t most_keys = 32, most_axes = 16, most_buttons = 32;
constexpr std::size_t most_events = 4096;  // that wait to be looked at

// What clients do, handed from the server's thread to the one that plays.
struct ClientEvent {
  enum class Kind { joined, said, left } kind = Kind::joined;
  Server::Client client = 0;
  std::string text{};
};

class Inbox {
 public:
  void put(ClientEvent event) {
    const std::lock_guard lock(mutex_);
    // The latest state comes again.
    if (event.kind == ClientEvent::Kind::said && events_.size() >= most_events) return;
    events_.push_back(std::move(event));
    changed_.notify_all();
  }
  /// Waits for something until then.
  std::deque<ClientEvent> take_until(Clock::time_point until) {
    std::unique_lock lock(mutex_);
    changed_.wait_until(lock, until, [&] { return !events_.empty(); });
    return std::exchange(events_, {});
  }

 private:
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<ClientEvent> events_;
};

class DriveSession {
 public:
  DriveSession(const Game& game, const DriveOptions& options, const ServeOptions& serving,
               const std::function<void(const DrivenEpisode&)>& on_episode)
      : game_(game),
        match_(game, options),
        serving_(serving),
        on_episode_(on_episode),
        seconds_per_step_(game.spec().arena.tick * static_cast<double>(game.spec().ticks_per_step)),
        page_(viewer_page(start())),
        server_({serving.address, serving.port, serving.token},
                [this](const WebRequest& r) { return answer(r); },
                {[this](Server::Client c) {
                   inbox_.put({ClientEvent::Kind::joined, c, {}});
                 },
                 [this](Server::Client c, std::string text) {
                   inbox_.put({ClientEvent::Kind::said, c, std::move(text)});
                 },
                 [this](Server::Client c) {
                   inbox_.put({ClientEvent::Kind::left, c, {}});
                 }}) {}

  std::vector<DrivenEpisode> run() {
    begin();
    if (serving_.on_ready) serving_.on_ready(server_.url());
    while (!finished_ && !(serving_.stop != nullptr && serving_.stop->load())) {
      const bool runs = !clients_.empty() && !paused_ && !match_.over();
      const auto soon = Clock::now() + look_up;
      const auto events = inbox_.take_until(runs ? std::min(soon, end_of_step()) : soon);
      note_time();
      for (const ClientEvent& event : events) handle(event);
      if (runs && elapsed_ >= seconds_per_step_) decide();
    }
    conclude();
    match_.finish();
    return std::move(episodes_);
  }

 private:
  Json start() const {
    Json scene = scene_of(game_, match_.players());
    return {{"mode", "drive"},
            {"title", game_.spec().name},
            {"version", library_version()},
            {"seat", {{"role", match_.role()}, {"seat", match_.seat()}}},
            {"match", {{"name", game_.spec().name}, {"scene", std::move(scene)}}}};
  }

  WebReply answer(const WebRequest& request) const {
    if (request.path.empty()) return {200, "text/html; charset=utf-8", page_};
    return {404, "text/plain; charset=utf-8", "there is nothing here\n"};
  }

  // ---- Time: seconds of the game that have passed since the last step.
  void note_time() {
    const auto now = Clock::now();
    if (!clients_.empty() && !paused_ && !match_.over())
      elapsed_ += std::chrono::duration<double>(now - noted_).count() * speed_;
    noted_ = now;
  }
  Clock::time_point end_of_step() const {
    const double left = std::max(0.0, (seconds_per_step_ - elapsed_) / speed_);
    return noted_ +
           std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(left));
  }

  // ---- What clients want.
  void handle(const ClientEvent& event) {
    switch (event.kind) {
      case ClientEvent::Kind::joined:
        clients_.push_back(event.client);
        for (const std::string& message : so_far_) server_.send(event.client, message);
        return send_preview();
      case ClientEvent::Kind::left:
        if (!clients_.empty() && clients_.front() == event.client) match_.steering().let_go();
        std::erase(clients_, event.client);
        return send_preview();
      case ClientEvent::Kind::said: try { obey(event.client, Json::parse(event.text));
        } catch (const JsonError&) {
          server_.drop(event.client, "a message could not be understood");
        }
    }
  }

  void obey(Server::Client client, const Json& wish) {
    if (clients_.empty() || clients_.front() != client) return;  // one steers, the others look on
    if (wish.contains("do")) {
      command(wish.at("do").get<std::string>(), wish);
    } else {
      const auto keys = wish.at("keys").get<std::vector<std::string>>();
      const auto axes = wish.at("axes").get<std::vector<float>>();
      const auto buttons = wish.at("buttons").get<std::vector<bool>>();
      if (keys.size() > most_keys || axes.size() > most_axes || buttons.size() > most_buttons ||
          !std::all_of(keys.begin(), keys.end(), is_key))
        return server_.drop(client, "keys or a gamepad that do not exist");
      try {
        match_.steering().point(wish.at("options").get<std::map<std::string, std::string>>());
      } catch (const Error&) {
        return server_.drop(client, "an option that does not exist");
      }
      serial_ = wish.at("serial").get<std::uint64_t>();
      match_.steering().hold(keys);
      match_.steering().gamepad(axes, buttons);
    }
    send_preview();
  }

  void command(const std::string& what, const Json& wish) {
    if (what == "pause" || what == "go") {
      paused_ = what == "pause";
    } else if (what == "next") {
      conclude();
      begin();
    } else if (what == "finish") {
      finished_ = true;
    } else if (what == "speed") {
      speed_ = std::clamp(wish.at("speed").get<double>(), slowest, fastest);
    } else {
      server_.drop(clients_.front(), "there is no such command");
    }
  }

  // ---- The match.
  void begin() {
    match_.begin();
    so_far_.clear();
    elapsed_ = 0.0;
    told_ = false;
    send_moment(
        {{"kind", "begin"}, {"forms", forms_of(game_.arena(), match_.lanes().arena_state(0))}});
    send_preview();
  }

  void decide() {
    match_.decide();
    elapsed_ = std::min(elapsed_ - seconds_per_step_,
                        0.5 * seconds_per_step_);  // a late one is not chased
    if (match_.over()) elapsed_ = 0.0;
    send_moment({{"kind", "moment"}});
    if (match_.over()) conclude();
    send_preview();
  }

  void conclude() {
    if (std::exchange(told_, true) || match_.lanes().steps(0) == 0) return;
    episodes_.push_back(match_.result());
    if (on_episode_) on_episode_(episodes_.back());
  }

  void send_moment(Json about) {
    FrameChunk chunk(game_);
    const Moment moment = match_.moment();
    const std::vector<std::vector<std::byte>> state{moment.state};
    chunk.add(moment, state);
    so_far_.push_back(chunk.take(std::move(about)));
    so_far_bytes_ = so_far_.size() == 1 ? 0 : so_far_bytes_ + so_far_.back().size();
    while (so_far_bytes_ > most_kept) {  // late clients see the start and the last part
      so_far_bytes_ -= so_far_[1].size();
      so_far_.erase(so_far_.begin() + 1);
    }
    for (const Server::Client client : clients_) server_.send(client, so_far_.back());
  }

  void send_preview() {
    const auto poses = match_.preview();
    for (const Server::Client client : clients_)
      server_.send(client, message_of({{"kind", "preview"},
                                       {"step", match_.lanes().steps(0)},
                                       {"elapsed", elapsed_},
                                       {"speed", speed_},
                                       {"serial", client == clients_.front() ? serial_ : 0},
                                       {"steering", client == clients_.front()},
                                       {"paused", paused_},
                                       {"over", match_.over()}},
                                      poses));
  }

  // Bytes of an episode, for those who join late.
  static constexpr std::size_t most_kept = 16u << 20;

  const Game game_;
  DrivenMatch match_;
  const ServeOptions& serving_;
  const std::function<void(const DrivenEpisode&)>& on_episode_;
  const double seconds_per_step_;
  double elapsed_ = 0.0, speed_ = 1.0;
  Clock::time_point noted_ = Clock::now();
  bool paused_ = false, finished_ = false, told_ = false;
  std::uint64_t serial_ = 0;
  std::vector<Server::Client> clients_;
  std::deque<std::string> so_far_;
  std::size_t so_far_bytes_ = 0;
  std::vector<DrivenEpisode> episodes_;
  Inbox inbox_;
  const std::string page_;
  Server server_;
};

}  // namespace

std::vector<DrivenEpisode> drive(const Game& game, const DriveOptions& options,
                                 const ServeOptions& serving,
                                 const std::function<void(const DrivenEpisode&)>& on_episode) {
  return DriveSession(game, options, serving, on_episode).run();
}

DrivenEpisode drive_by_keys(const Game& game, const DriveOptions& options, KeyScript keys) {
  DrivenMatch match(game, options);
  match.begin();
  while (!match.over()) {
    keys.apply(match.steering(), match.lanes().steps(0));
    match.decide();
  }
  match.finish();
  return match.result();
}

}  // namespace zithercraft
