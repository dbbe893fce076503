#include "remote/listener.hpp"

#include <nettle/memops.h>
#include <poll.h>

#include <algorithm>
#include <atomic>
#include <boost/asio/io_context.hpp>
#include <boost/beast/http.hpp>
#include <list>
#include <map>
#include <optional>
#include <thread>
#include <utility>

#include "remote/game_wire.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft::remote_internal {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
using tcp = asio::ip::tcp;

constexpr auto look_up = std::chrono::milliseconds(100);
constexpr auto knock_limit = std::chrono::seconds(10);
constexpr std::size_t most_knocking = 64;

// Takes as long for wrong tokens of its length as for the right one.
bool same_secret(std::string_view a, std::string_view b) {
  return a.size() == b.size() && memeql_sec(a.data(), b.data(), a.size()) != 0;
}

// The host of "http://localhost:8000", or of "[::1]:80".
std::string_view host_in(std::string_view origin) {
  if (const auto scheme = origin.find("://"); scheme != std::string_view::npos)
    origin.remove_prefix(scheme + 3);
  const std::size_t closing = origin.find(']');
  return origin.substr(0, origin.find(':', closing == std::string_view::npos ? 0 : closing));
}

struct PageFile {
  std::filesystem::path path{};
  std::string type{};
};

const std::map<std::string, std::string> page_types{
    {".html", "text/html; charset=utf-8"},
    {".js", "text/javascript; charset=utf-8"},
    {".css", "text/css; charset=utf-8"},
    {".json", "application/json"},
    {".png", "image/png"},
    {".svg", "image/svg+xml"},
    {".wasm", "application/wasm"},
};

bool is_this_machine(std::string_view host) {
  return host == "localhost" || host == "127.0.0.1" || host == "[::1]";
}

}  // namespace

struct Listener::State {
  struct Knock {
    std::thread thread{};
    std::atomic<bool> done{false};
  };

  State(const ListenerOptions& given, Consider how, Join then)
      : options(given), consider(std::move(how)), join(std::move(then)) {}

  void listen();
  void serve();
  void let_in(tcp::socket socket);
  bool is_named(const http::request<http::empty_body>& request) const;
  std::optional<PageFile> file_of(std::string_view target) const;
  std::string refusal(const http::request<http::empty_body>& request) const;

  const ListenerOptions options;
  const Consider consider;
  const Join join;
  const std::shared_ptr<asio::io_context> context = std::make_shared<asio::io_context>(1);
  tcp::acceptor acceptor{*context};
  bool for_this_machine = true;
  std::uint16_t port = 0;
  std::atomic<bool> ending{false};
  std::list<Knock> knocks{};
  std::thread thread{};
};

void Listener::State::listen() {
  const std::string where = options.address + ":" + std::to_string(options.port);
  boost::system::error_code code;
  const auto address = asio::ip::make_address(options.address, code);
  if (code)
    throw Error(ErrorKind::usage, "'" + options.address + "' is no address of a machine", where,
                "give four numbers, like 127.0.0.1, or an IPv6 address");
  for_this_machine = address.is_loopback();
  if (!for_this_machine && options.token.empty())
    throw Error(ErrorKind::usage, "anybody that reaches this machine could join", where,
                "give a token, or listen at 127.0.0.1");
  const tcp::endpoint endpoint(address, options.port);
  const auto check = [&] {
    if (code)
      throw Error(ErrorKind::file, "games cannot join there: " + code.message(), where,
                  "choose another port, or end the program that uses it");
  };
  acceptor.open(endpoint.protocol(), code);
  check();
  acceptor.set_option(asio::socket_base::reuse_address(true), code);
  check();
  acceptor.bind(endpoint, code);
  check();
  acceptor.listen(asio::socket_base::max_listen_connections, code);
  check();
  acceptor.non_blocking(true, code);
  check();
  port = acceptor.local_endpoint().port();
}

void Listener::State::serve() {
  while (!ending) {
    for (auto knock = knocks.begin(); knock != knocks.end();) {
      if (!knock->done) {
        ++knock;
        continue;
      }
      knock->thread.join();
      knock = knocks.erase(knock);
    }
    pollfd wanted{acceptor.native_handle(), POLLIN, 0};
    if (knocks.size() >= most_knocking) {
      std::this_thread::sleep_for(look_up / 10);
      continue;
    }
    if (::poll(&wanted, 1, static_cast<int>(look_up.count())) <= 0) continue;
    boost::system::error_code code;
    tcp::socket socket = acceptor.accept(code);
    if (code) {
      std::this_thread::sleep_for(look_up / 10);  // there are no more files to open, or it left
      continue;
    }
    Knock& knock = knocks.emplace_back();
    knock.thread = std::thread([this, &knock, taken = std::move(socket)]() mutable {
      try {
        let_in(std::move(taken));
      } catch (const std::exception&) {
        // Whoever does not get as far as the first message leaves no trace.
      }
      knock.done = true;
    });
  }
  for (Knock& knock : knocks) knock.thread.join();
}

// Whether a request asks for this host. Names of others may lead here by mistake or by malice.
bool Listener::State::is_named(const http::request<http::empty_body>& request) const {
  const auto value = request[http::field::host];
  const std::string_view host = host_in({value.data(), value.size()});
  return !for_this_machine || is_this_machine(host) || host == options.address;
}

// The file of the page's folder that a path names.
std::optional<PageFile> Listener::State::file_of(std::string_view target) const {
  target = target.substr(0, target.find('?'));
  const std::string name(target.substr(std::min<std::size_t>(1, target.size())));
  if (name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-.") !=
          std::string::npos ||
      name.starts_with('.'))
    return {};
  const auto path = name.empty() ? options.page : options.page.parent_path() / name;
  const auto type = page_types.find(path.extension().string());
  std::error_code code;
  if (type == page_types.end() || !std::filesystem::is_regular_file(path, code)) return {};
  return PageFile{path, type->second};
}

// Why a request is turned away; nothing if it is not.
std::string Listener::State::refusal(const http::request<http::empty_body>& request) const {
  const auto field = [&](http::field name) {
    const auto value = request[name];
    return std::string_view(value.data(), value.size());
  };
  const std::string_view target(request.target().data(), request.target().size());
  if (!beast::websocket::is_upgrade(request)) return "games join here by WebSocket";
  if (!is_named(request)) return "this is not the host that was asked for";
  if (const auto origin = field(http::field::origin);
      !origin.empty() && options.token.empty() && !is_this_machine(host_in(origin)))
    return "pages from elsewhere are not let in";
  constexpr std::string_view key = "token=";
  const auto at = target.find(key);
  if (!options.token.empty() &&
      (at == std::string_view::npos || !same_secret(target.substr(at + key.size()), options.token)))
    return "the token is missing or wrong";
  return {};
}

void Listener::State::let_in(tcp::socket socket) {
  const auto deadline = Clock::now() + knock_limit;
  socket.native_non_blocking(false);
  auto wire = std::make_unique<GameLink::Wire>(context, std::move(socket));
  wire->set_deadline(deadline);
  beast::flat_buffer buffer;
  http::request_parser<http::empty_body> parser;
  parser.header_limit(8 * 1024);
  http::read(wire->stream.next_layer(), buffer, parser);
  const auto answer = [&](http::status status, const std::string& type, std::string body) {
    http::response<http::string_body> response(status, 11, std::move(body));
    response.set(http::field::content_type, type);
    response.set("X-Content-Type-Options", "nosniff");
    response.keep_alive(false);
    response.prepare_payload();
    http::write(wire->stream.next_layer(), response);
    wire->stream.next_layer().shut();
  };
  const auto& request = parser.get();
  if (!beast::websocket::is_upgrade(request) && !options.page.empty() && is_named(request)) {
    const auto file = file_of({request.target().data(), request.target().size()});
    if (!file) return answer(http::status::not_found, "text/plain", "there is no such file\n");
    return answer(http::status::ok, file->type, read_text(file->path));
  }
  if (const std::string why = refusal(request); !why.empty())
    return answer(http::status::forbidden, "text/plain", why + "\n");
  wire->stream.accept(parser.get());
  wire->taken = wire->stream.next_layer().read_bytes();
  Form form = wire->read(deadline);
  std::string why;
  Hello hello;
  try {
    const Received first = read_message(wire->bytes(), form, {}, nullptr);
    if (first.kind != "hello") throw BadMessage("the first message must be a hello");
    hello = first.hello;
    form = hello.form;
    why = consider(hello);
  } catch (const BadMessage& error) {
    why = error.what();
  }
  if (!why.empty()) {
    wire->write(refused_message(form, why), form, deadline);
    wire->close(why);
    return;
  }
  wire->write(welcome_message(form), form, deadline);
  join(std::move(wire), hello, form);
}

Listener::Listener(const ListenerOptions& options, Consider consider, Join join)
    : state_(std::make_unique<State>(options, std::move(consider), std::move(join))) {
  state_->listen();
  state_->thread = std::thread([state = state_.get()] { state->serve(); });
}

Listener::~Listener() {
  state_->ending = true;
  state_->thread.join();
}

std::uint16_t Listener::port() const { return state_->port; }

}  // namespace zithercraft::remote_internal
