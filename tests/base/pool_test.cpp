#include "zithercraft/base/pool.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <stdexcept>
#include <vector>

namespace zithercraft {
namespace {

TEST(WorkerPool, RunsEveryItemOnce) {
  for (const std::size_t threads : {1u, 2u, 5u}) {
    WorkerPool pool(threads);
    EXPECT_EQ(pool.threads(), threads);
    for (int round = 0; round < 200; ++round) {
      std::vector<int> done(37);
      std::atomic<bool> known_worker{true};
      pool.run(done.size(), [&](std::size_t item, std::size_t worker) {
        ++done[item];
        if (worker >= threads) known_worker = false;
      });
      EXPECT_EQ(done, std::vector<int>(37, 1));
      EXPECT_TRUE(known_worker);
    }
  }
}

TEST(WorkerPool, RethrowsTheFirstFailureAndGoesOnWorking) {
  WorkerPool pool(3);
  for (int round = 0; round < 50; ++round) {
    try {
      pool.run(20, [](std::size_t item, std::size_t) {
        if (item == 7 || item == 13) throw std::runtime_error("item " + std::to_string(item));
      });
      FAIL() << "nothing was thrown";
    } catch (const std::runtime_error& error) {
      EXPECT_STREQ(error.what(), "item 7");
    }
  }
  int sum = 0;
  WorkerPool(1).run(4, [&](std::size_t item, std::size_t) { sum += static_cast<int>(item); });
  EXPECT_EQ(sum, 6);
}

TEST(WorkerPool, NoItemsIsFine) {
  WorkerPool pool(2);
  pool.run(0, [](std::size_t, std::size_t) { FAIL(); });
}

}  // namespace
}  // namespace zithercraft
