// Games that ask a served policy what to do, over real connections.

#include <gtest/gtest.h>

#include <boost/asio/ip/tcp.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/websocket.hpp>
#include <nlohmann/json.hpp>

#include "remote_games.hpp"
#include "support.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/remote/policy_server.hpp"

namespace zithercraft {
namespace {

using nlohmann::json;

class Asker {
 public:
  explicit Asker(const std::string& address, const std::string& target = "/") {
    const std::size_t colon = address.rfind(':');
    const std::string port = address.substr(colon + 1, address.find('/', colon) - colon - 1);
    socket_.next_layer().connect(
        {boost::asio::ip::make_address("127.0.0.1"), static_cast<std::uint16_t>(std::stoi(port))});
    socket_.handshake("127.0.0.1:" + port, target);
  }
  json ask(const json& message) {
    say(message.dump());
    return hear();
  }
  void say(const std::string& text) { socket_.write(boost::asio::buffer(text)); }
  json hear() {
    boost::beast::flat_buffer answer;
    socket_.read(answer);
    return json::parse(boost::beast::buffers_to_string(answer.data()));
  }

 private:
  boost::asio::io_context context_;
  boost::beast::websocket::stream<boost::asio::ip::tcp::socket> socket_{context_};
};

// A policy with a memory, of the game of two hands.
TensorFile trained() {
  const Game game(test::own_float());
  WorkerPool pool(1);
  Ppo learner(game, {.policy_layers = {8}, .memory = 4, .lanes = 4, .horizon = 32}, 1, 1000, pool);
  learner.collect();
  learner.improve();
  TensorFile file;
  learner.store(file);
  return file;
}

TEST(PolicyServer, DecidesWhatThePolicyDecidesAndRemembersEachSeat) {
  const TensorFile file = trained();
  Policy policy = Policy::from(file);
  PolicyServer server({Policy::from(file)});
  Asker first(server.address()), second(server.address());
  const json hello{{"message", "ask"}, {"protocol", 1}, {"role", "hand"}};
  const json welcome = first.ask(hello);
  EXPECT_EQ(welcome["message"], "welcome");
  EXPECT_EQ(welcome["role"], "hand");
  ASSERT_EQ(welcome["columns"].size(), policy.columns());
  EXPECT_EQ(welcome["columns"][0], policy.signature().columns[0].name);
  EXPECT_EQ(welcome["controls"][0]["low"], -1.0);
  EXPECT_EQ(welcome["controls"][1]["options"], json({"off", "on"}));
  EXPECT_EQ(second.ask(hello)["message"], "welcome");

  std::vector<float> memory(3 * policy.memory()), controls(2 * policy.controls());
  std::vector<float> rows(2 * policy.columns());
  const auto asked = [&](Asker& asker, std::vector<int> seats, bool begins) {
    json message{{"message", "decide"}, {"seats", seats}, {"observations", rows}};
    if (begins) message["begins"] = std::vector<int>(seats.size(), 1);
    const json answer = asker.ask(message);
    EXPECT_EQ(answer["message"], "decided") << answer;
    EXPECT_EQ(answer["seats"], json(seats));
    return answer["controls"].get<std::vector<float>>();
  };
  for (int step = 0; step < 5; ++step) {
    for (std::size_t i = 0; i < rows.size(); ++i)
      rows[i] = 0.1f * static_cast<float>((static_cast<int>(i) * 7 + step * 3) % 11);
    policy.decide(rows, controls, std::span(memory).first(2 * policy.memory()));
    EXPECT_EQ(asked(first, {0, 65535}, step == 0), controls);
    // Another game's seats of the same numbers are others.
    if (step == 4) {
      std::fill(memory.begin(), memory.end(), 0.0f);
      policy.decide(rows, controls, std::span(memory).first(2 * policy.memory()));
      EXPECT_EQ(asked(second, {0, 65535}, false), controls);
    }
  }
  std::fill(memory.begin(), memory.end(), 0.0f);
  policy.decide(rows, controls, std::span(memory).first(2 * policy.memory()));
  EXPECT_EQ(asked(first, {0, 65535}, true), controls) << "a new episode remembers nothing";
  EXPECT_EQ(server.report().clients, 2u);
  EXPECT_EQ(server.report().decisions, 14);
}

TEST(PolicyServer, ManyAskAtOnceAndEachIsAnsweredInOrder) {
  const TensorFile file = trained();
  Policy policy = Policy::from(file);
  PolicyServer server({Policy::from(file)});
  std::vector<std::unique_ptr<Asker>> askers;
  for (int i = 0; i < 40; ++i) {
    askers.push_back(std::make_unique<Asker>(server.address()));
    askers.back()->ask({{"message", "ask"}, {"protocol", 1}});
  }
  const auto row = [&](std::size_t i) {
    return std::vector<float>(policy.columns(), 0.02f * static_cast<float>(i));
  };
  for (std::size_t round = 0; round < 2; ++round)
    for (std::size_t i = 0; i < askers.size(); ++i)
      askers[i]->say(
          json{{"message", "decide"}, {"seats", {round}}, {"observations", row(i + round)}}.dump());
  for (std::size_t i = 0; i < askers.size(); ++i)
    for (std::size_t round = 0; round < 2; ++round) {
      const json answer = askers[i]->hear();
      std::vector<float> controls(policy.controls()), memory(policy.memory());
      policy.decide(row(i + round), controls, memory);
      EXPECT_EQ(answer["controls"].get<std::vector<float>>(), controls);
      EXPECT_EQ(answer["seats"], json({round}));
    }
}

TEST(PolicyServer, WhatIsWrongIsSaid) {
  const TensorFile file = trained();
  PolicyServer server({Policy::from(file)});
  const std::size_t columns = Policy::from(file).columns();
  const json hello{{"message", "ask"}, {"protocol", 1}};
  const std::vector<float> row(columns);
  const struct {
    json first, then;
    const char* why;
  } cases[] = {
      {{{"message", "asks"}, {"protocol", 1}}, {}, "message: the first message must be 'ask'"},
      {{{"message", "ask"}, {"protocol", 2}}, {}, "protocol: this program speaks version 1"},
      {{{"message", "ask"}, {"protocol", 1}, {"role", "foot"}},
       {},
       "no policy plays the role 'foot'"},
      {{{"message", "ask"}, {"protocol", 1}, {"rol", "foot"}}, {}, "there is no key 'rol'"},
      {hello, {{"message", "step"}}, "message: a game that asks says 'decide'"},
      {hello, {{"message", "decide"}, {"seats", {0}}}, "observations: this is missing"},
      {hello,
       {{"message", "decide"}, {"seats", {0, 1}}, {"observations", row}},
       "observations: there are"},
      {hello,
       {{"message", "decide"}, {"seats", {70000}}, {"observations", row}},
       "seats: this must be a whole number from 0 to 65535"},
      {hello,
       {{"message", "decide"}, {"seats", {1, 1}}, {"observations", row}},
       "seats: a seat is named twice"},
      {hello,
       {{"message", "decide"}, {"seats", json::array()}, {"observations", row}},
       "seats: there must be one at least"},
  };
  for (const auto& c : cases) {
    Asker asker(server.address());
    json answer = asker.ask(c.first);
    if (!c.then.is_null()) {
      EXPECT_EQ(answer["message"], "welcome");
      answer = asker.ask(c.then);
    }
    EXPECT_EQ(answer["message"], "refused");
    EXPECT_NE(answer["why"].get<std::string>().find(c.why), std::string::npos) << answer;
    EXPECT_THROW(asker.hear(), boost::system::system_error) << "the connection is closed";
  }
  Asker fine(server.address());
  EXPECT_EQ(fine.ask(hello)["message"], "welcome");
}

TEST(PolicyServer, RefusesWhatCannotBeServed) {
  const TensorFile file = trained();
  const auto fails = [&](std::vector<Policy> policies, PolicyServerOptions options,
                         const char* problem) {
    const Error error =
        test::error_of([&] { const PolicyServer server(std::move(policies), options); });
    EXPECT_NE(std::string(error.what()).find(problem), std::string::npos) << error.what();
  };
  fails({}, {}, "there is no policy to serve");
  fails({Policy::from(file), Policy::from(file)}, {}, "two policies play the role 'hand'");
  fails({Policy::from(file)}, {.address = "0.0.0.0"}, "anybody that reaches this machine");
  PolicyServer server({Policy::from(file)}, {.token = "pilchard"});
  EXPECT_THROW(Asker(server.address()), boost::system::system_error);
  EXPECT_THROW(Asker(server.address(), "/?token=pilcharD"), boost::system::system_error);
  Asker fine(server.address(), "/?token=pilchard");
  EXPECT_EQ(fine.ask({{"message", "ask"}, {"protocol", 1}})["message"], "welcome");
}

}  // namespace
}  // namespace zithercraft
