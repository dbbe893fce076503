#include "study_store.hpp"

#include <algorithm>
#include <tuple>

namespace zithercraft {
namespace {

constexpr const char* schema =
    "CREATE TABLE IF NOT EXISTS trials (number INTEGER PRIMARY KEY, game TEXT, variant TEXT, seed INTEGER, state TEXT, "
    "seconds REAL, error TEXT, UNIQUE (game, variant, seed));"
    "CREATE TABLE IF NOT EXISTS measures (trial INTEGER, measure TEXT, value REAL, PRIMARY KEY (trial, measure));";

TrialState state_of(const std::string& word) {
  for (const TrialState state : {TrialState::done, TrialState::failed})
    if (word == name_of(state)) return state;
  return TrialState::unfinished;
}

}  // namespace

std::string_view name_of(TrialState state) noexcept {
  switch (state) {
    case TrialState::unfinished: return "unfinished";
    case TrialState::done: return "done";
    case TrialState::failed: return "failed";
  }
  return "unknown";
}

StudyStore::StudyStore(const std::filesystem::path& folder) : db_(folder / "results.db", "the results") {
  db_.run(schema);
}

std::vector<Trial> StudyStore::stored(const Measures& measures) {
  std::vector<Trial> trials;
  Statement s(db_, "SELECT number, game, variant, seed, state, seconds, error FROM trials ORDER BY number");
  while (s.row()) {
    Trial trial{static_cast<std::size_t>(s.whole(0)),
                s.text(1),
                s.text(2),
                s.whole(3),
                state_of(s.text(4)),
                s.number(5),
                {},
                s.text(6)};
    for (const std::string& measure : measures) {
      Statement value(db_, "SELECT value FROM measures WHERE trial = ? AND measure = ?");
      value.bind(s.whole(0)).bind(measure);
      if (value.row()) trial.values.push_back(value.number(0));
    }
    if (trial.state == TrialState::done && trial.values.size() != measures.size()) db_.fail();
    trials.push_back(std::move(trial));
  }
  return trials;
}

std::vector<Trial> StudyStore::trials(const StudyPlan& plan) {
  const auto there = stored(plan.measures);
  const auto key = [](const Trial& t) { return std::tie(t.game, t.variant, t.seed); };
  std::size_t next = there.empty() ? 0 : there.back().number + 1;
  db_.run("BEGIN");
  for (const std::int64_t seed : plan.seeds)
    for (const GameSpec& game : plan.games)
      for (const Variant& variant : plan.variants) {
        const Trial trial{0, game.name, variant.name, seed};
        if (std::any_of(there.begin(), there.end(), [&](const Trial& t) { return key(t) == key(trial); })) continue;
        Statement s(db_, "INSERT INTO trials VALUES (?,?,?,?,?,0,'')");
        s.bind(static_cast<std::int64_t>(next++)).bind(trial.game).bind(trial.variant).bind(seed);
        s.bind(std::string(name_of(trial.state))).run();
      }
  db_.run("COMMIT");
  return stored(plan.measures);
}

void StudyStore::keep(const Trial& trial, const Measures& measures) {
  const auto number = static_cast<std::int64_t>(trial.number);
  db_.run("BEGIN");
  for (std::size_t m = 0; m < trial.values.size(); ++m)
    Statement(db_, "INSERT OR REPLACE INTO measures VALUES (?,?,?)")
        .bind(number)
        .bind(measures[m])
        .bind(trial.values[m])
        .run();
  Statement(db_, "UPDATE trials SET state = ?, seconds = ?, error = ? WHERE number = ?")
      .bind(std::string(name_of(trial.state)))
      .bind(trial.seconds)
      .bind(trial.error)
      .bind(number)
      .run();
  db_.run("COMMIT");
}

}  // namespace zithercraft
