// The messages between games and trainings: those of the document, and those that are wrong.

#include <gtest/gtest.h>

#include <array>
#include <boost/asio/ip/tcp.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/websocket.hpp>
#include <fstream>
#include <random>
#include <sstream>

#include "remote/message.hpp"
#include "remote_games.hpp"
#include "support.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/remote/remote_game.hpp"

namespace zithercraft::remote_internal {
namespace {

using Bytes = std::vector<std::uint8_t>;

// The messages of the document's conversation: in the indented lines, groups of hexadecimal digits
// up to the first word that is none.
std::vector<Bytes> documented() {
  std::istringstream lines(read_text(test::project_folder() / "docs/formats/remote.md"));
  std::vector<Bytes> messages;
  bool there = false, inside = false;
  for (std::string line; std::getline(lines, line);) {
    there = there || line.find("byte by byte") != std::string::npos;
    if (!there) continue;
    if (!line.starts_with("    ")) {
      inside = false;
      continue;
    }
    if (!std::exchange(inside, true)) messages.emplace_back();
    std::istringstream words(line);
    for (std::string word; words >> word;) {
      if (word.size() % 2 != 0 || word.find_first_not_of("0123456789ABCDEF") != std::string::npos)
        break;
      for (std::size_t i = 0; i < word.size(); i += 2)
        messages.back().push_back(
            static_cast<std::uint8_t>(std::stoi(word.substr(i, 2), nullptr, 16)));
    }
  }
  return messages;
}

std::string text_of(const Bytes& bytes) { return {bytes.begin(), bytes.end()}; }
Bytes bytes_of(const std::string& text) { return {text.begin(), text.end()}; }

// Takes the states of so many copies.
struct Receiver : StateReceiver {
  explicit Receiver(const GameShape& shape, bool stepped = true) : copies(2) {
    for (CopyPart& copy : copies) {
      copy.roles.resize(shape.roles.size());
      copy.stepped = stepped;
    }
  }
  CopyPart* of_copy(std::size_t copy) override {
    return copy < copies.size() ? &copies[copy] : nullptr;
  }
  std::vector<CopyPart> copies;
};

TEST(RemoteProtocol, TheConversationOfTheDocumentIsHeld) {
  const auto messages = documented();
  ASSERT_EQ(messages.size(), 6u);
  const Hello hello = read_message(messages[0], Form::binary, {}, nullptr).hello;
  EXPECT_EQ(hello.name, "buoy");
  EXPECT_EQ(hello.copies, 2u);
  EXPECT_EQ(hello.form, Form::binary);

  GameSpec spec{.name = "buoy"};
  spec.custom.emplace().host = [] { return std::shared_ptr<CustomHost>(); };
  spec.roles = {{.name = "keeper",
                 .senses = {CustomSense{.name = "float", .columns = {{.name = "x", .low = -1}}}},
                 .controls = {Dial{.name = "pull"}},
                 .rewards = {{.name = "near", .weight = 1.0}}}};
  const GameShape shape = GameShape::of(Game(spec));
  EXPECT_EQ(welcome_message(Form::binary), text_of(messages[1]));
  const BeginCopy begin{1, 12345678};
  EXPECT_EQ(begin_message(Form::binary, {&begin, 1}, {}), text_of(messages[2]));
  Receiver states(shape, false);
  read_message(messages[3], Form::binary, shape, &states);
  EXPECT_TRUE(states.copies[1].answered);
  EXPECT_FALSE(states.copies[0].answered);
  EXPECT_EQ(states.copies[1].roles[0].observations, std::vector<float>{0.5f});
  const float pull = -1.0f;
  const CustomStep::Part part{.seats = 1, .controls_each = 1, .controls = {&pull, 1}};
  const StepCopy step{1, {&part, 1}};
  EXPECT_EQ(step_message(Form::binary, {&step, 1}, shape), text_of(messages[4]));
  states.copies[1].stepped = true;
  read_message(messages[5], Form::binary, shape, &states);
  EXPECT_EQ(states.copies[1].outcome, Outcome::success);
  EXPECT_EQ(states.copies[1].roles[0].rewards, std::vector<float>{1.0f});
}

TEST(RemoteProtocol, TheDocumentsGameJoins) {
  const auto messages = documented();
  RemoteHost host{RemoteOptions{}};
  boost::asio::io_context context;
  boost::beast::websocket::stream<boost::asio::ip::tcp::socket> game(context);
  const std::string address = host.address(), port = address.substr(address.rfind(':') + 1);
  game.next_layer().connect(
      {boost::asio::ip::make_address("127.0.0.1"), static_cast<std::uint16_t>(std::stoi(port))});
  game.handshake("127.0.0.1:" + std::to_string(std::stoi(port)), "/");
  game.binary(true);
  game.write(boost::asio::buffer(messages[0]));
  boost::beast::flat_buffer answer;
  game.read(answer);
  EXPECT_EQ(boost::beast::buffers_to_string(answer.data()), text_of(messages[1]));
  const GameSpec spec = host.wait();
  EXPECT_EQ(spec.roles[0].name, "keeper");
  EXPECT_EQ(spec.roles[0].rewards[0].weight, 1.0);
  EXPECT_EQ(host.copies(), 2u);
}

TEST(RemoteProtocol, WhoAnswersForACopyThatNobodyAskedForIsDropped) {
  const auto messages = documented();
  std::string dropped;
  RemoteOptions options;
  options.on_note = [&](const std::string& note) { dropped = note; };
  const auto host = std::make_shared<RemoteHost>(options);
  boost::asio::io_context context;
  boost::beast::websocket::stream<boost::asio::ip::tcp::socket> game(context);
  const std::string address = host->address(), port = address.substr(address.rfind(':') + 1);
  game.next_layer().connect(
      {boost::asio::ip::make_address("127.0.0.1"), static_cast<std::uint16_t>(std::stoi(port))});
  game.handshake("127.0.0.1:" + std::to_string(std::stoi(port)), "/");
  game.binary(true);
  game.write(boost::asio::buffer(messages[0]));
  const Game played(remote_game(host));
  const auto environment = make_environment(played, 1);
  // The document's state is of copy 1, and copy 0 is the one that is asked to begin.
  game.write(boost::asio::buffer(messages[3]));
  environment->begin(0, {1, 0, 0});
  EXPECT_TRUE(environment->idle(0));
  EXPECT_NE(dropped.find("copies: nobody asked for copy 1"), std::string::npos) << dropped;
  EXPECT_TRUE(host->report().games.empty());
}

GameShape float_shape() {
  GameSpec spec = test::float_spec();
  spec.custom->host = [] { return std::shared_ptr<CustomHost>(); };
  return GameShape::of(Game(spec));
}

constexpr const char* good_state =
    R"({"message": "state", "copies": [0, 1], "outcomes": [0, 3], "roles": [{
      "observations": [0, 1, 2, 3, 4, 5, 6, 7],
      "pictures": "AAECAwQFBgcICQoLDA0ODwABAgMEBQYHCAkKCwwNDg8AAQIDBAUGBwgJCgsMDQ4PAAECAwQFBgcICQoLDA0ODw==",
      "rewards": [1, 0, 1, 0, 0.5, 0, 0, 0],
      "allowed": [1, 1, 1, 0, 1, 1, 1, 0],
      "present": [1, true, 1, false],
      "expert": [0, 1, 0, 1, 0, 1, 0, 1],
      "places": [0, 0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3]}],
    "events": [{"copy": 1, "event": 0, "seat": 1, "other_role": 0, "strength": 2.5}]})";

TEST(RemoteProtocol, StatesInJsonSayTheSameAsInCbor) {
  const GameShape shape = float_shape();
  Receiver states(shape);
  read_message(bytes_of(good_state), Form::text, shape, &states);
  const CopyPart& second = states.copies[1];
  EXPECT_EQ(second.outcome, Outcome::cutoff);
  EXPECT_EQ(second.roles[0].observations, (std::vector<float>{4, 5, 6, 7}));
  EXPECT_EQ(second.roles[0].rewards, (std::vector<float>{0.5f, 0, 0, 0}));
  EXPECT_EQ(second.roles[0].allowed, (std::vector<std::uint8_t>{1, 1, 1, 0}));
  EXPECT_EQ(second.roles[0].present, (std::vector<std::uint8_t>{1, 0}));
  EXPECT_EQ(second.roles[0].places, (std::vector<float>{2, 2, 2, 3, 3, 3}));
  ASSERT_EQ(second.roles[0].pictures.size(), 32u);
  EXPECT_EQ(second.roles[0].pictures[17], 1);
  ASSERT_EQ(second.events.size(), 1u);
  EXPECT_EQ(second.events[0].seat, 1u);
  EXPECT_EQ(second.events[0].other_seat, 0u);
  EXPECT_EQ(second.events[0].strength, 2.5f);
  EXPECT_TRUE(states.copies[0].events.empty());
}

TEST(RemoteProtocol, WhatIsWrongWithAStateIsSaid) {
  const struct {
    const char *from, *to, *why;
  } cases[] = {
      {"\"state\"", "\"stat\"", "a game does not send 'stat' here"},
      {"\"message\"", "\"mesage\"", "message: this must be a text"},
      {"[0, 1],", "[0, 0],", "copies: a copy is named twice"},
      {"[0, 1],", "[0, 2],", "copies: nobody asked for copy 2"},
      {"[0, 1],", "[0, -1],", "copies: this must be a whole number"},
      {"[0, 1],", "7,", "copies: this must be a list"},
      {"\"outcomes\": [0, 3],", "", "outcomes: after a step this is missing"},
      {"[0, 3],", "[0, 4],", "outcomes: this must be a whole number from 0 to 3"},
      {"[0, 3],", "[0],", "outcomes: there are 1 numbers, and there must be 2"},
      {"5, 6, 7]", "5, 6]", "roles[0].observations: there are 7 numbers, and there must be 8"},
      {"5, 6, 7]", "5, 6, 1e39]", "roles[0].observations: a number is not finite"},
      {"5, 6, 7]", "5, 6, \"7\"]", "roles[0].observations[7]: this must be a number"},
      {"\"rewards\": [1, 0, 1, 0, 0.5, 0, 0, 0],", "", "roles[0].rewards: this is missing"},
      {"\"pictures\": \"AAEC", "\"pictures\": \"AAE", "roles[0].pictures: this is no BASE64"},
      {"\"pictures\": \"AAEC", "\"pictures\": \"", "there must be 64"},
      {"1, 1, 1, 0, 1, 1, 1, 0]", "1, 1, 1, 2, 1, 1, 1, 0]",
       "roles[0].allowed: this must be a whole number from 0 to 1"},
      {"[1, true, 1, false]", "[1, true, 1]", "roles[0].present: there are 3"},
      {"\"expert\"", "\"experts\"", "there is no key 'experts'"},
      {"\"event\": 0", "\"event\": 1", "events[0].event: this must be a whole number from 0 to 0"},
      {"\"seat\": 1", "\"seat\": 2", "events[0].seat: this must be a whole number from 0 to 1"},
      {"\"copy\": 1", "\"copy\": 5", "events[0].copy: the state is not of this copy"},
      {"2.5", "\"loud\"", "events[0].strength: this must be a number"},
      {"\"roles\": [{", "\"roles\": [{}, {", "roles: this must be a list of 1"},
      {"2.5}]}", "2.5}]", "this is no JSON"},
  };
  const GameShape shape = float_shape();
  for (const auto& c : cases) {
    std::string text = good_state;
    const auto at = text.find(c.from);
    ASSERT_NE(at, std::string::npos) << c.from;
    text.replace(at, std::string(c.from).size(), c.to);
    Receiver states(shape);
    try {
      read_message(bytes_of(text), Form::text, shape, &states);
      ADD_FAILURE() << c.to;
    } catch (const BadMessage& error) {
      EXPECT_NE(std::string(error.what()).find(c.why), std::string::npos) << error.what();
    }
  }
}

TEST(RemoteProtocol, NothingIsNestedDeeperThanCanBeRead) {
  for (const std::size_t deep : {31u, 100'000u})
    for (const Form form : {Form::text, Form::binary}) {
      Bytes message = form == Form::text ? Bytes(deep, '[') : Bytes(deep, 0x81);
      if (form == Form::text) message.insert(message.end(), deep, ']');
      if (form == Form::binary) message.push_back(0);
      try {
        read_message(message, form, {}, nullptr);
        ADD_FAILURE();
      } catch (const BadMessage& error) {
        EXPECT_EQ(std::string(error.what()),
                  deep < 100 ? "a message must be an object" : "values are nested too deep");
      }
    }
}

// The document's messages and good states with bytes that are flipped, lost and doubled.
Bytes mutated(Bytes bytes, std::mt19937& random) {
  const auto below = [&](std::size_t n) { return random() % n; };
  for (std::size_t i = below(4) + 1; i > 0 && !bytes.empty(); --i) {
    const std::size_t at = below(bytes.size());
    const auto place = bytes.begin() + static_cast<std::ptrdiff_t>(at);
    switch (below(5)) {
      case 0: bytes[at] = static_cast<std::uint8_t>(random()); break;
      case 1: bytes[at] = static_cast<std::uint8_t>(bytes[at] ^ 1u << below(8)); break;
      case 2: bytes.erase(place); break;
      case 3: bytes.insert(place, bytes[below(bytes.size())]); break;
      case 4: bytes.resize(at); break;
    }
  }
  return bytes;
}

TEST(RemoteProtocol, ThirtyThousandDamagedMessagesAreReadOrRefused) {
  const GameShape shape = float_shape();
  std::vector<std::pair<Bytes, Form>> seeds;
  for (const Bytes& message : documented()) seeds.emplace_back(message, Form::binary);
  seeds.emplace_back(bytes_of(good_state), Form::text);
  std::mt19937 random(11);
  std::size_t refused = 0;
  for (int i = 0; i < 30'000; ++i) {
    const auto& [seed, form] = seeds[static_cast<std::size_t>(i) % seeds.size()];
    Receiver states(shape);
    try {
      read_message(mutated(seed, random), form, shape, &states);
    } catch (const BadMessage&) {
      ++refused;
    }
  }
  EXPECT_GT(refused, 20'000u);
}

TEST(RemoteProtocol, DamagedConversationsDoNotDisturbTheOthers) {
  const auto messages = documented();
  auto host =
      std::make_unique<RemoteHost>(RemoteOptions{.answer_seconds = 1.0}, test::float_spec());
  const std::string address = host->address();
  const auto port = static_cast<std::uint16_t>(std::stoi(address.substr(address.rfind(':') + 1)));
  std::mt19937 random(5);
  for (int i = 0; i < 150; ++i) {
    boost::asio::io_context context;
    boost::asio::ip::tcp::socket raw(context);
    raw.connect({boost::asio::ip::make_address("127.0.0.1"), port});
    boost::system::error_code ignored;
    if (i % 3 == 0) {  // not even HTTP
      boost::asio::write(raw, boost::asio::buffer(mutated(messages[0], random)), ignored);
      continue;
    }
    boost::beast::websocket::stream<boost::asio::ip::tcp::socket> game(std::move(raw));
    game.handshake("127.0.0.1:" + std::to_string(port), "/", ignored);
    game.binary(i % 2 == 0);
    if (i % 3 == 1)
      game.write(boost::asio::buffer(mutated(messages[0], random)), ignored);
    else  // half a frame
      boost::asio::write(game.next_layer(), boost::asio::buffer("\x82\xfe\x10", 3), ignored);
  }
  test::FarGame fine(address, 2);
  EXPECT_EQ(host->wait().name, "float");
  ASSERT_EQ(host->report().games.size(), 1u);
  EXPECT_EQ(host->report().games.front().copies, 2u);
  host.reset();  // which ends the game
  EXPECT_EQ(fine.said(), "");
}

}  // namespace
}  // namespace zithercraft::remote_internal
