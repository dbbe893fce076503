// Lets a game in C++17 join a Zithercraft training: this header is all there is. POSIX, x86 or ARM.
//
//     class Cart : public zithercraft_client::Game { ... };
//     zithercraft_client::play("ws://127.0.0.1:4600/", {R"({"name": "cart", ...})", "cart",
//                              {{1, 4, {3, 0}, 2}}, 8}, [] { return std::make_unique<Cart>(); });
//
// The messages are specified in docs/formats/remote.md.
#pragma once

#include <netdb.h>
#include <netinet/tcp.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdint>
#include <cstdio>
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

/// A role. Of each control the number of its options, 0 for a dial; of all pictures their bytes.
struct Role {
  std::size_t seats = 1, columns = 0;
  std::vector<std::size_t> controls{};
  std::size_t terms = 0, picture_bytes = 0;
};
/// A game as it joins. `json`: what a game file says, as an object; empty if the training has it.
struct Declaration {
  std::string json, name;
  std::vector<Role> roles;
  std::size_t copies = 1;
};
/// A form of a drawing: points, line, boxes, text or picture; numbers in metres.
struct Form {
  std::string name, form, label{};
  std::vector<std::uint8_t> colour{};  ///< red, green, blue
  std::vector<float> numbers{};
};

/// What the seats decided, and what comes of it. Roles, seats, controls and terms count from 0.
struct Step {
  struct Event {
    std::uint32_t event, role, seat;
  };
  const std::vector<Role>& roles;
  std::uint32_t number;  ///< in its episode, from 1
  std::vector<const float*> controls{};
  std::vector<float*> rewards{};
  std::uint8_t outcome = 0;
  std::vector<Event> events{};

  /// A dial's value in its range, or the number of a choice's option.
  float control(std::size_t control, std::size_t role = 0, std::size_t seat = 0) const {
    return controls[role][seat * roles[role].controls.size() + control];
  }
  /// Adds to what a term pays a seat, before the term's weight.
  void pay(std::size_t term, float amount, std::size_t role = 0, std::size_t seat = 0) {
    rewards[role][seat * roles[role].terms + term] += amount;
  }
  void succeed() { outcome = outcome == 2 ? 2 : 1; }  ///< for the first role's side
  void fail() { outcome = 2; }
  void cut_off() { outcome = outcome == 0 ? 3 : outcome; }  ///< without a verdict
  void happen(std::uint32_t event, std::uint32_t role = 0, std::uint32_t seat = 0) {
    events.push_back({event, role, seat});
  }
};

/// One copy of a game.
class Game {
 public:
  virtual ~Game() = default;
  /// Begins an episode. The same seed, below 2^53, gives the same episode.
  virtual void begin(std::uint64_t seed, const std::map<std::string, double>& settings) = 0;
  virtual void step(Step& step) = 0;
  virtual void observe(std::size_t role, std::size_t seat, float* columns) const = 0;
  virtual void picture(std::size_t, std::size_t, std::uint8_t*) const {}  ///< all of a seat's
  /// What the game's own expert does in a seat's place: a number for each control.
  virtual void expert(std::size_t /*role*/, std::size_t /*seat*/, float* /*controls*/) const {}
  /// Whether an option of a control is allowed now: arguments are role, seat, control, option.
  virtual bool allowed(std::size_t, std::size_t, std::size_t, std::size_t) const { return true; }
  virtual bool present(std::size_t /*role*/, std::size_t /*seat*/) const { return true; }
  virtual std::vector<Form> draw() const { return {}; }
};

namespace inner {

using Bytes = std::vector<std::uint8_t>;

inline void check(bool fine, const std::string& problem) {
  if (!fine) throw std::runtime_error(problem);
}
inline void put_digits(Bytes& out, std::uint64_t number, unsigned bytes) {
  for (unsigned i = bytes; i-- > 0;) out.push_back(std::uint8_t(number >> 8 * i));
}
inline std::uint64_t digits(const std::uint8_t* from, std::size_t bytes) {
  std::uint64_t number = 0;
  for (std::size_t i = 0; i < bytes; ++i) number = number << 8 | from[i];
  return number;
}

// ---- CBOR (RFC 8949) with typed arrays (RFC 8746)

struct Writer {
  Bytes bytes;
  void head(unsigned major, std::uint64_t number) {
    const unsigned size = number < 24 ? 0 : number < 256 ? 1 : number < 65536 ? 2 : 4;
    bytes.push_back(std::uint8_t(major << 5 | (size == 0 ? number : size == 4 ? 26 : 23 + size)));
    put_digits(bytes, number, size);
  }
  void text(const std::string& text) {
    head(3, text.size());
    bytes.insert(bytes.end(), text.begin(), text.end());
  }
  void member(const char* key, const std::string& value) { text(key), text(value); }
  void member(const char* key, std::uint32_t value) { text(key), head(0, value); }
  void list(const char* key, std::size_t items) { text(key), head(4, items); }
  template <class T>
  void member(const char* key, unsigned tag, const std::vector<T>& numbers) {
    text(key), head(6, tag), head(2, numbers.size() * sizeof(T));
    const auto* const first = reinterpret_cast<const std::uint8_t*>(numbers.data());
    bytes.insert(bytes.end(), first, first + numbers.size() * sizeof(T));
  }
};

// A message's values, as far as trainings send them.
struct Value {
  double number = 0;
  std::string text{};  // or bytes
  std::vector<Value> items{};
  std::map<std::string, Value> members{};

  const Value& operator[](const std::string& name) const {
    const auto found = members.find(name);
    check(found != members.end(), "the training's message lacks '" + name + "'");
    return found->second;
  }
  template <class T>
  std::vector<T> typed() const {
    std::vector<T> numbers(text.size() / sizeof(T));
    if (!numbers.empty()) std::memcpy(numbers.data(), text.data(), numbers.size() * sizeof(T));
    return numbers;
  }
};

inline Value read_value(const Bytes& bytes, std::size_t& at, int depth = 0) {
  const auto take = [&](std::uint64_t count) {
    check(count <= bytes.size() - at, "the training's message is cut short");
    return bytes.data() + (at += count) - count;
  };
  Value v;
  const unsigned first = *take(1), major = first >> 5, info = first & 31;
  check(depth < 16 && info < 28, "the training's message is not understood");
  const std::size_t size = info < 24 ? 0 : std::size_t(1) << (info - 24);
  std::uint64_t number = size == 0 ? info : digits(take(size), size);
  if (major == 0) v.number = double(number);
  if (major == 1) v.number = -1.0 - double(number);
  if (major == 2 || major == 3) v.text.assign(reinterpret_cast<const char*>(take(number)), number);
  for (; major == 4 && number > 0; --number) v.items.push_back(read_value(bytes, at, depth + 1));
  for (; major == 5 && number > 0; --number) {
    const std::string key = read_value(bytes, at, depth + 1).text;
    v.members[key] = read_value(bytes, at, depth + 1);
  }
  if (major == 6) return read_value(bytes, at, depth + 1);
  if (major == 7 && size == 8) std::memcpy(&v.number, &number, 8);
  if (float single; major == 7 && size == 4) {
    std::memcpy(&single, &number, 4);
    v.number = double(single);
  }
  return v;
}

// ---- WebSocket (RFC 6455)

class Wire {
 public:
  explicit Wire(const std::string& address) {
    char host[256] = "", port[8] = "", path[1024] = "/";
    check(std::sscanf(address.c_str(), "ws://%255[^:]:%7[0-9]%1023s", host, port, path) >= 2,
          "'" + address + "' is no address like ws://127.0.0.1:4600/");
    addrinfo hints{}, *found = nullptr;
    hints.ai_socktype = SOCK_STREAM;
    check(getaddrinfo(host, port, &hints, &found) == 0, "there is no such machine");
    socket_ = ::socket(found->ai_family, found->ai_socktype, 0);
    const bool there = ::connect(socket_, found->ai_addr, found->ai_addrlen) == 0;
    freeaddrinfo(found);
    check(there, "nobody listens at " + address);
    const int on = 1;
    setsockopt(socket_, IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    std::string key = "AAAAAAAAAAAAAAAAAAAAAA==";  // 16 bytes in BASE64
    for (std::size_t i = 0; i < 21; ++i) key[i] = char('A' + (random_() >> 8) % 26);
    const std::string request =
        std::string("GET ") + path + " HTTP/1.1\r\nHost: " + host + ":" + port +
        "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Version: 13\r\n" +
        "Sec-WebSocket-Key: " + key + "\r\n\r\n";
    write(reinterpret_cast<const std::uint8_t*>(request.data()), request.size());
    std::string answer;
    while (answer.find("\r\n\r\n") == std::string::npos && answer.size() < 8192)
      answer += char(*read(1));
    check(answer.find(" 101 ") != std::string::npos,
          "the training does not let the game in: " + answer.substr(0, answer.find('\r')));
  }
  ~Wire() { ::close(socket_); }
  void send(unsigned opcode, const Bytes& payload) {
    const std::size_t size = payload.size();
    const unsigned width = size < 126 ? 0 : size < 65536 ? 2 : 8;
    const std::size_t length = width == 0 ? size : width == 2 ? 126 : 127;
    frame_ = {std::uint8_t(0x80 | opcode), std::uint8_t(0x80 | length)};
    put_digits(frame_, size, width);
    std::uint8_t masks[8];
    for (int i = 0; i < 4; ++i) masks[i] = masks[i + 4] = std::uint8_t(random_() >> 8);
    frame_.insert(frame_.end(), masks, masks + 4);
    const std::size_t first = frame_.size();
    frame_.insert(frame_.end(), payload.begin(), payload.end());
    for (std::size_t i = 0; i < size; ++i) frame_[first + i] ^= masks[i & 7];
    write(frame_.data(), frame_.size());
  }
  /// The next message; false once the connection is closed.
  bool receive(Value& message) {
    for (message_.clear();;) {
      const std::uint8_t* const head = read(2);
      const unsigned opcode = head[0] & 15, last = head[0] & 0x80;
      std::uint64_t size = head[1] & 127;
      const std::size_t width = size < 126 ? 0 : size == 126 ? 2 : 8;
      if (width > 0) size = digits(read(width), width);
      check(size < 1u << 28, "the training sends too much");
      const std::uint8_t* const part = read(size);
      if (opcode == 8) return false;
      if (opcode == 9) send(10, Bytes(part, part + size));
      if (opcode < 3) message_.insert(message_.end(), part, part + size);
      if (opcode < 3 && last) break;
    }
    std::size_t at = 0;
    message = read_value(message_, at);
    return true;
  }

 private:
  void write(const std::uint8_t* bytes, std::size_t size) {
    for (ssize_t sent; size > 0; bytes += sent, size -= std::size_t(sent))
      check((sent = ::send(socket_, bytes, size, MSG_NOSIGNAL)) > 0, "the training has left");
  }
  /// The next bytes, valid until the next call.
  const std::uint8_t* read(std::size_t size) {
    if (begin_ + size > buffer_.size()) {
      std::memmove(buffer_.data(), buffer_.data() + begin_, end_ - begin_);
      end_ -= std::exchange(begin_, 0);
      buffer_.resize(std::max(buffer_.size(), size));
    }
    while (end_ - begin_ < size) {
      const ssize_t got = ::recv(socket_, buffer_.data() + end_, buffer_.size() - end_, 0);
      check(got > 0, "the training has left");
      end_ += std::size_t(got);
    }
    return buffer_.data() + (begin_ += size) - size;
  }

  int socket_ = -1;
  std::minstd_rand random_{std::random_device{}()};
  Bytes frame_, message_, buffer_ = Bytes(1 << 16);
  std::size_t begin_ = 0, end_ = 0;
};

// ---- What a game answers

class Players {
 public:
  Players(const Declaration& d, const std::function<std::unique_ptr<Game>()>& make)
      : d_(d), numbers_(d.copies), rewards_(d.roles.size()), decided_(d.roles.size()) {
    for (std::size_t copy = 0; copy < d.copies; ++copy) games_.push_back(make());
  }
  /// Answers a message in `out`; false once the training is over.
  bool answer(const Value& message, Writer& out) {
    const std::string& kind = message["message"].text;
    const bool state = kind == "begin" || kind == "step";
    check(state || kind == "draw" || kind == "end", "the training sent an unknown '" + kind + "'");
    if (kind == "begin") begin(message);
    if (kind == "step") step(message);
    if (kind == "draw") write_drawing(out, std::uint32_t(message["copy"].number));
    if (state) write_state(out, kind == "step");
    return kind != "end";
  }

 private:
  void begin(const Value& message) {
    std::map<std::string, double> settings;
    for (const auto& [name, value] : message["settings"].members) settings[name] = value.number;
    copies_ = message["copies"].typed<std::uint32_t>();
    for (std::size_t i = 0; i < copies_.size(); ++i) {
      numbers_.at(copies_[i]) = 0;
      games_[copies_[i]]->begin(std::uint64_t(message["seeds"].items.at(i).number), settings);
    }
  }

  void step(const Value& message) {
    copies_ = message["copies"].typed<std::uint32_t>();
    outcomes_.clear(), events_.clear();
    for (std::size_t r = 0; r < rewards_.size(); ++r) {
      const Role& role = d_.roles[r];
      const Value& told = message["roles"].items.at(r);
      rewards_[r].assign(copies_.size() * role.seats * role.terms, 0.0f);
      decided_[r] = told["controls"].typed<float>();
      if (told.members.count("by_expert") == 0) continue;
      const Bytes experts = told["by_expert"].typed<std::uint8_t>();
      for (std::size_t row = 0; row < experts.size(); ++row)
        if (experts[row] != 0)
          games_[copies_[row / role.seats]]->expert(r, row % role.seats,
                                                    &decided_[r][row * role.controls.size()]);
    }
    for (std::size_t i = 0; i < copies_.size(); ++i) {
      Step step{d_.roles, ++numbers_.at(copies_[i])};
      for (std::size_t r = 0; r < rewards_.size(); ++r) {
        step.controls.push_back(decided_[r].data() + i * decided_[r].size() / copies_.size());
        step.rewards.push_back(rewards_[r].data() + i * rewards_[r].size() / copies_.size());
      }
      games_[copies_[i]]->step(step);
      outcomes_.push_back(step.outcome);
      for (const Step::Event& event : step.events) events_.emplace_back(copies_[i], event);
    }
  }

  void write_state(Writer& out, bool stepped) const {
    out.head(5, 3 + (stepped ? 2 : 0));
    out.member("message", "state"), out.member("copies", 70, copies_);
    out.list("roles", d_.roles.size());
    for (std::size_t r = 0; r < d_.roles.size(); ++r) {
      const Role& role = d_.roles[r];
      const std::size_t rows = copies_.size() * role.seats;
      std::vector<float> columns(rows * role.columns);
      Bytes allowed, present, pictures(rows * role.picture_bytes);
      for (std::size_t row = 0; row < rows; ++row) {
        const Game& game = *games_[copies_[row / role.seats]];
        const std::size_t seat = row % role.seats;
        game.observe(r, seat, columns.data() + row * role.columns);
        if (!pictures.empty()) game.picture(r, seat, &pictures[row * role.picture_bytes]);
        present.push_back(game.present(r, seat) ? 1 : 0);
        for (std::size_t c = 0; c < role.controls.size(); ++c)
          for (std::size_t o = 0; o < role.controls[c]; ++o)
            allowed.push_back(game.allowed(r, seat, c, o) ? 1 : 0);
      }
      out.head(5, 4 + (stepped ? 2 : 0));
      out.member("observations", 85, columns), out.member("pictures", 64, pictures);
      out.member("present", 64, present), out.member("allowed", 64, allowed);
      if (stepped) out.member("rewards", 85, rewards_[r]), out.member("decided", 85, decided_[r]);
    }
    if (!stepped) return;
    out.member("outcomes", 64, outcomes_), out.list("events", events_.size());
    for (const auto& [copy, event] : events_) {
      out.head(5, 4), out.member("copy", copy), out.member("event", event.event);
      out.member("role", event.role), out.member("seat", event.seat);
    }
  }

  void write_drawing(Writer& out, std::uint32_t copy) const {
    const std::vector<Form> forms = games_.at(copy)->draw();
    out.head(5, 3), out.member("message", "drawing"), out.member("copy", copy);
    out.list("forms", forms.size());
    for (const Form& form : forms) {
      out.head(5, 5), out.member("name", form.name), out.member("form", form.form);
      out.member("label", form.label), out.member("numbers", 85, form.numbers);
      out.member("colour", 64, form.colour);
    }
  }

  const Declaration& d_;
  std::vector<std::unique_ptr<Game>> games_;
  std::vector<std::uint32_t> numbers_, copies_;  // steps of each; those that a message is about
  std::vector<std::vector<float>> rewards_, decided_;
  Bytes outcomes_;
  std::vector<std::pair<std::uint32_t, Step::Event>> events_;
};

}  // namespace inner

/// Joins a training and plays until it ends. Throws std::runtime_error if the training does not
/// take the game, or leaves without a word.
inline void play(const std::string& address, const Declaration& d,
                 const std::function<std::unique_ptr<Game>()>& make) {
  inner::Wire wire(address);
  const std::string hello = R"({"message":"hello","protocol":1,"form":"binary","copies":)" +
                            std::to_string(d.copies) + R"(,"name":")" + d.name + '"' +
                            (d.json.empty() ? "" : ",\"game\":" + d.json) + "}";
  wire.send(1, inner::Bytes(hello.begin(), hello.end()));
  inner::Value message;
  inner::check(wire.receive(message), "the training closed the connection");
  if (message["message"].text != "welcome") throw std::runtime_error(message["why"].text);
  inner::Players players(d, make);
  for (inner::Writer out; wire.receive(message) && players.answer(message, out); out.bytes.clear())
    wire.send(2, out.bytes);
}

}  // namespace zithercraft_client
