#include "zithercraft/learn/learner.hpp"

#include <algorithm>
#include <charconv>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {

std::optional<double> metric_in(const std::vector<Metric>& list, const std::string& name) {
  const auto found = std::find_if(list.begin(), list.end(), [&](const Metric& metric) {
    return metric.part == Metric::whole && metric.name == name;
  });
  return found == list.end() ? std::nullopt : std::optional(found->value);
}

void nothing_collected(const std::string& learner) {
  throw Error(ErrorKind::usage, "nothing was collected to improve by", learner,
              "call collect() before each improve()");
}

void check_length(const Budget& budget, const std::string& learner) {
  if (budget.steps < 0 || budget.updates < 0 || (budget.steps == 0 && budget.updates == 0))
    throw Error(ErrorKind::usage,
                "a training of " + std::to_string(budget.steps) + " steps has nothing to do",
                learner, "give at least 1");
}

std::vector<RolePlayer> usual_players(const Game& game, std::uint64_t seed) {
  std::vector<RolePlayer> players(game.roles().size());
  for (std::size_t r = 1; r < players.size(); ++r)
    if (game.roles()[r].mirrors != 0)
      players[r].player = usual_player(game, r, derived_seed(seed, "others"));
  return players;
}

void Counters::store(TensorFile& file) const {
  file.metadata["steps"] = std::to_string(steps);
  file.metadata["updates"] = std::to_string(updates);
}

Counters Counters::of(const std::map<std::string, std::string>& metadata,
                      const std::string& source) {
  const auto number = [&](const char* key) {
    const auto found = metadata.find(key);
    const std::string text = found == metadata.end() ? "" : found->second;
    std::int64_t value = -1;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || value < 0)
      throw Error(ErrorKind::file, std::string("the checkpoint does not say its ") + key, source,
                  "use a checkpoint of this version");
    return value;
  };
  return {number("steps"), number("updates")};
}

}  // namespace zithercraft
