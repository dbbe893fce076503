#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "zithercraft/base/random.hpp"
#include "zithercraft/game/code.hpp"
#include "zithercraft/game/outcome.hpp"
#include "zithercraft/game/overlay.hpp"

/// Games of the user's own, in C++: a class that knows all of its game, and needs no arena.
namespace zithercraft {

enum class Verdict : std::uint8_t;
struct CustomGameSpec;

/// What an episode of a custom game begins with.
struct CustomStart {
  EpisodeKey key{};  ///< the same key must give the same episode
  /// The game's settings, as they are on the stage that is played.
  const std::map<std::string, double>& settings;

  /// A setting's value. Throws Error (spec) if the game declares none of that name.
  double setting(const std::string& name) const;
  /// A stream of random numbers that depends on the episode alone. A game keeps it and draws from
  /// it for as long as the episode lasts.
  RandomStream random() const;
  /// A number below 2^53 that depends on the episode alone, for games with random numbers of their
  /// own. Games in other processes are given the same.
  std::uint64_t number() const;
};

/// One step of a custom game: what the seats decided, and what comes of it. Valid during the call
/// it is passed to. Seats are counted in their role, from 0.
class CustomStep {
 public:
  /// What a seat has decided: a dial's value in its range, a choice's option number. Controls are
  /// counted in the order of the role. Throws Error (usage) if there is no such control.
  double control(std::size_t control, std::size_t role = 0, std::size_t seat = 0) const;
  /// Adds to the amount that a term pays a seat at this step, before the term's weight. Throws
  /// Error (usage) if there is no such term, or if it has a trigger of its own.
  void pay(std::size_t term, double amount, std::size_t role = 0, std::size_t seat = 0);
  /// Ends the episode with this verdict for the first role's side; failure outweighs success.
  void end(Verdict verdict);
  /// Ends the episode without a verdict, unless there is one.
  void cut_off() { cut_off_ = true; }
  /// Tells that one of the game's events happened: `event` counts those that it declares. Throws
  /// Error (usage) if there is no such event.
  void happen(std::size_t event, std::size_t role = 0, std::size_t seat = 0, float strength = 0.0f);
  /// The same, of a seat and another.
  void happen(std::size_t event, std::size_t role, std::size_t seat, std::size_t other_role,
              std::size_t other_seat, float strength = 0.0f);
  /// The step's number, from 1.
  std::uint32_t number() const noexcept { return number_; }

  /// One event, as told.
  struct Happening {
    std::size_t event = 0, role = 0, seat = 0;             ///< which, and whose
    std::size_t other_role = nobody, other_seat = nobody;  ///< with whom
    float strength = 0.0f;                                 ///< as told
  };
  static constexpr std::size_t nobody = static_cast<std::size_t>(-1);  ///< no other seat

  /// A role's part of a step: its seats' controls and terms, row by row.
  struct Part {
    std::string_view name{};                        ///< of the role
    std::size_t seats = 0;                          ///< of the role
    std::size_t controls_each = 0, terms_each = 0;  ///< of a seat
    std::span<const float> controls{};              ///< as given
    std::span<float> amounts{};                     ///< what terms pay
    std::span<const std::uint8_t> paid{};           ///< of each term: 1 if it has no trigger
    std::span<const std::uint8_t> by_expert{};      ///< of each seat: 1 if the expert decides
  };
  /// For those who run custom games.
  CustomStep(std::span<const Part> parts, std::size_t events, std::uint32_t number,
             std::vector<Happening>& happened)
      : parts_(parts), events_(events), number_(number), happened_(happened) {}
  /// What the game came to at this step.
  Verdict verdict() const noexcept { return verdict_; }
  /// Whether it cut its episode off.
  bool is_cut_off() const noexcept { return cut_off_; }

 private:
  const Part& part(std::size_t role, std::size_t seat) const;

  std::span<const Part> parts_;
  std::size_t events_;
  std::uint32_t number_;
  std::vector<Happening>& happened_;
  Verdict verdict_{};
  bool cut_off_ = false;
};

/// One copy of a game of the user's own: it may hold whatever it likes. Each lane has a copy of its
/// own, so functions of one copy are never called from two threads at a time; what copies share
/// must not change.
class CustomGame {
 public:
  CustomGame() = default;
  virtual ~CustomGame() = default;
  CustomGame(const CustomGame&) = delete;
  CustomGame& operator=(const CustomGame&) = delete;

  /// Begins an episode. Nothing of the one before may be left.
  virtual void begin(const CustomStart& start) = 0;
  /// Plays a step.
  virtual void step(CustomStep& step) = 0;
  /// Writes what a seat senses now: the columns of the role's custom senses in their order.
  virtual void observe(std::size_t role, std::size_t seat, std::span<float> columns) const = 0;

  /// Hands over a picture that a seat senses now, of its role's pictures: rows from the top, of
  /// each pixel its brightness, or red, green and blue, 0 to 255.
  virtual void picture(std::size_t role, std::size_t seat, std::size_t number,
                       std::span<std::uint8_t> pixels) const;
  /// What the game's own expert would do in a seat's place now: a dial's value in its range, a
  /// choice's option number. Whether it says so; asked only if the spec says that there is one.
  virtual bool expert(std::size_t role, std::size_t seat, std::span<float> controls) const;
  /// Whether an option that is `allowed_when` the game says so is allowed now.
  virtual bool allowed(std::size_t role, std::size_t seat, std::size_t control,
                       std::size_t option) const;
  /// Whether a seat takes part now. One that does not senses zeros, and nothing is learned from its
  /// controls.
  virtual bool present(std::size_t role, std::size_t seat) const;
  /// Where a seat is, for comparing where episodes lead: metres; zeros where there are no places.
  virtual std::array<float, 3> place(std::size_t role, std::size_t seat) const;
  /// Adds everything that is to be seen of the game now, the lowest first.
  virtual void draw(std::vector<Overlay>& drawing) const;
  /// Adds everything there is to know of the episode now behind `out`, and returns true. A game
  /// that does not is brought back by playing its controls again.
  virtual bool save(std::vector<std::byte>& out) const;
  /// Takes an episode up again from what `save` added, after `begin` with its key.
  virtual void restore(std::span<const std::byte> saved);
};

/// Makes a copy of a custom game. Called from several threads at once.
using CustomGameCode = Code<std::unique_ptr<CustomGame>()>;

class CustomHost;
/// Finds where the copies of a custom game are that is played elsewhere.
using CustomHostCode = Code<std::shared_ptr<CustomHost>()>;

/// A game of the user's own in place of an arena. A file can name it but not hold the code.
struct CustomGameSpec {
  /// Numbers that the game reads when an episode begins; stages, sweeps and `--set` change them.
  std::map<std::string, double> settings{};
  std::vector<std::string> events{};  ///< names of what it tells; each once
  double step_seconds = 0.1;  ///< how long a step lasts when it is watched, above 0, at most 60
  /// The same key and controls give the same episode, to the bit. If not, a training that is
  /// resumed begins new episodes.
  bool deterministic = true;
  bool expert = false;  ///< the game has an expert of its own, which can play every seat
  /// What is seen of it: left, bottom, right and top of its drawings, metres. Nothing without.
  std::optional<std::array<double, 4>> frame{};
  CustomGameCode code{};  ///< makes a copy of it
  CustomHostCode host{};  ///< in place of `code`: copies that are played together
  /// Whether this program has the game's code.
  bool playable() const noexcept { return code.function() || host.function(); }
  bool operator==(const CustomGameSpec&) const = default;
};

struct GameSpec;

/// Makes a game with code of its own known by its name, so that files and runs that name it get
/// their code from this program, and the tool's commands know it. Throws Error (spec) if it makes
/// no sense, or if another game of the name is known already. To be called before threads are
/// started.
void add_game(const GameSpec& game);
/// All that were added, in their order.
std::span<const GameSpec> added_games();

}  // namespace zithercraft
