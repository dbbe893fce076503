#include <algorithm>

#include "game/sense.hpp"
#include "zithercraft/base/random.hpp"

// What happens to readings on their way: noise, drop-out, and the memory of earlier ones.

namespace zithercraft::game_internal {

void disturb(const SensePart& part, std::size_t number, const SeatView& seat,
             std::span<float> row) {
  const EpisodeKey key = seat.episode();
  RandomStream random(derived_seed(key.seed, "signal"), key.lane, key.episode, Purpose::sense);
  random.jump(static_cast<std::uint32_t>(seat.body().index() << 8 | (number & 255)), seat.steps());
  const auto now = row.subspan(part.first_column, part.columns);
  if (part.drop_out > 0.0f && random.uniform() < part.drop_out) {
    std::fill(now.begin(), now.end(), 0.0f);
    return;
  }
  if (part.noise == 0.0f) return;
  const auto& columns = seat.role().columns;
  for (std::size_t i = 0; i < now.size(); ++i) {
    const Column& column = columns[part.first_column + i];
    now[i] = std::clamp(now[i] + part.noise * random.normal(), static_cast<float>(column.low),
                        static_cast<float>(column.high));
  }
}

void keep_columns(const RolePlan& role, std::span<const float> row, std::span<float> kept) {
  for (const SensePart& part : role.senses) {
    if (part.history == 0) continue;
    const auto own = kept.subspan(part.kept, part.history * part.columns);
    std::copy_backward(own.begin(), own.end() - static_cast<std::ptrdiff_t>(part.columns),
                       own.end());
    std::copy_n(row.begin() + static_cast<std::ptrdiff_t>(part.first_column), part.columns,
                own.begin());
  }
}

void fill_kept_columns(const RolePlan& role, std::span<const float> row, std::span<float> kept) {
  for (const SensePart& part : role.senses)
    for (std::size_t ago = 0; ago < part.history; ++ago)
      std::copy_n(row.begin() + static_cast<std::ptrdiff_t>(part.first_column), part.columns,
                  kept.begin() + static_cast<std::ptrdiff_t>(part.kept + ago * part.columns));
}

}  // namespace zithercraft::game_internal
