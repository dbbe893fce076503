#include "show/server/server.hpp"

#include <fmt/format.h>

#include <nettle/memops.h>

#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/post.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/http.hpp>
#include <boost/beast/websocket.hpp>
#include <chrono>
#include <deque>
#include <list>
#include <optional>
#include <thread>
#include <utility>

#include "zithercraft/base/error.hpp"

namespace zithercraft::show_internal {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
namespace websocket = beast::websocket;
using tcp = asio::ip::tcp;

constexpr std::uint32_t most_header = 8 * 1024,
                        most_said = 4 * 1024;  // bytes of a request, of a client's message
constexpr std::size_t most_connections = 64;
constexpr std::size_t most_waiting = 32u << 20;  // bytes that wait to be sent to a client
constexpr auto time_limit = std::chrono::seconds(10);

int hex_digit(char c) {
  return c >= '0' && c <= '9'   ? c - '0'
         : c >= 'a' && c <= 'f' ? c - 'a' + 10
         : c >= 'A' && c <= 'F' ? c - 'A' + 10
                                : -1;
}

// RFC 3986; nothing if it is malformed.
std::optional<std::string> decoded(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '%') {
      out += text[i];
      continue;
    }
    if (i + 2 >= text.size() || hex_digit(text[i + 1]) < 0 || hex_digit(text[i + 2]) < 0) return {};
    out += static_cast<char>(16 * hex_digit(text[i + 1]) + hex_digit(text[i + 2]));
    i += 2;
  }
  return out;
}

std::optional<WebRequest> parsed(std::string_view target) {
  if (target.empty() || target.front() != '/') return {};
  const auto mark = target.find('?');
  const auto path = decoded(target.substr(1, mark == std::string_view::npos ? mark : mark - 1));
  if (!path) return {};
  WebRequest request{*path, {}};
  if (mark == std::string_view::npos) return request;
  for (std::string_view rest = target.substr(mark + 1); !rest.empty();) {
    const auto pair = rest.substr(0, rest.find('&'));
    rest.remove_prefix(std::min(rest.size(), pair.size() + 1));
    const auto equals = pair.find('=');
    const auto key = decoded(pair.substr(0, equals));
    const auto value =
        decoded(equals == std::string_view::npos ? std::string_view() : pair.substr(equals + 1));
    if (!key || !value) return {};
    request.query[*key] = *value;
  }
  return request;
}

// Takes as long for wrong tokens of its length as for the right one.
bool same_secret(const std::string& a, const std::string& b) {
  return a.size() == b.size() && memeql_sec(a.data(), b.data(), a.size()) != 0;
}

}  // namespace

// One connection: an HTTP request after another, or a WebSocket from some request on.
class Connection;

struct Server::State {
  State(const ServerOptions& given, Answer answers, SocketHandlers handlers)
      : options(given),
        answer(std::move(answers)),
        sockets(std::move(handlers)),
        acceptor(context) {}

  void listen();
  void accept();
  void admit(tcp::socket socket);
  void forget(Connection& connection);
  bool knows_host(std::string_view host) const;
  http::status refusal(const http::request<http::empty_body>& request,
                       const std::optional<WebRequest>& parts, std::string& why) const;

  const ServerOptions options;
  const Answer answer;
  const SocketHandlers sockets;
  asio::io_context context{1};
  tcp::acceptor acceptor;
  std::uint16_t port = 0;
  bool for_this_machine = true;
  std::list<std::shared_ptr<Connection>> connections;  // the oldest first
  std::atomic<std::size_t> count{0};
  Client next_client = 1;
  std::thread thread;
};

class Connection : public std::enable_shared_from_this<Connection> {
 public:
  Connection(tcp::socket socket, Server::State& server)
      : stream_(std::move(socket)), server_(&server) {}

  Server::Client client() const { return client_; }
  bool is_socket() const { return socket_.has_value(); }

  void read() {
    parser_.emplace();
    parser_->header_limit(most_header);
    parser_->body_limit(0);
    stream_.expires_after(time_limit);
    http::async_read(
        stream_, buffer_, *parser_,
        [self = shared_from_this()](beast::error_code code, std::size_t) { self->heard(code); });
  }

  void close() {
    beast::error_code ignored;
    beast::get_lowest_layer(stream()).socket().close(ignored);
  }

  void drop(const std::string& why) {
    if (!joined_ || closing_ || std::exchange(dropping_, true)) return;
    // The frame of RFC 6455 by hand: the library's own closing can wait for ever if a damaged
    // message comes meanwhile.
    const std::string reason = why.substr(0, 120);
    std::string frame{'\x88', static_cast<char>(2 + reason.size()), '\x03',
                      '\xf0'};  // 1008: it broke the rules
    frame += reason;
    beast::error_code ignored;
    auto& wire = beast::get_lowest_layer(stream()).socket();
    wire.non_blocking(true, ignored);
    wire.send(asio::buffer(frame), 0, ignored);
    wire.shutdown(tcp::socket::shutdown_send,
                  ignored);  // its answer, or its silence, ends the reading
  }

  void send(std::shared_ptr<const std::string> message) {
    if (!joined_ || dropping_ || closing_) return;
    waiting_bytes_ += message->size();
    waiting_.push_back(std::move(message));
    if (waiting_bytes_ > most_waiting) return close();  // it does not take what it asked for
    if (waiting_.size() == 1) write_next();
  }

 private:
  beast::tcp_stream& stream() { return socket_ ? socket_->next_layer() : stream_; }

  void heard(beast::error_code code) {
    if (code == http::error::header_limit)
      return refuse(http::status::request_header_fields_too_large, "too long");
    if (code == http::error::body_limit)
      return refuse(http::status::payload_too_large, "no content is taken");
    if (code.category() == http::make_error_code(http::error::bad_method).category() &&
        code != http::error::end_of_stream && code != http::error::partial_message)
      return refuse(http::status::bad_request, "this is not HTTP");
    if (code) return end();
    const auto& request = parser_->get();
    const auto parts = parsed({request.target().data(), request.target().size()});
    std::string why;
    if (const auto status = server_->refusal(request, parts, why); status != http::status::ok)
      return refuse(status, why);
    if (websocket::is_upgrade(request)) return upgrade(*parts);
    if (request.method() != http::verb::get && request.method() != http::verb::head)
      return refuse(http::status::method_not_allowed, "only GET and HEAD are answered");
    WebReply reply;
    try {
      reply = server_->answer(*parts);
    } catch (const Error& error) {
      reply = {404, "text/plain; charset=utf-8", error.what()};
    } catch (const std::exception& error) {
      reply = {500, "text/plain; charset=utf-8", error.what()};
    }
    respond(static_cast<http::status>(reply.status), reply.type, std::move(reply.body),
            request.keep_alive(), request.method() == http::verb::head);
  }

  void refuse(http::status status, const std::string& why) {
    respond(status, "text/plain; charset=utf-8", why + "\n", false, false);
  }

  void respond(http::status status, const std::string& type, std::string body, bool keep,
               bool head) {
    response_ = {};
    response_.result(status);
    response_.set(http::field::content_type, type);
    response_.set(http::field::cache_control, "no-store");
    response_.set("X-Content-Type-Options", "nosniff");
    response_.set("Referrer-Policy", "no-referrer");
    response_.set(
        "Content-Security-Policy",
        "default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; img-src data: "
        "blob:; "
        "connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'");
    response_.keep_alive(keep);
    const std::size_t size = body.size();
    if (!head) response_.body() = std::move(body);
    response_.content_length(size);
    stream_.expires_after(time_limit);
    http::async_write(stream_, response_,
                      [self = shared_from_this(), keep](beast::error_code code, std::size_t) {
                        if (code || !keep) return self->end();
                        self->read();
                      });
  }

  void upgrade(const WebRequest& parts) {
    if (parts.path != "live" || !server_->sockets.said)
      return refuse(http::status::not_found, "there is no WebSocket here");
    socket_.emplace(std::move(stream_));
    beast::get_lowest_layer(*socket_).expires_never();
    auto timeout = websocket::stream_base::timeout::suggested(beast::role_type::server);
    timeout.handshake_timeout = time_limit;
    timeout.idle_timeout = time_limit;
    timeout.keep_alive_pings = true;
    socket_->set_option(timeout);
    socket_->read_message_max(most_said);
    socket_->binary(true);
    request_ = parser_->release();
    socket_->async_accept(request_, [self = shared_from_this()](beast::error_code code) {
      if (code) return self->end();
      self->client_ = self->server_->next_client++;
      self->joined_ = true;
      if (self->server_->sockets.joined) self->server_->sockets.joined(self->client_);
      self->listen();
    });
  }

  void listen() {
    said_.clear();
    socket_->async_read(said_, [self = shared_from_this()](beast::error_code code, std::size_t) {
      if (code) return self->end();
      if (!self->dropping_)
        self->server_->sockets.said(self->client_, beast::buffers_to_string(self->said_.data()));
      self->listen();
    });
  }

  void write_next() {
    socket_->async_write(asio::buffer(*waiting_.front()),
                         [self = shared_from_this()](beast::error_code code, std::size_t) {
                           if (code) return self->end();
                           self->waiting_bytes_ -= self->waiting_.front()->size();
                           self->waiting_.pop_front();
                           if (!self->waiting_.empty()) self->write_next();
                         });
  }

  void end() {
    if (closing_) return;
    closing_ = true;
    if (joined_ && server_->sockets.left) server_->sockets.left(client_);
    beast::error_code ignored;
    beast::get_lowest_layer(stream()).socket().shutdown(tcp::socket::shutdown_both, ignored);
    close();
    server_->forget(*this);
  }

  beast::tcp_stream stream_;
  Server::State* server_;
  beast::flat_buffer buffer_{most_header + 1024}, said_{2 * most_said};
  std::optional<http::request_parser<http::empty_body>> parser_;
  http::request<http::empty_body> request_;
  http::response<http::string_body> response_;
  std::optional<websocket::stream<beast::tcp_stream>> socket_;
  std::deque<std::shared_ptr<const std::string>> waiting_;
  std::size_t waiting_bytes_ = 0;
  Server::Client client_ = 0;
  bool joined_ = false, dropping_ = false, closing_ = false;
};

void Server::State::listen() {
  const std::string where = options.address + ":" + std::to_string(options.port);
  beast::error_code code;
  const auto address = asio::ip::make_address(options.address, code);
  if (code)
    throw Error(ErrorKind::usage, "'" + options.address + "' is no address of a machine", where,
                "give four numbers, like 127.0.0.1, or an IPv6 address");
  for_this_machine = address.is_loopback();
  if (!for_this_machine && options.token.empty())
    throw Error(ErrorKind::usage, "anybody that reaches this machine could look and steer", where,
                "give a token, or listen at 127.0.0.1");
  const tcp::endpoint endpoint(address, options.port);
  const auto check = [&] {
    if (code)
      throw Error(ErrorKind::file, "cannot listen there: " + code.message(), where,
                  "choose another port, or end who uses it");
  };
  acceptor.open(endpoint.protocol(), code);
  check();
  acceptor.set_option(asio::socket_base::reuse_address(true), code);
  check();
  acceptor.bind(endpoint, code);
  check();
  acceptor.listen(asio::socket_base::max_listen_connections, code);
  check();
  port = acceptor.local_endpoint().port();
}

void Server::State::accept() {
  acceptor.async_accept([this](beast::error_code code, tcp::socket socket) {
    if (code == asio::error::operation_aborted) return;
    if (!code) admit(std::move(socket));
    accept();
  });
}

// When there are too many, the oldest that is no WebSocket makes room: those who stall are the
// oldest.
void Server::State::admit(tcp::socket socket) {
  if (connections.size() >= most_connections) {
    auto oldest = connections.begin();
    for (auto it = connections.begin(); it != connections.end(); ++it)
      if (!(*it)->is_socket()) {
        oldest = it;
        break;
      }
    const auto leaving = *oldest;
    leaving->close();  // its own reading or writing ends with an error, which forgets it
    connections.erase(oldest);
  }
  socket.set_option(tcp::no_delay(true));
  connections.push_back(std::make_shared<Connection>(std::move(socket), *this));
  count = connections.size();
  connections.back()->read();
}

void Server::State::forget(Connection& connection) {
  connections.remove_if([&](const auto& c) { return c.get() == &connection; });
  count = connections.size();
}

bool Server::State::knows_host(std::string_view host) const {
  if (!for_this_machine) return !host.empty();  // its names are unknown; the token guards
  for (const char* name : {"127.0.0.1", "localhost", "[::1]"})
    if (host == fmt::format("{}:{}", name, port)) return true;
  return host == fmt::format("{}:{}", options.address, port);
}

http::status Server::State::refusal(const http::request<http::empty_body>& request,
                                    const std::optional<WebRequest>& parts,
                                    std::string& why) const {
  if (!parts) {
    why = "the path is malformed";
    return http::status::bad_request;
  }
  const auto field = [&](http::field name) {
    const auto value = request[name];
    return std::string_view(value.data(), value.size());
  };
  if (!knows_host(field(http::field::host))) {
    why = "this is not the host that was asked for";
    return http::status::misdirected_request;
  }
  const auto origin = field(http::field::origin);
  if (!origin.empty() && origin != "http://" + std::string(field(http::field::host))) {
    why = "pages from elsewhere are not answered";
    return http::status::forbidden;
  }
  const auto given = parts->query.find("token");
  if (!options.token.empty() &&
      (given == parts->query.end() || !same_secret(given->second, options.token))) {
    why = "the token is missing or wrong";
    return http::status::unauthorized;
  }
  return http::status::ok;
}

Server::Server(const ServerOptions& options, Answer answer, SocketHandlers sockets)
    : state_(std::make_unique<State>(options, std::move(answer), std::move(sockets))) {
  state_->listen();
  state_->accept();
  state_->thread = std::thread([state = state_.get()] { state->context.run(); });
}

Server::~Server() {
  state_->context.stop();
  state_->thread.join();
}

std::uint16_t Server::port() const noexcept { return state_->port; }

std::string Server::url() const {
  const bool six = state_->options.address.find(':') != std::string::npos;
  const std::string host = six ? "[" + state_->options.address + "]" : state_->options.address;
  return fmt::format("http://{}:{}/{}", host, state_->port,
                     state_->options.token.empty() ? "" : "?token=" + state_->options.token);
}

std::size_t Server::connections() const noexcept { return state_->count; }

void Server::send(Client client, std::string message) {
  asio::post(state_->context, [state = state_.get(), client,
                               text = std::make_shared<const std::string>(std::move(message))] {
    for (const auto& connection : state->connections)
      if (connection->client() == client) return connection->send(text);
  });
}

void Server::drop(Client client, std::string why) {
  asio::post(state_->context, [state = state_.get(), client, why = std::move(why)] {
    for (const auto& connection : state->connections)
      if (connection->client() == client) return connection->drop(why);
  });
}

}  // namespace zithercraft::show_internal
