// Games in other processes: how many steps a second are played and learned, how long one step's
// round trip takes beside that of plain TCP, and how soon a served policy answers. The program
// starts itself as the games:
//
//     bench_remote_games play ADDRESS COPIES PICTURES

#include <benchmark/benchmark.h>
#include <unistd.h>

#include <algorithm>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read.hpp>
#include <boost/asio/write.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/websocket.hpp>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <thread>

#include "clients/cpp/zithercraft_client.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/remote/policy_server.hpp"
#include "zithercraft/remote/remote_game.hpp"

namespace zc = zithercraft;
namespace kit = zithercraft_client;
using Clock = std::chrono::steady_clock;

namespace {

constexpr std::size_t columns = 32, side = 84;

// A boat drifts on a line and is pushed to its middle; 32 columns say where it is, or a picture.
class Drift : public kit::Game {
 public:
  void begin(std::uint64_t seed, const std::map<std::string, double>&) override {
    state_ = seed;
    place_ = 2.0f * chance() - 1.0f;
    speed_ = 0.0f;
  }
  void step(kit::Step& step) override {
    speed_ = 0.9f * speed_ + 0.1f * step.control(0);
    place_ += 0.3f * speed_ + 0.02f * (chance() - 0.5f);
    step.pay(0, -std::fabs(place_));
    if (std::fabs(place_) > 2.0f) step.fail();
    if (step.number == 100) std::fabs(place_) < 0.2f ? step.succeed() : step.fail();
  }
  void observe(std::size_t, std::size_t, float* out) const override {
    out[0] = place_;
    out[1] = speed_;
    for (std::size_t i = 2; i < columns; ++i) out[i] = std::sin(place_ * static_cast<float>(i));
  }
  void picture(std::size_t, std::size_t, std::uint8_t* pixels) const override {
    const int middle = static_cast<int>(static_cast<float>(side) * (place_ + 2.0f) / 4.0f);
    for (std::size_t i = 0; i < side * side; ++i)
      pixels[i] = std::abs(static_cast<int>(i % side) - middle) < 4 ? 255 : 30;
  }

 private:
  float chance() {
    std::uint64_t z = state_ += 0x9e3779b97f4a7c15u;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
    return static_cast<float>((z ^ (z >> 31)) >> 40) / 16777216.0f;
  }
  std::uint64_t state_ = 0;
  float place_ = 0.0f, speed_ = 0.0f;
};

int play(const char* address, const char* copies, const char* pictures) try {
  std::string names, picture;
  for (std::size_t i = 0; i < columns; ++i)
    names += (i == 0 ? "" : ",") + std::string(R"({"name":"c)") + std::to_string(i) +
             R"(","low":-2,"high":2})";
  const bool shows = *pictures == '1';
  if (shows) picture = R"(,{"kind":"picture","name":"screen","width":84,"height":84,"reduce":2})";
  kit::Declaration d;
  d.name = "drift";
  d.json = R"({"name":"drift","cutoffs":{"steps":200},"roles":[{"name":"boat","senses":[{
    "kind":"custom","name":"s","columns":[)" +
           names + "]}" + picture + R"(],"controls":[{"kind":"dial","name":"push"}],
    "rewards":[{"name":"near","weight":0.1}]}]})";
  d.roles = {{1, columns, {0}, 1, shows ? side * side : 0}};
  d.copies = static_cast<std::size_t>(std::atoi(copies));
  kit::play(address, d, [] { return std::make_unique<Drift>(); });
  return 0;
} catch (const std::exception&) {
  return 1;
}

zc::GameSpec games(std::size_t processes, std::size_t copies, bool pictures) {
  zc::RemoteOptions options;
  options.launch = std::filesystem::read_symlink("/proc/self/exe").string() + " play {address} " +
                   std::to_string(copies) + (pictures ? " 1" : " 0");
  options.instances = processes;
  return zc::remote_game(std::make_shared<zc::RemoteHost>(options));
}

// Steps that are played and learned from, by a usual network.
void learn(benchmark::State& state, bool pictures) {
  const auto processes = static_cast<std::size_t>(state.range(0)),
             copies = static_cast<std::size_t>(state.range(1));
  const zc::Game game(games(processes, copies, pictures));
  zc::WorkerPool pool(std::max<std::size_t>(2, processes * copies / 32));
  zc::Ppo learner(game, {}, 1, 2'000'000, pool);
  learner.collect();
  learner.improve();
  const std::int64_t before = learner.steps();
  for (auto _ : state) {
    learner.collect();
    learner.improve();
  }
  state.SetItemsProcessed(learner.steps() - before);
}
void BM_Learn(benchmark::State& state) { learn(state, false); }
void BM_LearnFromPictures(benchmark::State& state) { learn(state, true); }
BENCHMARK(BM_Learn)->Args({4, 64})->Args({40, 1})->UseRealTime()->Unit(benchmark::kMillisecond);
BENCHMARK(BM_LearnFromPictures)->Args({8, 8})->UseRealTime()->Unit(benchmark::kMillisecond);

// The same pictures, played and not learned from.
void BM_PlayPictures(benchmark::State& state) {
  const zc::Game game(games(8, 8, true));
  const auto environment = zc::make_environment(game, 64, 4);
  const auto player = zc::random_player(1);
  zc::WorkerPool pool(4);
  environment->begin_all(pool, 1);
  for (auto _ : state) {
    player->decide(*environment, 0, 0, 64);
    environment->step_all(pool);
    environment->renew_all(pool);
  }
  state.SetItemsProcessed(64 * static_cast<std::int64_t>(state.iterations()));
}
BENCHMARK(BM_PlayPictures)->UseRealTime()->Unit(benchmark::kMillisecond);

// Medians and 99th percentiles, in microseconds.
class Times {
 public:
  void add(Clock::time_point since) {
    times_.push_back(std::chrono::duration<double, std::micro>(Clock::now() - since).count());
  }
  void tell(benchmark::State& state) {
    std::sort(times_.begin(), times_.end());
    state.counters["median_us"] = times_[times_.size() / 2];
    state.counters["p99_us"] = times_[times_.size() * 99 / 100];
  }

 private:
  std::vector<double> times_;
};

void BM_RoundTrip(benchmark::State& state) {
  const zc::Game game(games(1, 1, false));
  const auto environment = zc::make_environment(game, 1);
  std::uint32_t episode = 0;
  environment->begin(0, {1, 0, episode});
  Times times;
  for (auto _ : state) {
    environment->control(0, 0)[0] = -environment->observation(0, 0)[0];
    const auto since = Clock::now();
    environment->step(0);
    times.add(since);
    if (environment->outcome(0) != zc::Outcome::running) environment->begin(0, {1, 0, ++episode});
  }
  times.tell(state);
}
BENCHMARK(BM_RoundTrip)->UseRealTime();

// 200 bytes there and back by plain TCP, between two processes.
void BM_PlainTcp(benchmark::State& state) {
  using boost::asio::ip::tcp;
  boost::asio::io_context context;
  tcp::acceptor acceptor(context, {boost::asio::ip::make_address("127.0.0.1"), 0});
  const auto port = acceptor.local_endpoint().port();
  std::array<char, 200> bytes{};
  if (::fork() == 0) {
    boost::asio::io_context own;
    tcp::socket echo(own);
    boost::system::error_code code;
    echo.connect({boost::asio::ip::make_address("127.0.0.1"), port}, code);
    echo.set_option(tcp::no_delay(true), code);
    while (!code) {
      boost::asio::read(echo, boost::asio::buffer(bytes), code);
      if (!code) boost::asio::write(echo, boost::asio::buffer(bytes), code);
    }
    ::_exit(0);
  }
  tcp::socket socket = acceptor.accept();
  socket.set_option(tcp::no_delay(true));
  Times times;
  for (auto _ : state) {
    const auto since = Clock::now();
    boost::asio::write(socket, boost::asio::buffer(bytes));
    boost::asio::read(socket, boost::asio::buffer(bytes));
    times.add(since);
  }
  times.tell(state);
}
BENCHMARK(BM_PlainTcp)->UseRealTime();

// So many games ask a served policy, a seat each.
void BM_ServePolicy(benchmark::State& state) {
  namespace beast = boost::beast;
  zc::TensorFile file;
  {
    const zc::Game game(games(1, 16, false));
    zc::WorkerPool pool(2);
    zc::Ppo learner(game, {}, 1, 100'000, pool);
    learner.collect();
    learner.improve();
    learner.store(file);
  }
  zc::PolicyServer server({zc::Policy::from(file)});
  const std::string address = server.address();
  const auto port = static_cast<std::uint16_t>(std::stoi(address.substr(address.rfind(':') + 1)));
  kit::inner::Writer ask, decide;
  ask.head(5, 3);
  ask.member("message", "ask"), ask.member("protocol", 1u), ask.member("form", "binary");
  decide.head(5, 3);
  decide.member("message", "decide"), decide.member("seats", 70, std::vector<std::uint32_t>{0});
  decide.member("observations", 85, std::vector<float>(columns, 0.25f));
  boost::asio::io_context context;
  using Stream = beast::websocket::stream<boost::asio::ip::tcp::socket>;
  std::vector<std::unique_ptr<Stream>> clients;
  beast::flat_buffer answer;
  for (std::int64_t i = 0; i < state.range(0); ++i) {
    auto& client = *clients.emplace_back(std::make_unique<Stream>(context));
    client.next_layer().connect({boost::asio::ip::make_address("127.0.0.1"), port});
    client.next_layer().set_option(boost::asio::ip::tcp::no_delay(true));
    client.handshake("127.0.0.1:" + std::to_string(port), "/");
    client.binary(true);
    client.write(boost::asio::buffer(ask.bytes));
    client.read(answer);
  }
  Times times;
  std::vector<Clock::time_point> since(clients.size());
  for (auto _ : state) {
    for (std::size_t i = 0; i < clients.size(); ++i) {
      since[i] = Clock::now();
      clients[i]->write(boost::asio::buffer(decide.bytes));
    }
    for (std::size_t i = 0; i < clients.size(); ++i) {
      answer.clear();
      clients[i]->read(answer);
      times.add(since[i]);
    }
  }
  times.tell(state);
  state.SetItemsProcessed(state.range(0) * static_cast<std::int64_t>(state.iterations()));
}
BENCHMARK(BM_ServePolicy)->Arg(1)->Arg(16)->Arg(64)->UseRealTime();

}  // namespace

int main(int argc, char** argv) {
  if (argc == 5 && std::string(argv[1]) == "play") return play(argv[2], argv[3], argv[4]);
  benchmark::Initialize(&argc, argv);
  if (benchmark::ReportUnrecognizedArguments(argc, argv)) return 1;
  benchmark::RunSpecifiedBenchmarks();
  return 0;
}
