#pragma once

// Who may connect: what the listener of games and the server of policies have in common.

#include <boost/asio/ip/tcp.hpp>
#include <boost/beast/http.hpp>
#include <string>
#include <string_view>

namespace zithercraft::remote_internal {

/// Where a server listens, and what its clients must carry.
struct Door {
  std::string address{};
  std::uint16_t port = 0;
  std::string token{};
  bool for_this_machine = true;  // no other can reach it
};

using Request = boost::beast::http::request<boost::beast::http::empty_body>;

/// Opens the acceptor. Throws Error (usage, file).
void listen_at(Door& door, boost::asio::ip::tcp::acceptor& acceptor);
/// Whether a request asks for this host. Names of others may lead here by mistake or by malice.
bool is_named(const Door& door, const Request& request);
/// Why a request is turned away; nothing if it is not.
std::string refusal(const Door& door, const Request& request);
/// A URL of RFC 6455.
std::string address_of(const Door& door);

}  // namespace zithercraft::remote_internal
