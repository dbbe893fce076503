// Lets a game in C++17 join a Zithercraft training: this header is all there is. POSIX sockets.
//
//     class Cart : public zithercraft_client::Game { ... };
//     zithercraft_client::play("ws://127.0.0.1:4600/", {R"({"name": "cart", ...})", "cart",
//                              {{1, 4, {3, 0}, 2}}, 8}, [] { return std::make_unique<Cart>(); });
//
// The game is declared as in a game file, as the text of a JSON object. The messages are specified
// in docs/formats/remote.md.
#pragma once

#include <netdb.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <unistd.h>

#include <array>
#include <cstdint>
#include <cstring>
#include <functional>
#include <map>
#include <memory>
#include <random>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace zithercraft_client {

/// What a role's seats have: how many seats; columns of a seat; of each control the number of its
/// options, 0 for a dial; terms.
struct Role {
  std::size_t seats = 1, columns = 0;
  std::vector<std::size_t> controls;
  std::size_t terms = 0;
};
/// A game as it joins. `json`: all that a game file says; or empty, if the training has the file.
struct Declaration {
  std::string json, name;
  std::vector<Role> roles;
  std::size_t copies = 1;
};

/// A form of a drawing: points, line, boxes, text or picture; numbers in metres.
struct Form {
  std::string name, form, label;
  std::array<std::uint8_t, 3> colour{};
  std::vector<float> numbers;
};

/// What the seats decided, and what comes of it. Roles, seats, controls and terms count from 0.
class Step {
 public:
  Step(const std::vector<Role>& roles, std::uint32_t number) : number(number), roles_(roles) {}
  const std::uint32_t number;  ///< in its episode, from 1
  /// A dial's value in its range, or the number of a choice's option.
  float control(std::size_t control, std::size_t role = 0, std::size_t seat = 0) const {
    return controls[role][seat * roles_[role].controls.size() + control];
  }
  /// Adds to what a term pays a seat, before the term's weight.
  void pay(std::size_t term, float amount, std::size_t role = 0, std::size_t seat = 0) {
    rewards[role][seat * roles_[role].terms + term] += amount;
  }
  void succeed() { outcome = outcome == 2 ? 2 : 1; }  ///< for the first role's side
  void fail() { outcome = 2; }
  void cut_off() { outcome = outcome == 0 ? 3 : outcome; }  ///< without a verdict
  void happen(std::uint32_t event, std::uint32_t role = 0, std::uint32_t seat = 0,
              float strength = 0) {
    events.push_back({event, role, seat, strength});
  }

  struct Event {
    std::uint32_t event, role, seat;
    float strength;
  };
  // What the connection fills in and reads.
  std::vector<const float*> controls;
  std::vector<float*> rewards;
  std::uint8_t outcome = 0;
  std::vector<Event> events;

 private:
  const std::vector<Role>& roles_;
};

/// One copy of a game.
class Game {
 public:
  virtual ~Game() = default;
  /// Begins an episode. The seed is below 2^53; the same one must give the same episode.
  virtual void begin(std::uint64_t seed, const std::map<std::string, double>& settings) = 0;
  virtual void step(Step& step) = 0;
  virtual void observe(std::size_t role, std::size_t seat, float* columns) const = 0;
  virtual bool allowed(std::size_t /*role*/, std::size_t /*seat*/, std::size_t /*control*/,
                       std::size_t /*option*/) const {
    return true;
  }
  virtual bool present(std::size_t /*role*/, std::size_t /*seat*/) const { return true; }
  virtual std::vector<Form> draw() const { return {}; }
};

namespace inner {

using Bytes = std::vector<std::uint8_t>;

// ---- CBOR (RFC 8949) with typed arrays (RFC 8746)

class Writer {
 public:
  Bytes bytes;
  void head(unsigned major, std::uint64_t number) {
    const unsigned size = number < 24 ? 0 : number < 256 ? 1 : number < 65536 ? 2 : 4;
    bytes.push_back(std::uint8_t(major << 5 | (size == 0 ? number : size == 4 ? 26 : 23 + size)));
    digits(number, size);
  }
  void text(const std::string& text) {
    head(3, text.size());
    bytes.insert(bytes.end(), text.begin(), text.end());
  }
  void member(const char* key, const std::string& value) { text(key), text(value); }
  void member(const char* key, std::uint32_t value) { text(key), head(0, value); }
  void member(const char* key, float value) {
    text(key);
    std::uint32_t bits;
    std::memcpy(&bits, &value, 4);
    bytes.push_back(0xfa);
    digits(bits, 4);
  }
  void list(const char* key, std::size_t items) { text(key), head(4, items); }
  template <class T>  // numbers whose lowest byte comes first
  void member(const char* key, unsigned tag, const std::vector<T>& numbers) {
    text(key);
    head(6, tag);
    head(2, numbers.size() * sizeof(T));
    const auto* const first = reinterpret_cast<const std::uint8_t*>(numbers.data());
    bytes.insert(bytes.end(), first, first + numbers.size() * sizeof(T));
  }

 private:
  void digits(std::uint64_t number, unsigned size) {
    for (unsigned i = size; i-- > 0;) bytes.push_back(std::uint8_t(number >> 8 * i));
  }
};

// A message's values, as far as trainings send them.
struct Value {
  std::uint64_t number = 0;
  double real = 0;
  std::string text;
  std::vector<std::uint32_t> whole;
  std::vector<float> floats;
  std::vector<Value> items;
  std::vector<std::pair<std::string, Value>> members;
  const Value& operator[](const std::string& name) const {
    for (const auto& [key, value] : members)
      if (key == name) return value;
    throw std::runtime_error("the training's message lacks '" + name + "'");
  }
};

class Reader {
 public:
  explicit Reader(const Bytes& bytes) : at_(bytes.data()), end_(at_ + bytes.size()) {}
  Value value(int depth = 0) {
    if (depth > 16) throw std::runtime_error("the training's message is nested too deep");
    Value v;
    const std::uint8_t first = *take(1);
    const unsigned major = first >> 5, info = first & 31;
    std::uint64_t number = argument(info);
    if (major == 7 && info > 25) v.real = real(number, info);
    if (major == 0) v.real = double(v.number = number);
    if (major == 1) v.real = -1.0 - double(number);
    if (major == 3) v.text.assign(reinterpret_cast<const char*>(take(number)), number);
    if (major == 4)
      while (number-- > 0) v.items.push_back(value(depth + 1));
    if (major == 5)
      while (number-- > 0) {
        std::string key = value(depth + 1).text;
        v.members.emplace_back(std::move(key), value(depth + 1));
      }
    if (major == 6) {
      const std::uint8_t head = *take(1);
      if (head >> 5 != 2) throw std::runtime_error("the training's message has unknown tags");
      const std::uint64_t size = argument(head & 31);
      const auto* const data = take(size);
      if (number == 70) v.whole.resize(size / 4), std::memcpy(v.whole.data(), data, size / 4 * 4);
      if (number == 85) v.floats.resize(size / 4), std::memcpy(v.floats.data(), data, size / 4 * 4);
    }
    return v;
  }

 private:
  std::uint64_t argument(unsigned info) {
    if (info < 24) return info;
    if (info > 27) throw std::runtime_error("the training's message has unknown lengths");
    std::uint64_t number = 0;
    const std::size_t width = std::size_t(1) << (info - 24);
    const auto* const digits = take(width);
    for (std::size_t i = 0; i < width; ++i) number = number << 8 | digits[i];
    return number;
  }
  static double real(std::uint64_t bits, unsigned info) {
    if (info == 27) {
      double number;
      std::memcpy(&number, &bits, 8);
      return number;
    }
    const auto low = std::uint32_t(bits);
    float number;
    std::memcpy(&number, &low, 4);
    return double(number);
  }
  const std::uint8_t* take(std::uint64_t count) {
    if (count > std::uint64_t(end_ - at_)) throw std::runtime_error("a message is cut short");
    const std::uint8_t* const taken = at_;
    at_ += count;
    return taken;
  }
  const std::uint8_t *at_, *end_;
};

// ---- WebSocket (RFC 6455)

class Wire {
 public:
  explicit Wire(const std::string& address) {
    const std::size_t host_at = 5, slash = address.find('/', host_at);
    if (address.rfind("ws://", 0) != 0)
      throw std::runtime_error("'" + address + "' is no address like ws://127.0.0.1:4600/");
    const std::string authority = address.substr(host_at, slash - host_at);
    const std::size_t colon = authority.rfind(':');
    std::string host = authority.substr(0, colon);
    if (!host.empty() && host[0] == '[') host = host.substr(1, host.size() - 2);
    addrinfo hints{}, *found = nullptr;
    hints.ai_socktype = SOCK_STREAM;
    const std::string port = colon == std::string::npos ? "80" : authority.substr(colon + 1);
    if (getaddrinfo(host.c_str(), port.c_str(), &hints, &found) != 0)
      throw std::runtime_error("there is no machine '" + host + "'");
    socket_ = ::socket(found->ai_family, found->ai_socktype, 0);
    const bool there = ::connect(socket_, found->ai_addr, found->ai_addrlen) == 0;
    freeaddrinfo(found);
    if (!there) throw std::runtime_error("nobody listens at " + address);
    const int on = 1;
    setsockopt(socket_, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    Bytes nonce(16);
    for (auto& byte : nonce) byte = std::uint8_t(random_());
    const std::string request =
        "GET " + (slash == std::string::npos ? "/" : address.substr(slash)) +
        " HTTP/1.1\r\nHost: " + authority +
        "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Key: " + base64(nonce) +
        "\r\nSec-WebSocket-Version: 13\r\n\r\n";
    write(reinterpret_cast<const std::uint8_t*>(request.data()), request.size());
    std::string answer;
    while (answer.find("\r\n\r\n") == std::string::npos && answer.size() < 8192)
      answer += char(*read(1));
    if (answer.find(" 101 ") == std::string::npos)
      throw std::runtime_error("the training does not let the game in: " +
                               answer.substr(0, answer.find('\r')));
  }
  ~Wire() { ::close(socket_); }
  Wire(const Wire&) = delete;
  Wire& operator=(const Wire&) = delete;

  void send(unsigned opcode, const Bytes& payload) {
    const std::size_t size = payload.size();
    const unsigned width = size < 126 ? 0 : size < 65536 ? 2 : 8;
    frame_ = {std::uint8_t(0x80 | opcode), std::uint8_t(0x80 | (width == 0   ? size
                                                                : width == 2 ? 126
                                                                             : 127))};
    for (unsigned i = width; i-- > 0;) frame_.push_back(std::uint8_t(std::uint64_t(size) >> 8 * i));
    std::uint8_t masks[8];
    for (int i = 0; i < 4; ++i) masks[i] = masks[i + 4] = std::uint8_t(random_());
    frame_.insert(frame_.end(), masks, masks + 4);
    const std::size_t first = frame_.size();
    frame_.insert(frame_.end(), payload.begin(), payload.end());
    for (std::size_t i = 0; i < size; ++i) frame_[first + i] ^= masks[i & 7];
    write(frame_.data(), frame_.size());
  }
  /// The next message, without one once the connection is closed.
  bool receive(Bytes& message) {
    message.clear();
    for (;;) {
      const std::uint8_t *head = read(2), first = head[0];
      std::uint64_t size = head[1] & 127;
      if (size > 125) {
        const unsigned width = size == 126 ? 2 : 8;
        const std::uint8_t* const digits = read(width);
        size = 0;
        for (unsigned i = 0; i < width; ++i) size = size << 8 | digits[i];
      }
      if (size > (1u << 28)) throw std::runtime_error("the training sends too much");
      const std::uint8_t* const part = read(size);
      if ((first & 15) == 8) return false;
      if ((first & 15) == 9) {
        send(10, Bytes(part, part + size));
      } else if ((first & 15) < 3) {
        message.insert(message.end(), part, part + size);
        if (first & 0x80) return true;
      }
    }
  }

 private:
  static std::string base64(const Bytes& bytes) {
    static const char digits[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
      std::uint32_t three = 0;
      for (std::size_t k = 0; k < 3; ++k)
        three = three << 8 | (i + k < bytes.size() ? bytes[i + k] : 0);
      for (std::size_t k = 0; k < 4; ++k)
        text += i + k > bytes.size() ? '=' : digits[three >> (18 - 6 * k) & 63];
    }
    return text;
  }
  void write(const std::uint8_t* bytes, std::size_t size) {
    while (size > 0) {
      const ssize_t sent = ::send(socket_, bytes, size, MSG_NOSIGNAL);
      if (sent <= 0) throw std::runtime_error("the training has left");
      bytes += sent;
      size -= std::size_t(sent);
    }
  }
  /// So many bytes, valid until the next call.
  const std::uint8_t* read(std::size_t size) {
    if (begin_ > 0 && begin_ + size > buffer_.size()) {
      std::memmove(buffer_.data(), buffer_.data() + begin_, end_ - begin_);
      end_ -= std::exchange(begin_, 0);
    }
    if (size > buffer_.size()) buffer_.resize(size);
    while (end_ - begin_ < size) {
      const ssize_t got = ::recv(socket_, buffer_.data() + end_, buffer_.size() - end_, 0);
      if (got <= 0) throw std::runtime_error("the training has left");
      end_ += std::size_t(got);
    }
    begin_ += size;
    return buffer_.data() + begin_ - size;
  }

  int socket_ = -1;
  std::minstd_rand random_{std::random_device{}()};
  Bytes frame_, buffer_ = Bytes(1 << 16);
  std::size_t begin_ = 0, end_ = 0;
};

// ---- What a game answers

class Players {
 public:
  Players(const Declaration& d, const std::function<std::unique_ptr<Game>()>& make)
      : d_(d), numbers_(d.copies), rewards_(d.roles.size()) {
    for (std::size_t copy = 0; copy < d.copies; ++copy) games_.push_back(make());
  }

  /// Answers a message in `out`; false once the training is over.
  bool answer(const Value& message, Writer& out) {
    const std::string& kind = message["message"].text;
    outcomes_.clear();
    events_.clear();
    if (kind == "begin") {
      begin(message);
      write_state(out, message["copies"].whole, false);
    } else if (kind == "step") {
      step(message);
      write_state(out, message["copies"].whole, true);
    } else if (kind == "draw") {
      write_drawing(out, message["copy"].number);
    } else if (kind != "end") {
      throw std::runtime_error("the training sent '" + kind + "', which this kit does not know");
    }
    return kind != "end";
  }

 private:
  void begin(const Value& message) {
    std::map<std::string, double> settings;
    for (const auto& [name, value] : message["settings"].members) settings[name] = value.real;
    const auto& copies = message["copies"].whole;
    for (std::size_t i = 0; i < copies.size(); ++i) {
      numbers_.at(copies[i]) = 0;
      games_[copies[i]]->begin(message["seeds"].items.at(i).number, settings);
    }
  }

  void step(const Value& message) {
    const auto& copies = message["copies"].whole;
    for (std::size_t r = 0; r < rewards_.size(); ++r)
      rewards_[r].assign(copies.size() * d_.roles[r].seats * d_.roles[r].terms, 0.0f);
    for (std::size_t i = 0; i < copies.size(); ++i) {
      Step step(d_.roles, ++numbers_.at(copies[i]));
      for (std::size_t r = 0; r < rewards_.size(); ++r) {
        const Role& role = d_.roles[r];
        const auto& controls = message["roles"].items.at(r)["controls"].floats;
        step.controls.push_back(controls.data() + i * role.seats * role.controls.size());
        step.rewards.push_back(rewards_[r].data() + i * role.seats * role.terms);
      }
      games_[copies[i]]->step(step);
      outcomes_.push_back(step.outcome);
      for (const Step::Event& event : step.events) events_.emplace_back(copies[i], event);
    }
  }

  void write_state(Writer& out, const std::vector<std::uint32_t>& copies, bool stepped) const {
    out.head(5, 3 + (stepped ? 2 : 0));
    out.member("message", "state");
    out.member("copies", 70, copies);
    out.list("roles", d_.roles.size());
    for (std::size_t r = 0; r < d_.roles.size(); ++r) {
      const Role& role = d_.roles[r];
      std::vector<float> columns(copies.size() * role.seats * role.columns);
      Bytes allowed, present;
      float* at = columns.data();
      for (const std::uint32_t copy : copies)
        for (std::size_t seat = 0; seat < role.seats; ++seat, at += role.columns) {
          const Game& game = *games_[copy];
          game.observe(r, seat, at);
          present.push_back(game.present(r, seat) ? 1 : 0);
          for (std::size_t c = 0; c < role.controls.size(); ++c)
            for (std::size_t o = 0; o < role.controls[c]; ++o)
              allowed.push_back(game.allowed(r, seat, c, o) ? 1 : 0);
        }
      out.head(5, stepped ? 4 : 3);
      out.member("observations", 85, columns);
      out.member("present", 64, present);
      out.member("allowed", 64, allowed);
      if (stepped) out.member("rewards", 85, rewards_[r]);
    }
    if (!stepped) return;
    out.member("outcomes", 64, outcomes_);
    out.list("events", events_.size());
    for (const auto& [copy, event] : events_) {
      out.head(5, 5);
      out.member("copy", copy);
      out.member("event", event.event);
      out.member("role", event.role);
      out.member("seat", event.seat);
      out.member("strength", event.strength);
    }
  }

  void write_drawing(Writer& out, std::uint64_t copy) const {
    const std::vector<Form> forms = games_.at(copy)->draw();
    out.head(5, 3);
    out.member("message", "drawing");
    out.member("copy", std::uint32_t(copy));
    out.list("forms", forms.size());
    for (const Form& form : forms) {
      out.head(5, 5);
      out.member("name", form.name);
      out.member("form", form.form);
      out.member("label", form.label);
      out.member("colour", 64, Bytes(form.colour.begin(), form.colour.end()));
      out.member("numbers", 85, form.numbers);
    }
  }

  const Declaration& d_;
  std::vector<std::unique_ptr<Game>> games_;
  std::vector<std::uint32_t> numbers_;  // of the steps of each
  std::vector<std::vector<float>> rewards_;
  Bytes outcomes_;
  std::vector<std::pair<std::uint32_t, Step::Event>> events_;
};

}  // namespace inner

/// Joins a training and plays until it ends. Throws std::runtime_error if the training does not
/// take the game, or leaves without a word.
inline void play(const std::string& address, const Declaration& d,
                 const std::function<std::unique_ptr<Game>()>& make) {
  using namespace inner;
  Wire wire(address);
  const std::string hello = R"({"message":"hello","protocol":1,"form":"binary","copies":)" +
                            std::to_string(d.copies) + R"(,"name":")" + d.name + '"' +
                            (d.json.empty() ? "" : ",\"game\":" + d.json) + "}";
  wire.send(1, Bytes(hello.begin(), hello.end()));
  Bytes bytes;
  if (!wire.receive(bytes)) throw std::runtime_error("the training closed the connection");
  if (const Value answer = Reader(bytes).value(); answer["message"].text != "welcome")
    throw std::runtime_error(answer["why"].text);
  Players players(d, make);
  for (Writer out; wire.receive(bytes); wire.send(2, out.bytes)) {
    out.bytes.clear();
    if (!players.answer(Reader(bytes).value(), out)) return;
  }
}

}  // namespace zithercraft_client
