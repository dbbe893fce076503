#include "show/server/server.hpp"

#include <gtest/gtest.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cstring>
#include <fstream>
#include <random>
#include <thread>

#include "browser.hpp"
#include "support.hpp"
#include "wire.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

using test::eventually;
using test::handshake;
using test::http;
using test::Wire;

WebReply greet(const WebRequest& request) {
  if (request.path.empty()) return {200, "text/plain; charset=utf-8", "good day"};
  return {404, "text/plain; charset=utf-8", "nothing"};
}

std::size_t resident_bytes() {
  std::ifstream in("/proc/self/statm");
  std::size_t all = 0, resident = 0;
  in >> all >> resident;
  return resident * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
}

TEST(Server, AnswersThisMachineAlone) {
  const Server server({}, greet);
  const std::uint16_t port = server.port();
  EXPECT_EQ(server.url(), "http://127.0.0.1:" + std::to_string(port) + "/");
  EXPECT_EQ(http(port, "GET", "/").body, "good day");
  EXPECT_EQ(http(port, "HEAD", "/").status, 200);
  EXPECT_EQ(http(port, "GET", "/other").status, 404);
  EXPECT_EQ(http(port, "GET", "/%zz").status, 400);
  EXPECT_EQ(http(port, "DELETE", "/").status, 405);
  EXPECT_EQ(http(port, "POST", "/", "{}").status, 413);
  EXPECT_EQ(http(port, "GET", "/live", "", "Upgrade: websocket\r\n").status, 404);
  // A page elsewhere that has its own name point here, or that asks from where it is.
  EXPECT_EQ(http(port, "GET", "/", "", "Host: harbour.example\r\n").status, 421);
  EXPECT_EQ(http(port, "GET", "/", "", "Origin: http://harbour.example\r\n").status, 403);
  EXPECT_EQ(http(port, "GET", "/", "", "Origin: http://127.0.0.1:" + std::to_string(port) + "\r\n")
                .status,
            200);
  EXPECT_EQ(http(port, "GET", "/", "", "X-Long: " + std::string(10'000, 'x') + "\r\n").status, 431);
}

TEST(Server, OthersNeedTheToken) {
  const auto open = test::error_of([] { Server({.address = "0.0.0.0"}, greet); });
  EXPECT_EQ(open.kind(), ErrorKind::usage);
  EXPECT_NE(std::string(open.what()).find("token"), std::string::npos);
  const Server server({.address = "0.0.0.0", .token = "sesame"}, greet);
  EXPECT_EQ(http(server.port(), "GET", "/").status, 401);
  EXPECT_EQ(http(server.port(), "GET", "/?token=sesam").status, 401);
  EXPECT_EQ(http(server.port(), "GET", "/?token=sesame").status, 200);
  EXPECT_EQ(http(server.port(), "GET", "/?token=%73esame", "", "Host: boat.local:1\r\n").status,
            200);
  EXPECT_EQ(test::error_of([&] { Server({.port = server.port()}, greet); }).kind(), ErrorKind::file)
      << "the port is taken";
}

TEST(Server, TenThousandMalformedMessagesDoNoHarm) {
  std::atomic<int> said{0}, joined{0}, left{0};
  Server* self = nullptr;
  Server server({}, greet,
                {[&](std::uint64_t) { ++joined; },
                 [&](std::uint64_t client, const std::string& text) {
                   ++said;
                   if (text != "ahoy") self->drop(client, "not understood");
                 },
                 [&](std::uint64_t) { ++left; }});
  self = &server;
  const std::uint16_t port = server.port();
  const std::string request =
      "GET / HTTP/1.1\r\nHost: 127.0.0.1:" + std::to_string(port) + "\r\nAccept: */*\r\n\r\n";
  const std::string shake = handshake(port);
  // Masked text frames of four bytes, and what can be made of them.
  const std::string frame = std::string("\x81\x84\x01\x02\x03\x04", 6) + "`jlu";
  std::mt19937 random(7);
  const auto damaged = [&](std::string text) {
    const std::size_t changes = 1 + random() % 6;
    for (std::size_t i = 0; i < changes && !text.empty(); ++i) {
      const std::size_t at = random() % text.size();
      switch (random() % 4) {
        case 0: text[at] = static_cast<char>(random()); break;
        case 1: text.erase(at, 1 + random() % 8); break;
        case 2: text.insert(at, std::string(1 + random() % 40, static_cast<char>(random()))); break;
        default: text.resize(at); break;
      }
    }
    return text;
  };
  [[maybe_unused]] std::size_t before = 0;
  for (int i = 0; i < 10'000; ++i) {
    const Wire wire(port);
    if (i % 4 == 0) {
      wire.say(shake);
      wire.hear("\r\n\r\n");
      wire.say(damaged(frame + frame));
    } else {
      wire.say(damaged(i % 4 == 1 ? shake : request));
    }
    if (i % 1000 != 999) continue;
    EXPECT_EQ(http(port, "GET", "/").body, "good day") << "after " << i + 1;
    if (i == 1999) before = resident_bytes();
  }
  EXPECT_TRUE(eventually([&] { return joined == left; }))
      << joined << " came and " << left << " left";
  EXPECT_GE(joined, 2000);
  EXPECT_GT(said, 100);
#ifndef ZITHERCRAFT_SANITIZED  // sanitizers keep what was freed
  EXPECT_LT(resident_bytes(), before + (4u << 20));
#endif
  EXPECT_TRUE(eventually([&] { return server.connections() == 0; })) << server.connections();
}

TEST(Server, AHundredStalledClientsDoNotKeepOthersOut) {
  const Server server({}, greet);
  std::vector<Wire> stalled;
  for (int i = 0; i < 100; ++i) {
    stalled.emplace_back(server.port());
    stalled.back().say(i % 2 == 0 ? "GET / HT" : "");
  }
  for (int i = 0; i < 20; ++i) EXPECT_EQ(http(server.port(), "GET", "/").status, 200);
  EXPECT_LE(server.connections(), 65u);
  EXPECT_TRUE(eventually([&] { return server.connections() == 0; }))
      << "those who stall are dropped after a while";
}

TEST(Server, WhoDoesNotReadIsDropped) {
  std::atomic<std::uint64_t> client{0};
  std::atomic<bool> gone{false};
  Server server({}, greet,
                {[&](std::uint64_t c) { client = c; }, [](std::uint64_t, const std::string&) {},
                 [&](std::uint64_t) { gone = true; }});
  const Wire wire(server.port());
  wire.say(handshake(server.port()));
  EXPECT_NE(wire.hear("\r\n\r\n").find(" 101 "), std::string::npos);
  ASSERT_TRUE(eventually([&] { return client != 0; }));
  for (int i = 0; i < 200; ++i) server.send(client, std::string(1 << 20, 'x'));
  EXPECT_TRUE(eventually([&] { return gone.load(); }));
  EXPECT_EQ(http(server.port(), "GET", "/").status, 200);
}

}  // namespace
}  // namespace zithercraft
