#include "zithercraft/run/metrics.hpp"

#include <gtest/gtest.h>
#include <sqlite3.h>

#include <algorithm>

#include "support.hpp"

namespace zithercraft {
namespace {

MetricsRow row(std::int64_t steps, std::int64_t episodes) {
  return {.steps = steps,
          .seconds = 1.5,
          .episodes = episodes,
          .mean_return = 0.25,
          .success = 0.5,
          .learner = {.entropy = 1.25},
          .terms = {{"progress", 0.5}, {"bump", -0.25}}};
}

TEST(Metrics, ComeBackAsTheyWereAndForgetWhatCameAfter) {
  const test::TemporaryFolder folder;
  {
    Metrics metrics(folder / "metrics.db");
    for (const std::int64_t d : {100, 200, 300}) metrics.add(row(d, d == 200 ? 0 : 5));
  }
  Metrics metrics(folder / "metrics.db");
  ASSERT_EQ(metrics.rows().size(), 3u);
  EXPECT_EQ(metrics.rows()[0].learner.entropy, 1.25);
  EXPECT_EQ(metrics.rows()[0].terms, row(100, 5).terms);
  EXPECT_EQ(metrics.rows()[1].terms.size(), 0u);  // no episode ended, so nothing is known of them
  metrics.forget_after(200);
  EXPECT_EQ(metrics.rows().size(), 2u);
  metrics.add(row(300, 1));
  EXPECT_EQ(metrics.rows().back().episodes, 1);
}

TEST(Metrics, KeepEveryColumn) {
  // What gradients bring and what generations bring is each kept where it is known.
  for (const std::int64_t generation : {0, 3}) {
    const test::TemporaryFolder folder;
    MetricsRow full = row(100, 5);
    full.evolution.generation = generation;
    double value = 1;
    for (const MetricsColumn& column : metrics_columns()) column.of(full) = value += 0.5;
    Metrics metrics(folder / "metrics.db");
    EXPECT_FALSE(metrics.newest().has_value());
    metrics.add(full);
    MetricsRow back = metrics.newest().value();
    value = 1;
    std::size_t known = 0;
    for (const MetricsColumn& column : metrics_columns()) {
      value += 0.5;
      EXPECT_EQ(column.of(back), knows(full, column.known) ? value : 0.0) << column.name;
      if (knows(full, column.known)) ++known;
    }
    EXPECT_LT(known, metrics_columns().size());
    EXPECT_GT(known, metrics_columns().size() / 2);
  }
}

TEST(Metrics, KeepSpecies) {
  const test::TemporaryFolder folder;
  MetricsRow grown = row(100, 5);
  grown.generation = 1;
  grown.species = 2;
  grown.evolution.generation = 1;
  grown.evolution.species = {{.number = 4, .size = 30, .age = 7, .without_gain = 2, .best = 1.5},
                             {.number = 9, .size = 12}};
  Metrics metrics(folder / "metrics.db");
  metrics.add(grown);
  const auto back = metrics.newest().value().evolution.species;
  ASSERT_EQ(back.size(), 2u);
  EXPECT_EQ(back[0].number, 4);
  EXPECT_EQ(back[0].size, 30u);
  EXPECT_EQ(back[0].age, 7);
  EXPECT_EQ(back[0].without_gain, 2);
  EXPECT_EQ(back[0].best, 1.5);
  metrics.forget_after(50);
  metrics.add(row(60, 1));
  EXPECT_TRUE(metrics.newest().value().evolution.species.empty());
}

// The row, with what a further role brought.
MetricsRow two_roles(std::int64_t steps, std::int64_t episodes) {
  MetricsRow both = row(steps, episodes);
  both.roles.push_back({.role = "blocker", .episodes = episodes});
  double value = 7;
  for (const RoleColumn& column : role_columns()) column.of(both.roles[0]) = value += 0.5;
  both.roles[0].terms = {{"closing", 0.75}};
  return both;
}

TEST(Metrics, KeepWhatFurtherRolesBring) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db");
  metrics.add(two_roles(100, 5));
  metrics.add(two_roles(200, 0));
  auto rows = metrics.rows();
  ASSERT_EQ(rows[0].roles.size(), 1u);
  EXPECT_EQ(rows[0].roles[0].role, "blocker");
  EXPECT_EQ(rows[0].roles[0].terms, two_roles(100, 5).roles[0].terms);
  double value = 7;
  for (const RoleColumn& column : role_columns()) {
    value += 0.5;
    EXPECT_EQ(column.of(rows[0].roles[0]), knows(rows[0].roles[0], column.known) ? value : 0.0)
        << column.name;
  }
  EXPECT_TRUE(rows[1].roles[0].terms.empty()) << "no episode ended";
  metrics.forget_after(100);
  metrics.add(row(200, 5));
  EXPECT_TRUE(metrics.rows().back().roles.empty());

  const std::string csv = metrics_csv(rows), text = open_metrics(rows[0], {{"run", "x"}});
  EXPECT_NE(csv.find(",term.progress,term.bump,blocker.mean_return,blocker.success,"),
            std::string::npos)
      << csv;
  EXPECT_NE(csv.find(",blocker.term.closing\n"), std::string::npos) << csv;
  const auto end_of_first = csv.find('\n', csv.find('\n') + 1);
  EXPECT_EQ(std::count(csv.begin(), csv.begin() + static_cast<std::ptrdiff_t>(csv.find('\n')), ','),
            std::count(csv.begin() + static_cast<std::ptrdiff_t>(end_of_first), csv.end(), ','));
  EXPECT_NE(text.find("zithercraft_mean_return{run=\"x\",role=\"blocker\"} 7.5\n"),
            std::string::npos)
      << text;
  EXPECT_NE(text.find("zithercraft_term{run=\"x\",role=\"blocker\",term=\"closing\"} 0.75\n"),
            std::string::npos)
      << text;
}

TEST(Metrics, OfAnEarlierVersionGoOn) {
  const test::TemporaryFolder folder;
  sqlite3* old = nullptr;
  ASSERT_EQ(sqlite3_open((folder / "metrics.db").c_str(), &old), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(
                old,
                "CREATE TABLE updates (steps INTEGER PRIMARY KEY, episodes INTEGER, stage INTEGER, "
                "entropy REAL, mean_return REAL); INSERT INTO updates VALUES (50, 2, 0, 1.5, 0.5)",
                nullptr, nullptr, nullptr),
            SQLITE_OK);
  sqlite3_close(old);
  Metrics metrics(folder / "metrics.db");
  metrics.add(row(100, 5));
  ASSERT_EQ(metrics.rows().size(), 2u);
  EXPECT_EQ(metrics.rows()[0].learner.entropy, 1.5);
  EXPECT_EQ(metrics.rows()[1].learner.entropy, 1.25);
}

TEST(Metrics, BecomeCommaSeparatedValues) {
  const std::string csv = metrics_csv({row(100, 5), row(200, 0)});
  const auto line = [&](int n) {
    std::size_t from = 0;
    for (int i = 0; i < n; ++i) from = csv.find('\n', from) + 1;
    return csv.substr(from, csv.find('\n', from) - from);
  };
  EXPECT_TRUE(line(0).starts_with("steps,episodes,stage,seconds,steps_per_second,mean_return,"))
      << csv;
  EXPECT_TRUE(line(0).ends_with(",term.progress,term.bump"));
  EXPECT_TRUE(line(1).starts_with("100,5,0,1.5,0,0.25,0,0.5,"));
  EXPECT_TRUE(line(1).ends_with(",0.5,-0.25"));
  EXPECT_TRUE(line(2).starts_with("200,0,0,1.5,0,,,,")) << "no episode ended";
  const auto commas = [&](int n) {
    const std::string text = line(n);
    return std::count(text.begin(), text.end(), ',');
  };
  EXPECT_EQ(commas(1), commas(0));
  EXPECT_EQ(commas(2), commas(0));
}

TEST(Metrics, AreReadByMonitoringPrograms) {
  const std::string text = open_metrics(row(100, 5), {{"game", "a \"quoted\" pond"}});
  EXPECT_NE(text.find("# TYPE zithercraft_steps counter\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_steps_total{game=\"a \\\"quoted\\\" pond\"} 100\n"),
            std::string::npos)
      << text;
  EXPECT_NE(text.find("# TYPE zithercraft_entropy gauge\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_term{game=\"a \\\"quoted\\\" pond\",term=\"bump\"} -0.25\n"),
            std::string::npos);
  EXPECT_TRUE(text.ends_with("# EOF\n"));
  EXPECT_EQ(open_metrics(row(100, 0), {}).find("mean_return"), std::string::npos)
      << "no episode ended";
}

TEST(Metrics, OtherProgramsReadWhileTheyGrow) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db");
  metrics.add(row(100, 5));
  sqlite3* reader = nullptr;
  ASSERT_EQ(
      sqlite3_open_v2((folder / "metrics.db").c_str(), &reader, SQLITE_OPEN_READONLY, nullptr),
      SQLITE_OK);
  const auto count = [&] {
    sqlite3_stmt* query = nullptr;
    EXPECT_EQ(sqlite3_prepare_v2(reader, "SELECT count(*) FROM updates WHERE mean_return = 0.25",
                                 -1, &query, nullptr),
              SQLITE_OK);
    EXPECT_EQ(sqlite3_step(query), SQLITE_ROW);
    const int n = sqlite3_column_int(query, 0);
    sqlite3_finalize(query);
    return n;
  };
  EXPECT_EQ(count(), 1);
  metrics.add(row(200, 5));
  EXPECT_EQ(count(), 2);
  sqlite3_close(reader);
}

TEST(Metrics, DamageAndBadPlacesAreErrors) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "metrics.db", std::string(5000, 'x'));
  EXPECT_EQ(test::error_of([&] { Metrics m(folder / "metrics.db"); }).kind(), ErrorKind::file);
  EXPECT_EQ(test::error_of([&] { Metrics m(folder / "no/metrics.db"); }).kind(), ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
