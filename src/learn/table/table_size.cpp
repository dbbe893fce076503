#include <fmt/format.h>

#include "learn/table/table_trainee.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {
namespace {

std::string count_text(double count) {
  return count < 1e6 ? fmt::format("{:.0f}", count) : fmt::format("{:.2g}", count);
}

std::string bytes_text(double bytes) {
  const char* unit = "bytes";
  for (const char* larger : {"kB", "MB", "GB", "TB"}) {
    if (bytes < 1000.0) break;
    bytes /= 1000.0;
    unit = larger;
  }
  return bytes < 1e6 ? fmt::format("{:.3g} {}", bytes, unit)
                     : fmt::format("{:.2g} {}", bytes, unit);
}

double bytes_of(const Role& role, const QTableSettings& settings, double states) {
  const std::size_t combinations = Heads(role.controls, role.columns).combinations(),
                    tables = settings.double_q ? 2 : 1;
  const StateTable table(bins_for(role, settings), combinations, 0.0f, tables);
  return StateTable::bytes_for(states, table.words(), combinations, tables);
}

// The columns that multiply the states most, for advice.
std::string largest_senses(const Role& role, const QTableSettings& settings) {
  const std::vector<std::size_t> counts = bin_counts(role, settings);
  std::string worst;
  double most = 1.0, own = 1.0;
  for (std::size_t c = 0; c < counts.size(); ++c) {
    const std::string& sense = role.columns[c].sense;
    if (c == 0 || sense != role.columns[c - 1].sense) own = 1.0;
    own *= static_cast<double>(counts[c]);
    if (own <= most) continue;
    most = own;
    worst = sense.empty() ? role.columns[c].name : sense;
  }
  return worst;
}

}  // namespace

std::string size_text(const Role& role, const QTableSettings& settings) {
  const double states = bins_for(role, settings).states();
  return fmt::format("the table of '{}' has at most {} states of {} numbers each: {}", role.name,
                     count_text(states), Heads(role.controls, role.columns).combinations(),
                     bytes_text(bytes_of(role, settings, states)));
}

void check_states(const Role& role, const QTableSettings& settings) {
  const double states = bins_for(role, settings).states();
  if (states <= settings.most_states) return;
  const std::string sense = largest_senses(role, settings);
  throw Error(ErrorKind::refused,
              fmt::format("{}; more than {} states are too many to be met often enough",
                          size_text(role, settings), count_text(settings.most_states)),
              "learner.most_states",
              fmt::format("give columns fewer bins, most of all those of '{0}' "
                          "(column_bins=[\"{0}=1\"] leaves them out), or train by dqn",
                          sense));
}

}  // namespace zithercraft::learn_internal
