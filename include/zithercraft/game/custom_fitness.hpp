#pragma once

#include <cstddef>
#include <functional>

namespace zithercraft {

class Environment;
class SeatView;

/// How good an episode was for a seat, asked at its end. `row`: the seat's among those of its role.
using CustomFitness =
    std::function<double(const Environment& environment, std::size_t role, std::size_t row)>;

/// One that looks at the seat of a game in an arena.
CustomFitness seat_fitness(std::function<double(const SeatView&)> fitness);

}  // namespace zithercraft
