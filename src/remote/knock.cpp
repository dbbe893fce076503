#include "remote/knock.hpp"

#include <nettle/memops.h>

#include <boost/beast/websocket/rfc6455.hpp>

#include "zithercraft/base/error.hpp"

namespace zithercraft::remote_internal {
namespace {

namespace asio = boost::asio;
namespace http = boost::beast::http;
using tcp = asio::ip::tcp;

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

bool is_this_machine(std::string_view host) {
  return host == "localhost" || host == "127.0.0.1" || host == "[::1]";
}

std::string_view field(const Request& request, http::field name) {
  const auto value = request[name];
  return {value.data(), value.size()};
}

}  // namespace

void listen_at(Door& door, tcp::acceptor& acceptor) {
  const std::string where = door.address + ":" + std::to_string(door.port);
  boost::system::error_code code;
  const auto address = asio::ip::make_address(door.address, code);
  if (code)
    throw Error(ErrorKind::usage, "'" + door.address + "' is no address of a machine", where,
                "give four numbers, like 127.0.0.1, or an IPv6 address");
  door.for_this_machine = address.is_loopback();
  if (!door.for_this_machine && door.token.empty())
    throw Error(ErrorKind::usage, "anybody that reaches this machine could join", where,
                "give a token, or listen at 127.0.0.1");
  if (door.token.find_first_of("&# \t\r\n%?") != std::string::npos)
    throw Error(ErrorKind::usage, "the token cannot be part of an address", "token",
                "use letters, digits, - and _");
  const tcp::endpoint endpoint(address, door.port);
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
  door.port = acceptor.local_endpoint().port();
}

bool is_named(const Door& door, const Request& request) {
  const std::string_view host = host_in(field(request, http::field::host));
  return !door.for_this_machine || is_this_machine(host) || host == door.address;
}

std::string refusal(const Door& door, const Request& request) {
  if (!boost::beast::websocket::is_upgrade(request)) return "games join here by WebSocket";
  if (!is_named(door, request)) return "this is not the host that was asked for";
  const std::string_view origin = field(request, http::field::origin),
                         target(request.target().data(), request.target().size());
  if (!origin.empty() && door.token.empty() && !is_this_machine(host_in(origin)))
    return "pages from elsewhere are not let in";
  constexpr std::string_view key = "token=";
  const auto at = target.find(key);
  if (!door.token.empty() &&
      (at == std::string_view::npos || !same_secret(target.substr(at + key.size()), door.token)))
    return "the token is missing or wrong";
  return {};
}

std::string address_of(const Door& door) {
  const bool six = door.address.find(':') != std::string::npos;
  const std::string host = six ? "[" + door.address + "]" : door.address;
  return "ws://" + host + ":" + std::to_string(door.port) + "/" +
         (door.token.empty() ? "" : "?token=" + door.token);
}

}  // namespace zithercraft::remote_internal
