#include "experiment/study_store.hpp"

#include <algorithm>
#include <tuple>

namespace zithercraft {

std::string_view name_of(StudyRunStatus status) noexcept {
  switch (status) {
    case StudyRunStatus::unfinished: return "unfinished";
    case StudyRunStatus::done: return "done";
    case StudyRunStatus::failed: return "failed";
  }
  return "unknown";
}

}  // namespace zithercraft

namespace zithercraft::experiment_internal {
namespace {

constexpr const char* schema =
    "PRAGMA user_version = 2;"
    "CREATE TABLE IF NOT EXISTS runs (run INTEGER PRIMARY KEY, game TEXT, variant TEXT, seed "
    "INTEGER, status TEXT, "
    "seconds REAL, error TEXT, UNIQUE (game, variant, seed));"
    "CREATE TABLE IF NOT EXISTS measures (run INTEGER, measure TEXT, value REAL, PRIMARY KEY (run, "
    "measure));";

StudyRunStatus status_of(const std::string& word) {
  for (const StudyRunStatus status : {StudyRunStatus::done, StudyRunStatus::failed})
    if (word == name_of(status)) return status;
  return StudyRunStatus::unfinished;
}

}  // namespace

StudyStore::StudyStore(const std::filesystem::path& folder)
    : db_(folder / "results.db", "the results") {
  db_.run(schema);
}

std::vector<StudyRun> StudyStore::stored(const Measures& measures) {
  std::vector<StudyRun> runs;
  Statement s(db_,
              "SELECT run, game, variant, seed, status, seconds, error FROM runs ORDER BY run");
  while (s.row()) {
    StudyRun run{static_cast<std::size_t>(s.whole(0)),
                 s.text(1),
                 s.text(2),
                 s.whole(3),
                 status_of(s.text(4)),
                 s.number(5),
                 {},
                 s.text(6)};
    for (const std::string& measure : measures) {
      Statement value(db_, "SELECT value FROM measures WHERE run = ? AND measure = ?");
      value.bind(s.whole(0)).bind(measure);
      if (value.row()) run.measured.push_back(value.number(0));
    }
    if (run.status == StudyRunStatus::done && run.measured.size() != measures.size()) db_.fail();
    runs.push_back(std::move(run));
  }
  return runs;
}

std::vector<StudyRun> StudyStore::runs(const StudyPlan& plan) {
  const auto there = stored(plan.measures);
  const auto key = [](const StudyRun& t) { return std::tie(t.game, t.variant, t.seed); };
  std::size_t next = there.empty() ? 0 : there.back().index + 1;
  db_.run("BEGIN");
  for (const std::int64_t seed : plan.seeds)
    for (const GameSpec& game : plan.games)
      for (const Variant& variant : plan.variants) {
        const StudyRun run{0, game.name, variant.name, seed};
        if (std::any_of(there.begin(), there.end(),
                        [&](const StudyRun& t) { return key(t) == key(run); }))
          continue;
        Statement s(db_, "INSERT INTO runs VALUES (?,?,?,?,?,0,'')");
        s.bind(static_cast<std::int64_t>(next++)).bind(run.game).bind(run.variant).bind(seed);
        s.bind(std::string(name_of(run.status))).run();
      }
  db_.run("COMMIT");
  return stored(plan.measures);
}

void StudyStore::keep(const StudyRun& run, const Measures& measures) {
  const auto index = static_cast<std::int64_t>(run.index);
  db_.run("BEGIN");
  for (std::size_t m = 0; m < run.measured.size(); ++m)
    Statement(db_, "INSERT OR REPLACE INTO measures VALUES (?,?,?)")
        .bind(index)
        .bind(measures[m])
        .bind(run.measured[m])
        .run();
  Statement(db_, "UPDATE runs SET status = ?, seconds = ?, error = ? WHERE run = ?")
      .bind(std::string(name_of(run.status)))
      .bind(run.seconds)
      .bind(run.error)
      .bind(index)
      .run();
  db_.run("COMMIT");
}

}  // namespace zithercraft::experiment_internal
