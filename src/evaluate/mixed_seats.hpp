#pragma once

#include <algorithm>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "zithercraft/match/player.hpp"

namespace zithercraft::evaluate_internal {

/// Some of a role's seats have a player, the others have another.
class MixedSeats : public Player {
 public:
  /// `own`: per seat, whether the first player has it.
  MixedSeats(std::vector<bool> own, std::unique_ptr<Player> first, std::unique_ptr<Player> others)
      : own_(std::move(own)), first_(std::move(first)), others_(std::move(others)) {}
  std::string name() const override { return first_->name(); }
  std::unique_ptr<Player> copy() const override {
    return std::make_unique<MixedSeats>(own_, first_->copy(), others_->copy());
  }
  void decide(Environment& environment, std::size_t role, std::size_t first,
              std::size_t count) override {
    const std::size_t seats = environment.seats(role),
                      each = environment.game().roles()[role].controls.size();
    const auto rows =
        environment.controls(role).subspan(first * seats * each, count * seats * each);
    first_->decide(environment, role, first, count);
    kept_.assign(rows.begin(), rows.end());
    others_->decide(environment, role, first, count);
    for (std::size_t row = 0; row < count * seats; ++row)
      if (own_[row % seats])
        std::copy_n(kept_.begin() + static_cast<std::ptrdiff_t>(row * each), each,
                    rows.begin() + static_cast<std::ptrdiff_t>(row * each));
  }

 private:
  std::vector<bool> own_;
  std::unique_ptr<Player> first_, others_;
  std::vector<float> kept_;
};

}  // namespace zithercraft::evaluate_internal
