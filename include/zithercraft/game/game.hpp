#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/arena/arena.hpp"
#include "zithercraft/base/signature.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft {

struct GamePlan;

/// A role of a compiled game.
struct Role {
  std::string name{};
  std::vector<std::size_t> seats{};     ///< the body of each seat
  std::vector<Column> columns{};        ///< of its observations
  std::vector<ControlInfo> controls{};  ///< one number each
  std::vector<std::string> terms{};     ///< of its reward sheet
};

/// A compiled game: checked, immutable, cheap to copy and safe to share between threads.
class Game {
 public:
  /// Throws Error (spec) with the key path and a remedy if the spec makes no sense.
  explicit Game(GameSpec spec, CodedParts coded = CodedParts::needed);

  const GameSpec& spec() const noexcept;
  const Arena& arena() const noexcept;
  std::span<const Role> roles() const noexcept;
  /// Changes whenever anything in the spec does: 16 hexadecimal digits.
  const std::string& fingerprint() const noexcept;
  /// Whether every coded part is there (see CodedParts).
  bool complete() const noexcept;

  const GamePlan& plan() const noexcept { return *plan_; }

 private:
  std::shared_ptr<const GamePlan> plan_;
};

}  // namespace zithercraft
