#include "zithercraft/remote/policy_server.hpp"

#include <algorithm>
#include <atomic>
#include <boost/asio/io_context.hpp>
#include <boost/asio/post.hpp>
#include <boost/beast/core.hpp>
#include <boost/beast/websocket.hpp>
#include <deque>
#include <list>
#include <set>
#include <thread>
#include <utility>

#include "remote/clock.hpp"
#include "remote/knock.hpp"
#include "remote/policy_messages.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace remote_internal;
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
namespace websocket = beast::websocket;
using tcp = asio::ip::tcp;

constexpr std::size_t most_clients = 4096, most_said = 4u << 20u, most_waiting = 16u << 20u;
constexpr auto knock_limit = std::chrono::seconds(10);

class Client;

}  // namespace

struct PolicyServer::State {
  State(std::vector<Policy> all, const PolicyServerOptions& given);
  void accept();
  /// Decides for all that have asked since, once every client that is ready has been heard.
  void ask(std::shared_ptr<Client> client, Asking asking);
  void decide_all();
  void decide(std::size_t policy);

  Door door;
  const bool sampled;
  const std::uint64_t seed;
  std::vector<Policy> policies;
  // Clients count themselves out when the context goes, so what they count in outlives it.
  std::atomic<std::size_t> connected{0};
  std::atomic<std::int64_t> requests{0}, decisions{0};
  asio::io_context context{1};
  tcp::acceptor acceptor{context};
  std::list<std::weak_ptr<Client>> clients;
  std::vector<std::pair<std::shared_ptr<Client>, Asking>> waiting;
  std::vector<float> senses, controls, memory;  // of all who are decided for together
  std::thread thread;
};

namespace {

// A game that asks: its requests are answered in their order.
class Client : public std::enable_shared_from_this<Client> {
 public:
  Client(tcp::socket socket, PolicyServer::State& server)
      : stream_(std::move(socket)), server_(&server) {}
  ~Client() {
    if (joined_) --server_->connected;
  }

  std::size_t policy() const { return policy_; }
  /// What its seats remember, each so many numbers.
  std::span<float> memory(std::uint32_t seat, std::size_t each) {
    if (memory_.size() < (seat + 1) * each) memory_.resize((seat + 1) * each);
    return std::span(memory_).subspan(seat * each, each);
  }

  void knock() {
    beast::get_lowest_layer(stream_).expires_after(knock_limit);
    parser_.header_limit(8 * 1024);
    http::async_read(stream_.next_layer(), buffer_, parser_,
                     [self = shared_from_this()](beast::error_code code, std::size_t) {
                       if (!code) self->greet();
                     });
  }

  void answer(std::string message) {
    queued_ += message.size();
    answers_.push_back(std::move(message));
    if (queued_ > most_waiting) return close();  // it does not take what it asked for
    if (answers_.size() == 1) write();
  }

  void close() {
    beast::error_code ignored;
    beast::get_lowest_layer(stream_).socket().close(ignored);
  }

 private:
  void greet() {
    const Request& request = parser_.get();
    if (const std::string why = refusal(server_->door, request); !why.empty()) {
      refusal_ = {http::status::forbidden, 11, why + "\n"};
      refusal_.prepare_payload();
      http::async_write(stream_.next_layer(), refusal_,
                        [self = shared_from_this()](beast::error_code, std::size_t) {});
      return;
    }
    beast::get_lowest_layer(stream_).expires_never();
    auto timeout = websocket::stream_base::timeout::suggested(beast::role_type::server);
    timeout.handshake_timeout = knock_limit;
    timeout.keep_alive_pings = true;
    stream_.set_option(timeout);
    stream_.read_message_max(most_said);
    beast::error_code ignored;
    beast::get_lowest_layer(stream_).socket().set_option(tcp::no_delay(true), ignored);
    stream_.async_accept(request, [self = shared_from_this()](beast::error_code code) {
      if (!code) self->listen();
    });
  }

  void listen() {
    said_.consume(said_.size());
    stream_.async_read(said_, [self = shared_from_this()](beast::error_code code, std::size_t) {
      if (code || self->over_) return;
      self->hear();
    });
  }

  void hear() {
    const std::span<const std::uint8_t> bytes(static_cast<const std::uint8_t*>(said_.data().data()),
                                              said_.size());
    const Form form = stream_.got_text() ? Form::text : Form::binary;
    try {
      if (joined_) {
        server_->ask(shared_from_this(),
                     read_asking(bytes, form, server_->policies[policy_].columns()));
      } else {
        join(read_request(bytes, form));
      }
      listen();
    } catch (const BadMessage& error) {
      refuse(error.what());
    }
  }

  void join(const PolicyRequest& request) {
    form_ = request.form;
    stream_.text(form_ == Form::text);
    const auto& policies = server_->policies;
    const auto found =
        request.role.empty()
            ? policies.begin()
            : std::find_if(policies.begin(), policies.end(), [&](const Policy& policy) {
                return policy.signature().role == request.role;
              });
    if (found == policies.end())
      throw BadMessage("no policy plays the role '" + request.role + "'");
    policy_ = static_cast<std::size_t>(found - policies.begin());
    joined_ = true;
    ++server_->connected;
    answer(policy_message(form_, found->signature()));
  }

  void refuse(const std::string& why) {
    over_ = true;
    answer(refused_message(form_, why));
  }

  void write() {
    stream_.async_write(asio::buffer(answers_.front()),
                        [self = shared_from_this()](beast::error_code code, std::size_t) {
                          if (code) return;
                          self->queued_ -= self->answers_.front().size();
                          self->answers_.pop_front();
                          if (!self->answers_.empty()) return self->write();
                          if (self->over_) self->close();
                        });
  }

  websocket::stream<beast::tcp_stream> stream_;
  PolicyServer::State* server_;
  beast::flat_buffer buffer_{16 * 1024}, said_;
  http::request_parser<http::empty_body> parser_;
  http::response<http::string_body> refusal_;
  std::deque<std::string> answers_;
  std::size_t queued_ = 0;
  std::vector<float> memory_;
  std::size_t policy_ = 0;
  Form form_ = Form::text;
  bool joined_ = false, over_ = false;

 public:
  Form form() const { return form_; }
};

}  // namespace

PolicyServer::State::State(std::vector<Policy> all, const PolicyServerOptions& given)
    : door{given.address, given.port, given.token, true},
      sampled(given.sampled),
      seed(derived_seed(given.seed, "policy server")),
      policies(std::move(all)) {
  std::set<std::string> roles;
  for (const Policy& policy : policies)
    if (!roles.insert(policy.signature().role).second)
      throw Error(ErrorKind::usage, "two policies play the role '" + policy.signature().role + "'",
                  "policies", "give one for each role");
  if (policies.empty())
    throw Error(ErrorKind::usage, "there is no policy to serve", "policies", "give one");
  listen_at(door, acceptor);
}

void PolicyServer::State::accept() {
  acceptor.async_accept([this](beast::error_code code, tcp::socket socket) {
    if (code == asio::error::operation_aborted) return;
    clients.remove_if([](const std::weak_ptr<Client>& client) { return client.expired(); });
    if (!code && clients.size() < most_clients) {
      const auto client = std::make_shared<Client>(std::move(socket), *this);
      clients.push_back(client);
      client->knock();
    }
    accept();
  });
}

void PolicyServer::State::ask(std::shared_ptr<Client> client, Asking asking) {
  waiting.emplace_back(std::move(client), std::move(asking));
  // What is posted comes behind everything that is ready now.
  if (waiting.size() == 1) asio::post(context, [this] { decide_all(); });
}

void PolicyServer::State::decide_all() {
  for (std::size_t policy = 0; policy < policies.size(); ++policy) decide(policy);
  requests += static_cast<std::int64_t>(waiting.size());
  waiting.clear();
}

void PolicyServer::State::decide(std::size_t number) {
  Policy& policy = policies[number];
  const std::size_t kept = policy.memory(), each = policy.controls();
  senses.clear();
  memory.clear();
  for (auto& [client, asking] : waiting) {
    if (client->policy() != number) continue;
    senses.insert(senses.end(), asking.observations.begin(), asking.observations.end());
    for (std::size_t i = 0; i < asking.seats.size(); ++i) {
      const auto own = client->memory(asking.seats[i], kept);
      if (asking.begins[i] != 0) std::fill(own.begin(), own.end(), 0.0f);
      memory.insert(memory.end(), own.begin(), own.end());
    }
  }
  if (senses.empty()) return;
  const std::size_t rows = senses.size() / policy.columns();
  controls.resize(rows * each);
  if (sampled) {
    RandomStream random(seed, static_cast<std::uint32_t>(decisions),
                        static_cast<std::uint32_t>(decisions >> 32), Purpose::decide);
    policy.decide(senses, controls, random, memory);
  } else {
    policy.decide(senses, controls, memory);
  }
  decisions += static_cast<std::int64_t>(rows);
  std::size_t row = 0;
  for (auto& [client, asking] : waiting) {
    if (client->policy() != number) continue;
    const std::size_t count = asking.seats.size();
    for (std::size_t i = 0; i < count; ++i)
      std::copy_n(memory.begin() + static_cast<std::ptrdiff_t>((row + i) * kept), kept,
                  client->memory(asking.seats[i], kept).begin());
    client->answer(decided_message(client->form(), asking.seats,
                                   std::span(controls).subspan(row * each, count * each)));
    row += count;
  }
}

PolicyServer::PolicyServer(std::vector<Policy> policies, const PolicyServerOptions& options)
    : state_(std::make_unique<State>(std::move(policies), options)) {
  state_->accept();
  state_->thread = std::thread([state = state_.get()] { state->context.run(); });
}

PolicyServer::~PolicyServer() {
  state_->context.stop();
  state_->thread.join();
  state_->waiting.clear();
}

std::string PolicyServer::address() const { return address_of(state_->door); }

PolicyServerReport PolicyServer::report() const {
  return {state_->connected, state_->requests, state_->decisions};
}

}  // namespace zithercraft
