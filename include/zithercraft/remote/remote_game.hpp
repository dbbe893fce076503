#pragma once

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "zithercraft/game/custom_batch.hpp"
#include "zithercraft/game/spec.hpp"

/// Games in other processes: they join over WebSocket connections, and play the lanes of whoever
/// trains, evaluates or records. docs/formats/remote.md specifies the messages.
namespace zithercraft {

/// Where games join, and which are started.
struct RemoteOptions {
  std::string address = "127.0.0.1";  ///< of this machine, to listen at
  std::uint16_t port = 0;             ///< to listen at; 0: any that is free
  std::string token{};  ///< what games must carry; needed if others than this machine can reach it
  /// A command line for the shell that starts a game; `{address}` stands for where it joins, and
  /// `{number}` for its number from 0. Empty: games are started by somebody else.
  std::string launch{};
  /// A game that is a page: this HTML file, and what lies beside it, is served at the same port.
  std::filesystem::path page{};
  std::size_t instances = 1;  ///< games to start, or to wait for, at least 1
  /// Whoever is ready plays on. Else every step waits for all games, and what deterministic games
  /// play does not depend on how fast they are.
  bool free = false;
  double answer_seconds = 10.0;             ///< a game that takes longer is dropped; above 0
  double join_seconds = 60.0;               ///< to wait for so many games at the beginning; above 0
  const std::atomic<bool>* stop = nullptr;  ///< once true, nobody waits for games any longer
  /// Called with one line when games join and leave, from several threads, one at a time.
  std::function<void(const std::string&)> on_note{};
};

/// Where games join. It listens, and starts games, as long as it lives.
class RemoteHost final : public CustomHost {
 public:
  /// Begins to listen, and to start games. `declared`: the game, where a file declares it; else the
  /// first that joins says what it is. Throws Error (usage) if an option cannot be used, Error
  /// (file) if the port cannot be listened at.
  explicit RemoteHost(const RemoteOptions& options, const std::optional<GameSpec>& declared = {});
  ~RemoteHost() override;

  /// Where games join: a URL of RFC 6455, with the token if there is one.
  std::string address() const;
  /// What a browser opens, where a page is served.
  std::string page() const;
  /// Waits until as many games as were asked for have joined. Throws Error (refused) if they do not
  /// in time, with what the last that was turned away was told.
  GameSpec wait();
  std::unique_ptr<CustomBatch> batch(const Game& game, std::size_t lanes) override;
  std::size_t copies() const override;
  HostReport report() const override;

  struct State;  ///< opaque

 private:
  std::shared_ptr<State> state_;
};

/// A game that is played in other processes, once they have joined; its spec keeps the host alive.
GameSpec remote_game(std::shared_ptr<RemoteHost> host);

}  // namespace zithercraft
