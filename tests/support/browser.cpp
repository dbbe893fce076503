#include "browser.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <boost/asio/connect.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/http.hpp>
#include <chrono>
#include <thread>

#include "support.hpp"

namespace zithercraft::test {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http_ = boost::beast::http;
using nlohmann::json;

std::uint16_t free_port() {
  asio::io_context context;
  return asio::ip::tcp::acceptor(context, {asio::ip::make_address("127.0.0.1"), 0})
      .local_endpoint()
      .port();
}

}  // namespace

HttpReply http(std::uint16_t port, const std::string& method, const std::string& target,
               const std::string& body, const std::string& headers) {
  HttpReply reply;
  asio::io_context context;
  beast::tcp_stream stream(context);
  beast::error_code code;
  stream.socket().open(asio::ip::tcp::v4(), code);
  stream.socket().connect({asio::ip::make_address("127.0.0.1"), port}, code);
  if (code) return reply;
  std::string text = method + " " + target + " HTTP/1.1\r\n";
  if (headers.find("Host:") == std::string::npos)
    text += "Host: 127.0.0.1:" + std::to_string(port) + "\r\n";
  text += headers + "Connection: close\r\n";
  if (!body.empty())
    text +=
        "Content-Type: application/json\r\nContent-Length: " + std::to_string(body.size()) + "\r\n";
  text += "\r\n" + body;
  asio::write(stream.socket(), asio::buffer(text), code);
  beast::flat_buffer buffer;
  http_::response_parser<http_::string_body> parser;
  parser.body_limit(std::uint64_t{1} << 30);
  if (method == "HEAD") parser.skip(true);
  http_::read(stream.socket(), buffer, parser, code);
  if (!parser.is_header_done()) return reply;
  return {static_cast<int>(parser.get().result_int()), parser.get().body()};
}

struct Browser::Driver {
  TemporaryFolder folder;
  std::uint16_t port = free_port();
  pid_t process = -1;
};

Browser::Browser() : driver_(std::make_unique<Driver>()) {
  const std::string port = "--port=" + std::to_string(driver_->port);
  driver_->process = ::fork();
  if (driver_->process == 0) {
    ::setpgid(0, 0);
    const int nowhere = ::open("/dev/null", O_RDWR);
    ::dup2(nowhere, STDOUT_FILENO);
    ::dup2(nowhere, STDERR_FILENO);
    ::execlp("chromedriver", "chromedriver", port.c_str(), nullptr);
    ::_exit(127);
  }
  ::setpgid(driver_->process, driver_->process);
  for (int i = 0; i < 100 && http(driver_->port, "GET", "/status").status != 200; ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  // A page is composed by the processor and its WebGL drawn by it too: the same on machines with
  // and without graphics.
  const json arguments{"--headless=new",
                       "--no-sandbox",
                       "--use-gl=angle",
                       "--use-angle=swiftshader",
                       "--enable-unsafe-swiftshader",
                       "--disable-gpu-compositing",
                       "--disable-quic",
                       "--no-first-run",
                       "--disable-background-networking",
                       "--disable-component-update",
                       "--disable-sync",
                       "--window-size=1280,800",
                       "--disable-dev-shm-usage",
                       "--user-data-dir=" + (driver_->folder / "profile").string()};
  const json wanted{
      {"capabilities",
       {{"alwaysMatch",
         {{"browserName", "chrome"},
          {"goog:loggingPrefs", {{"browser", "ALL"}}},
          {"goog:chromeOptions", {{"args", arguments}, {"binary", "/usr/bin/chromium"}}}}}}}};
  const json made = call("POST", "/session", wanted);
  session_ = made.value("sessionId", "");
  EXPECT_FALSE(session_.empty()) << "no browser; are chromium and chromium-driver installed? "
                                 << made;
}

Browser::~Browser() {
  if (!session_.empty()) call("DELETE", "/session/" + session_);
  ::kill(-driver_->process, SIGTERM);
  ::waitpid(driver_->process, nullptr, 0);
}

json Browser::call(const std::string& method, const std::string& path, const json& body) {
  const HttpReply reply = http(driver_->port, method, path, method == "POST" ? body.dump() : "");
  const json answer = json::parse(reply.body, nullptr, false);
  if (answer.is_discarded() || !answer.contains("value")) return {};
  if (reply.status != 200) ADD_FAILURE() << path << ": " << answer["value"];
  return answer["value"];
}

void Browser::open(const std::string& url) {
  call("POST", "/session/" + session_ + "/url", {{"url", url}});
}

json Browser::run(const std::string& script) {
  return call("POST", "/session/" + session_ + "/execute/sync",
              {{"script", script}, {"args", json::array()}});
}

bool Browser::wait_for(const std::string& expression, double seconds) {
  const auto end = std::chrono::steady_clock::now() + std::chrono::duration<double>(seconds);
  while (std::chrono::steady_clock::now() < end) {
    if (run("return !!(" + expression + ");") == json(true)) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(40));
  }
  return false;
}

void Browser::key_action(const std::string& type, const std::string& key) {
  call(
      "POST", "/session/" + session_ + "/actions",
      {{"actions",
        {{{"type", "key"}, {"id", "keyboard"}, {"actions", {{{"type", type}, {"value", key}}}}}}}});
}

void Browser::click(const std::string& element_id) {
  run("document.getElementById('" + element_id + "').click();");
}

std::string Browser::picture() {
  return call("GET", "/session/" + session_ + "/screenshot").get<std::string>();
}

std::string Browser::errors() {
  std::string all = run("return document.body.dataset.errors || '';").get<std::string>();
  for (const json& entry : call("POST", "/session/" + session_ + "/se/log", {{"type", "browser"}}))
    if (entry["level"] == "SEVERE") all += entry["message"].get<std::string>() + "\n";
  return all;
}

}  // namespace zithercraft::test
