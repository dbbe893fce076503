#pragma once

// The messages between a game and a training, as docs/formats/remote.md specifies them. What a peer
// sends is checked here value by value; whatever else the library does with it can rely on that.

#include <cstddef>
#include <cstdint>
#include <map>
#include <span>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/game/game.hpp"

namespace zithercraft::remote_internal {

constexpr std::int64_t protocol_version = 1;

/// What a peer sent is no message, or not one that fits.
struct BadMessage : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// JSON in text frames, or the same objects as CBOR in binary frames.
enum class Form : std::uint8_t { text, binary };

/// What a game says first.
struct Hello {
  std::int64_t protocol = 0;
  std::string name{};       // of the game
  std::string game_json{};  // the game as in a game file; empty: the trainer's file declares it
  std::string program{};    // what plays it, for people
  std::size_t copies = 1;   // that it plays side by side
  Form form = Form::text;   // in which it wants to be answered
};

/// What the numbers of a role's seats are.
struct RoleShape {
  std::string name{};
  std::size_t seats = 0, columns = 0, controls = 0;  // of a copy; of a seat
  std::vector<std::uint8_t> paid{};                  // of each term: the game pays it
  std::size_t options = 0;                           // of all choices
  std::vector<std::size_t> first_option{};           // of each control, among all options
  std::vector<std::size_t> picture_bytes{};          // of each picture
  std::size_t bytes = 0;                             // of all pictures
};
struct GameShape {
  std::vector<RoleShape> roles{};
  std::size_t events = 0;
  static GameShape of(const Game& game);
};
/// What two sides of a connection must agree on and do not: seats, columns, controls, terms,
/// settings, events. Empty if they agree.
std::string disagreement(const Game& here, const Game& there);

/// One copy's part of a state.
struct CopyPart {
  struct Role {
    std::vector<float> observations{}, rewards{};    // [seats][columns], [seats][terms]
    std::vector<std::uint8_t> allowed{}, present{};  // [seats][options], [seats]
    std::vector<float> places{};                     // [seats][3]; zeros unless told
    std::vector<std::uint8_t> pictures{};            // [seats][bytes]
    std::vector<float> expert{};   // [seats][controls] what it would do; empty unless told
    std::vector<float> decided{};  // likewise what it did where it was asked to
    bool asked = false;            // the expert, for some seat
  };
  std::vector<Role> roles{};
  Outcome outcome = Outcome::running;
  std::vector<CustomStep::Happening> events{};
  bool stepped = false;   // what is asked for is a step, and not a beginning
  bool answered = false;  // since it was asked for last
};

/// Finds where the state of a copy belongs; null where nobody asked for it.
class StateReceiver {
 public:
  virtual ~StateReceiver() = default;
  virtual CopyPart* of_copy(std::size_t copy) = 0;
};

/// What of a message anybody needs to know who waits for it.
struct Received {
  std::string kind{};
  Hello hello{};
  std::vector<Overlay> drawing{};  // of a drawing
};

/// Reads a message. States go to `states`. Throws BadMessage.
Received read_message(std::span<const std::uint8_t> bytes, Form form, const GameShape& shape,
                      StateReceiver* states);

struct BeginCopy {
  std::size_t copy = 0;
  std::uint64_t seed = 0;
};
struct StepCopy {
  std::size_t copy = 0;
  std::span<const CustomStep::Part> parts{};
};

std::string welcome_message(Form form);
std::string refused_message(Form form, const std::string& why);
std::string begin_message(Form form, std::span<const BeginCopy> copies,
                          const std::map<std::string, double>& settings);
std::string step_message(Form form, std::span<const StepCopy> copies, const GameShape& shape);
std::string draw_message(Form form, std::size_t copy);
std::string end_message(Form form, const std::string& why);

}  // namespace zithercraft::remote_internal
