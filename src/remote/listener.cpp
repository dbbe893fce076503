#include "remote/listener.hpp"

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
#include "remote/knock.hpp"
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

}  // namespace

struct Listener::State {
  struct Knock {
    std::thread thread{};
    std::atomic<bool> done{false};
  };

  State(const ListenerOptions& given, Consider how, Join then)
      : door{given.address, given.port, given.token, true},
        page(given.page),
        consider(std::move(how)),
        join(std::move(then)) {}

  void listen();
  void serve();
  void let_in(tcp::socket socket);
  std::optional<PageFile> file_of(std::string_view target) const;

  Door door;
  const std::filesystem::path page;
  const Consider consider;
  const Join join;
  const std::shared_ptr<asio::io_context> context = std::make_shared<asio::io_context>(1);
  tcp::acceptor acceptor{*context};
  std::atomic<bool> ending{false};
  std::list<Knock> knocks{};
  std::thread thread{};
};

void Listener::State::listen() {
  listen_at(door, acceptor);
  acceptor.non_blocking(true);
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

// The file of the page's folder that a path names.
std::optional<PageFile> Listener::State::file_of(std::string_view target) const {
  target = target.substr(0, target.find('?'));
  const std::string name(target.substr(std::min<std::size_t>(1, target.size())));
  if (name.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-.") !=
          std::string::npos ||
      name.starts_with('.'))
    return {};
  const auto path = name.empty() ? page : page.parent_path() / name;
  const auto type = page_types.find(path.extension().string());
  std::error_code code;
  if (type == page_types.end() || !std::filesystem::is_regular_file(path, code)) return {};
  return PageFile{path, type->second};
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
  if (!beast::websocket::is_upgrade(request) && !page.empty() && is_named(door, request)) {
    const auto file = file_of({request.target().data(), request.target().size()});
    if (!file) return answer(http::status::not_found, "text/plain", "there is no such file\n");
    return answer(http::status::ok, file->type, read_text(file->path));
  }
  if (const std::string why = refusal(door, request); !why.empty())
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

std::string Listener::address() const { return address_of(state_->door); }

}  // namespace zithercraft::remote_internal
