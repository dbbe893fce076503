#include "zithercraft/doctor/senses.hpp"

#include "doctor/survey.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"

namespace zithercraft {
using namespace doctor_internal;

std::vector<ColumnReading> read_senses(const Game& game, std::size_t role, std::int64_t steps,
                                       std::uint64_t seed) {
  if (role >= game.roles().size() || steps < 1)
    throw Error(ErrorKind::usage, "there is nothing to read", "read_senses",
                "name a role and at least 1 step");
  WorkerPool pool(1);
  const auto player = random_player(seed);
  const Survey survey =
      watch(game, "random", std::vector<const Player*>(game.roles().size(), player.get()), steps,
            seed, pool);
  const RoleSurvey& read = survey.roles[role];
  std::vector<ColumnReading> readings;
  for (std::size_t c = 0; c < read.columns.size(); ++c) {
    const ColumnSurvey& column = read.columns[c];
    const bool any = read.rows > 0;
    readings.push_back({game.roles()[role].columns[c], any ? column.low : 0.0,
                        any ? column.high : 0.0, column.mean(read.rows), column.stddev(read.rows)});
  }
  return readings;
}

}  // namespace zithercraft
