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
          .terms = {{"progress", 0.5}, {"bump", -0.25}},
          .learner = {{"entropy", 1.25}}};
}

const std::vector<MetricInfo>& infos() {
  static const std::vector<MetricInfo> list{
      {.name = "entropy", .unit = "nats", .about = "of the policy", .chart = "entropy"},
      {.name = "rating", .drawn = Drawn::standard_error},
      {.name = "size", .about = "of a species", .of_parts = true}};
  return list;
}

TEST(Metrics, ComeBackAsTheyWereAndForgetWhatCameAfter) {
  const test::TemporaryFolder folder;
  {
    Metrics metrics(folder / "metrics.db", infos());
    for (const std::int64_t d : {100, 200, 300}) metrics.add(row(d, d == 200 ? 0 : 5));
  }
  Metrics metrics(folder / "metrics.db");
  ASSERT_EQ(metrics.rows().size(), 3u);
  EXPECT_EQ(metrics.rows()[0].of_learner("entropy"), 1.25);
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
  for (const MetricsColumn& column : metrics_columns()) full.*column.value = value += 0.5;
  Metrics metrics(folder / "metrics.db", infos());
  EXPECT_FALSE(metrics.newest().has_value());
  metrics.add(full);
  const MetricsRow back = metrics.newest().value();
  value = 1;
  for (const MetricsColumn& column : metrics_columns())
    EXPECT_EQ(back.*column.value, value += 0.5) << column.info.name;
}

TEST(Metrics, OfAMethodAreKeptWithTheirDescription) {
  const test::TemporaryFolder folder;
  Metrics(folder / "metrics.db", infos()).add(row(100, 5));
  const Metrics metrics(folder / "metrics.db");
  ASSERT_EQ(metrics.infos().size(), 3u);
  EXPECT_EQ(metrics.infos()[0].unit, "nats");
  EXPECT_EQ(metrics.infos()[0].chart, "entropy");
  EXPECT_EQ(metrics.infos()[1].drawn, Drawn::standard_error);
  EXPECT_TRUE(metrics.infos()[2].of_parts);
  EXPECT_EQ(metrics.newest()->of_learner("entropy"), 1.25);
  EXPECT_FALSE(metrics.newest()->of_learner("rating").has_value()) << "the update had none";
}

TEST(Metrics, ThatWereNotDescribedAreRefused) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db", infos());
  MetricsRow strange = row(100, 5);
  strange.learner.push_back({"kl", 0.5});
  EXPECT_NE(std::string(test::error_of([&] { metrics.add(strange); }).what()).find("'kl'"),
            std::string::npos);
}

TEST(Metrics, KeepNumbersOfParts) {
  const test::TemporaryFolder folder;
  MetricsRow grown = row(100, 5);
  grown.learner.insert(grown.learner.end(), {{"size", 30, 4}, {"size", 12, 9}});
  Metrics metrics(folder / "metrics.db", infos());
  metrics.add(grown);
  const auto back = metrics.newest().value().learner;
  ASSERT_EQ(back.size(), 3u);
  EXPECT_EQ(back[1].part, 4);
  EXPECT_EQ(back[1].value, 30);
  EXPECT_EQ(back[2].part, 9);
  EXPECT_EQ(metrics_csv({grown}).find("size"), std::string::npos);
  metrics.forget_after(50);
  metrics.add(row(60, 1));
  EXPECT_EQ(metrics.newest().value().learner.size(), 1u);
}

// The row, with what a further role brought.
MetricsRow two_roles(std::int64_t steps, std::int64_t episodes) {
  MetricsRow both = row(steps, episodes);
  both.roles.push_back({.role = "blocker",
                        .episodes = episodes,
                        .mean_return = 7.5,
                        .success = 0.25,
                        .terms = {{"closing", 0.75}},
                        .learner = {{"entropy", 2.5}, {"size", 3, 1}}});
  return both;
}

TEST(Metrics, KeepWhatFurtherRolesBring) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db", infos());
  metrics.add(two_roles(100, 5));
  metrics.add(two_roles(200, 0));
  auto rows = metrics.rows();
  ASSERT_EQ(rows[0].roles.size(), 1u);
  EXPECT_EQ(rows[0].roles[0].role, "blocker");
  EXPECT_EQ(rows[0].roles[0].terms, two_roles(100, 5).roles[0].terms);
  EXPECT_EQ(rows[0].roles[0].mean_return, 7.5);
  EXPECT_EQ(rows[0].roles[0].success, 0.25);
  EXPECT_EQ(metric_in(rows[0].roles[0].learner, "entropy"), 2.5);
  EXPECT_EQ(rows[0].roles[0].learner.at(1).part, 1);
  EXPECT_EQ(rows[1].roles[0].mean_return, 0.0) << "no episode ended";
  EXPECT_TRUE(rows[1].roles[0].terms.empty()) << "no episode ended";
  metrics.forget_after(100);
  metrics.add(row(200, 5));
  EXPECT_TRUE(metrics.rows().back().roles.empty());

  const std::string csv = metrics_csv(rows), text = open_metrics(rows[0], infos(), {{"run", "x"}});
  EXPECT_NE(
      csv.find(",term.progress,term.bump,blocker.mean_return,blocker.success,blocker.entropy,"),
      std::string::npos)
      << csv;
  EXPECT_NE(csv.find(",blocker.term.closing\n"), std::string::npos) << csv;
  const auto end_of_first = csv.find('\n', csv.find('\n') + 1);
  EXPECT_EQ(std::count(csv.begin(), csv.begin() + static_cast<std::ptrdiff_t>(csv.find('\n')), ','),
            std::count(csv.begin() + static_cast<std::ptrdiff_t>(end_of_first), csv.end(), ','));
  EXPECT_NE(text.find("zithercraft_mean_return{run=\"x\",role=\"blocker\"} 7.5\n"),
            std::string::npos)
      << text;
  EXPECT_NE(text.find("zithercraft_entropy{run=\"x\",role=\"blocker\"} 2.5\n"), std::string::npos)
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
  Metrics metrics(folder / "metrics.db", infos());
  metrics.add(row(100, 5));
  ASSERT_EQ(metrics.rows().size(), 2u);
  EXPECT_EQ(metrics.rows()[0].of_learner("entropy"), 1.5);
  EXPECT_EQ(metrics.rows()[1].of_learner("entropy"), 1.25);
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
  const std::string text = open_metrics(row(100, 5), infos(), {{"game", "a \"quoted\" pond"}});
  EXPECT_NE(text.find("# TYPE zithercraft_steps counter\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_steps_total{game=\"a \\\"quoted\\\" pond\"} 100\n"),
            std::string::npos)
      << text;
  EXPECT_NE(text.find("# TYPE zithercraft_entropy gauge\n"), std::string::npos);
  EXPECT_NE(text.find("zithercraft_term{game=\"a \\\"quoted\\\" pond\",term=\"bump\"} -0.25\n"),
            std::string::npos);
  EXPECT_TRUE(text.ends_with("# EOF\n"));
  EXPECT_EQ(open_metrics(row(100, 0), infos(), {}).find("mean_return"), std::string::npos)
      << "no episode ended";
}

TEST(Metrics, OtherProgramsReadWhileTheyGrow) {
  const test::TemporaryFolder folder;
  Metrics metrics(folder / "metrics.db", infos());
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
