#include "zithercraft/study/metrics.hpp"

#include <gtest/gtest.h>
#include <sqlite3.h>

#include <algorithm>

#include "support.hpp"

namespace zithercraft {
namespace {

MetricsRow row(std::int64_t decisions, std::int64_t episodes) {
  return {.decisions = decisions,
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
  const test::TemporaryFolder folder;
  MetricsRow full = row(100, 5);
  double value = 1;
  for (const MetricsColumn& column : metrics_columns()) column.of(full) = value += 0.5;
  Metrics metrics(folder / "metrics.db");
  EXPECT_FALSE(metrics.newest().has_value());
  metrics.add(full);
  MetricsRow back = metrics.newest().value();
  value = 1;
  for (const MetricsColumn& column : metrics_columns()) EXPECT_EQ(column.of(back), value += 0.5) << column.name;
}

TEST(Metrics, BecomeCommaSeparatedValues) {
  const std::string csv = metrics_csv({row(100, 5), row(200, 0)});
  const auto line = [&](int n) {
    std::size_t from = 0;
    for (int i = 0; i < n; ++i) from = csv.find('\n', from) + 1;
    return csv.substr(from, csv.find('\n', from) - from);
  };
  EXPECT_TRUE(line(0).starts_with("decisions,episodes,stage,seconds,decisions_per_second,mean_return,")) << csv;
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
  EXPECT_NE(text.find("# TYPE zithercraft_decisions counter\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_decisions_total{game=\"a \\\"quoted\\\" pond\"} 100\n"), std::string::npos) << text;
  EXPECT_NE(text.find("# TYPE zithercraft_entropy gauge\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_term{game=\"a \\\"quoted\\\" pond\",term=\"bump\"} -0.25\n"), std::string::npos);
  EXPECT_TRUE(text.ends_with("# EOF\n"));
  EXPECT_EQ(open_metrics(row(100, 0), {}).find("mean_return"), std::string::npos) << "no episode ended";
}

TEST(Metrics, OtherProgramsReadWhileTheyGrow) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db");
  metrics.add(row(100, 5));
  sqlite3* reader = nullptr;
  ASSERT_EQ(sqlite3_open_v2((folder / "metrics.db").c_str(), &reader, SQLITE_OPEN_READONLY, nullptr), SQLITE_OK);
  const auto count = [&] {
    sqlite3_stmt* query = nullptr;
    EXPECT_EQ(sqlite3_prepare_v2(reader, "SELECT count(*) FROM updates WHERE mean_return = 0.25", -1, &query, nullptr),
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
  EXPECT_EQ(test::error_of([&] { Metrics m(folder / "metrics.db"); }).fault(), Fault::file);
  EXPECT_EQ(test::error_of([&] { Metrics m(folder / "no/metrics.db"); }).fault(), Fault::file);
}

}  // namespace
}  // namespace zithercraft
