#include "remote/game_link.hpp"

#include <algorithm>

#include "remote/game_wire.hpp"

namespace zithercraft::remote_internal {
namespace {

namespace websocket = boost::beast::websocket;
using boost::system::error_code;

[[noreturn]] void failed(const error_code& code, const char* doing) {
  if (code == boost::beast::error::timeout)
    throw LinkError(std::string("it did not ") + doing + " in time");
  if (code == websocket::error::closed || code == boost::asio::error::eof ||
      code == boost::asio::error::connection_reset || code == boost::asio::error::broken_pipe)
    throw LinkError("it left");
  throw LinkError("the connection failed: " + code.message());
}

}  // namespace

Form GameLink::Wire::read(Clock::time_point deadline) {
  set_deadline(deadline);
  received.consume(received.size());
  error_code code;
  stream.read(received, code);
  if (code) failed(code, "answer");
  // A frame's head, as short as its size allows, and the mask.
  const std::size_t size = received.size();
  taken += size + 6 + (size < 126 ? 0 : size < 65536 ? 2 : 8);
  return stream.got_text() ? Form::text : Form::binary;
}

void GameLink::Wire::write(const std::string& message, Form form, Clock::time_point deadline) {
  set_deadline(deadline);
  stream.text(form == Form::text);
  error_code code;
  stream.write(boost::asio::buffer(message), code);
  if (code) failed(code, "take a message");
}

void GameLink::Wire::close(const std::string& why) {
  set_deadline(Clock::now() + std::chrono::milliseconds(500));
  error_code ignored;
  constexpr std::size_t longest = 120;  // of a control frame's reason
  stream.close({websocket::close_code::policy_error,
                boost::beast::string_view(why.data(), std::min(why.size(), longest))},
               ignored);
  stream.next_layer().shut();
}

GameLink::GameLink(std::unique_ptr<Wire> wire, Hello hello, Form form, std::size_t number)
    : wire_(std::move(wire)),
      places_(hello.copies),
      hello_(std::move(hello)),
      form_(form),
      number_(number) {
  wire_->stream.read_message_max(most_message);
}
GameLink::~GameLink() = default;

void GameLink::send(const std::string& message, Clock::time_point deadline) {
  wire_->write(message, form_, deadline);
}

Received GameLink::receive(const GameShape& shape, Clock::time_point deadline) {
  const Form form = wire_->read(deadline);
  found_.clear();
  Received received = read_message(wire_->bytes(), form, shape, this);
  for (const std::size_t copy : found_) places_[copy] = nullptr;
  return received;
}

CopyPart* GameLink::of_copy(std::size_t copy) {
  if (copy >= places_.size()) return nullptr;
  found_.push_back(copy);
  return places_[copy];
}

bool GameLink::ready(Clock::time_point until) {
  if (wire_->holds_more()) return true;
  pollfd wanted{wire_->stream.next_layer().handle(), POLLIN, 0};
  const auto left =
      std::chrono::duration_cast<std::chrono::milliseconds>(until - Clock::now()).count();
  return ::poll(&wanted, 1, static_cast<int>(std::max<long>(0, left))) > 0;
}

void GameLink::close(const std::string& why) { wire_->close(why); }

}  // namespace zithercraft::remote_internal
