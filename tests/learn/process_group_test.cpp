// Processes that train together learn what one alone learns, to the last bit. Here threads stand
// for processes; the tool's tests start real ones.

#include <gtest/gtest.h>

#include <barrier>
#include <functional>
#include <thread>

#include "counting_new.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/process_group.hpp"
#include "zithercraft/game/load.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

struct Table {
  explicit Table(std::size_t count)
      : meet(static_cast<std::ptrdiff_t>(count)), told(count), numbers(count) {}
  std::barrier<> meet;
  std::vector<std::span<const std::byte>> told;
  std::vector<std::span<float>> numbers;
};

class ThreadProcess final : public ProcessGroup {
 public:
  ThreadProcess(Table& table, std::size_t number) : table_(table), number_(number) {}
  std::size_t count() const noexcept override { return table_.told.size(); }
  std::size_t number() const noexcept override { return number_; }
  std::size_t here() const noexcept override { return count(); }

  void add_up(std::span<float> numbers) override {
    table_.numbers[number_] = numbers;
    table_.meet.arrive_and_wait();
    std::vector<float> sum(numbers.size());
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] = sum_of(0, count(), i);
    table_.meet.arrive_and_wait();
    std::copy(sum.begin(), sum.end(), numbers.begin());
  }
  std::vector<std::byte> gather(std::span<const std::byte> own) override {
    table_.told[number_] = own;
    table_.meet.arrive_and_wait();
    std::vector<std::byte> all;
    for (const auto& part : table_.told) all.insert(all.end(), part.begin(), part.end());
    table_.meet.arrive_and_wait();
    return all;
  }
  // One training hands nothing out.
  std::vector<std::byte> ask(std::span<const std::byte>) override { std::abort(); }
  std::optional<Question> question() override { std::abort(); }
  void answer(std::size_t, std::span<const std::byte>) override { std::abort(); }

 private:
  float sum_of(std::size_t first, std::size_t processes, std::size_t i) const {
    if (processes == 1) return table_.numbers[first][i];
    return sum_of(first, processes / 2, i) + sum_of(first + processes / 2, processes / 2, i);
  }
  Table& table_;
  std::size_t number_;
};

struct Learned {
  std::string checkpoint;
  std::vector<double> returns;
  double kl = 0.0;
  bool operator==(const Learned&) const = default;
};

Learned learn(const GameSpec& game, const PolicyGradientSettings& settings, ProcessGroup* processes,
              const std::string& from = {}) {
  WorkerPool pool(1);
  Ppo learner(Game(game), settings, 5, 100'000, pool, processes);
  const test::TemporaryFolder folder;
  if (!from.empty()) {
    test::write_file(folder / "from", from);
    learner.restore(TensorFile::load(folder / "from"));
  }
  Learned result;
  for (int update = 0; update < 3; ++update) {
    for (const EpisodeResult& episode : learner.collect().episodes)
      result.returns.push_back(episode.episode_return);
    learner.improve();
    result.kl = learner.improvements()[0].kl;
  }
  TensorFile file;
  learner.store(file);
  file.save(folder / "checkpoint");
  result.checkpoint = test::read_file(folder / "checkpoint");
  return result;
}

std::vector<Learned> learn_together(std::size_t count, const GameSpec& game,
                                    const PolicyGradientSettings& settings,
                                    const std::string& from = {}) {
  Table table(count);
  std::vector<Learned> results(count);
  std::vector<std::thread> threads;
  for (std::size_t process = 0; process < count; ++process)
    threads.emplace_back([&, process] {
      ThreadProcess own(table, process);
      results[process] = learn(game, settings, &own, from);
    });
  for (auto& thread : threads) thread.join();
  return results;
}

const PolicyGradientSettings small{.policy_layers = {16},
                                   .value_layers = {16},
                                   .lanes = 128,
                                   .horizon = 24,
                                   .epochs = 2,
                                   .minibatch = 500};

TEST(ProcessGroup, LearnTogetherWhatOneLearnsAlone) {
  const auto with = [](auto change) {
    PolicyGradientSettings settings = small;
    change(settings);
    return settings;
  };
  const GameSpec lanterns = load_game(test::project_folder() / "demos/lanternboat.toml");
  GameSpec short_barge = load_game(test::project_folder() / "demos/barge.toml");
  short_barge.cutoffs.steps = 15;  // so that episodes end, and past policies are met
  const std::vector<std::tuple<const char*, GameSpec, PolicyGradientSettings>> cases{
      {"plain", test::mooring(), small},
      {"a memory", test::duck_pond(),
       with([](PolicyGradientSettings& s) { s.memory = 8, s.memory_span = 8; })},
      {"minibatches smaller than the lanes", test::duck_pond(),
       with([](PolicyGradientSettings& s) { s.minibatch = 64; })},
      {"early stops", test::duck_pond(),
       with([](PolicyGradientSettings& s) { s.kl_limit = 1e-4; })},
      {"other roles", lanterns, small},
      {"everyone's senses and actions", lanterns, with([](PolicyGradientSettings& s) {
         s.value_sees = Sight::everyone, s.counterfactual = true;
       })},
      {"opposed sides", short_barge, with([](PolicyGradientSettings& s) {
         s.lanes = 160, s.snapshot_every = 10'000, s.roster_size = 3;
       })},
  };
  for (const auto& [name, game, settings] : cases) {
    const Learned alone = learn(game, settings, nullptr);
    ASSERT_FALSE(alone.returns.empty()) << name;
    for (const std::size_t count : {2u, 4u})
      for (const Learned& together : learn_together(count, game, settings))
        EXPECT_TRUE(together == alone) << name << ", " << count << " processes";
  }
}

TEST(ProcessGroup, AnyNumberOfThemGoesOnFromWhatAnyOtherStored) {
  PolicyGradientSettings settings = small;
  settings.memory = 8;
  settings.memory_span = 8;
  const GameSpec game = test::mooring();
  const std::string stored = learn_together(4, game, settings)[3].checkpoint;
  const Learned alone = learn(game, settings, nullptr, stored);
  for (const Learned& together : learn_together(2, game, settings, stored))
    EXPECT_TRUE(together == alone);
}

TEST(ProcessGroup, LanesMustBeSharedOutEvenly) {
  PolicyGradientSettings settings = small;
  settings.lanes = 96;
  Table table(2);
  ThreadProcess process(table, 0);
  WorkerPool pool(1);
  const Error error =
      test::error_of([&] { Ppo(Game(test::duck_pond()), settings, 1, 1000, pool, &process); });
  EXPECT_NE(error.problem().find("3 groups of lanes"), std::string::npos) << error.what();
  EXPECT_NE(std::string(error.what()).find("2 times as many lanes"), std::string::npos)
      << error.what();
}

TEST(Learning, TakesNoMemoryAfterTheFirstUpdateButForEpisodesThatEnded) {
  PolicyGradientSettings remembers = small, sees_others = small;
  remembers.memory = 8, remembers.memory_span = 8;
  sees_others.value_sees = Sight::everyone, sees_others.counterfactual = true;
  const GameSpec lanterns = load_game(test::project_folder() / "demos/lanternboat.toml");
  const std::vector<std::tuple<const char*, GameSpec, PolicyGradientSettings>> cases{
      {"plain", test::mooring(), small},
      {"remembers", test::mooring(), remembers},
      {"sees others", lanterns, sees_others}};
  for (const auto& [name, game, settings] : cases) {
    WorkerPool pool(2);
    Ppo learner(Game(game), settings, 1, 1'000'000, pool);
    for (int update = 0; update < 3; ++update) {
      learner.collect();
      learner.improve();
    }
    for (int update = 0; update < 3; ++update) {
      std::size_t before = test::allocations();
      const CollectReport played = learner.collect();
      // A list of them, and reward of each term, kept twice.
      EXPECT_LE(test::allocations() - before, 4 * played.episodes.size() + 40) << name;
      before = test::allocations();
      learner.improve();
      EXPECT_EQ(test::allocations(), before) << name;
    }
  }
}

}  // namespace
}  // namespace zithercraft
