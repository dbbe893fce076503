#include "zithercraft/game/custom_game.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/text.hpp"
#include "zithercraft/game/game.hpp"

namespace zithercraft {
namespace {

std::vector<GameSpec>& all_added() {
  static std::vector<GameSpec> games;
  return games;
}

[[noreturn]] void no_such(const std::string& what, std::size_t number, const std::string& of,
                          std::size_t count, const char* where) {
  throw Error(ErrorKind::usage,
              "the game's own code asks for " + what + " " + std::to_string(number) + " of " + of +
                  ", which has " + std::to_string(count) + ", counted from 0",
              where, "ask for one that is there");
}

}  // namespace

double CustomStart::setting(const std::string& name) const {
  if (const auto found = settings.find(name); found != settings.end()) return found->second;
  std::vector<std::string> known;
  for (const auto& [declared, value] : settings) known.push_back(declared);
  throw Error(ErrorKind::spec, "the game declares no setting '" + name + "'", "custom.settings",
              known.empty() ? "add it there" : advice(name, known));
}

RandomStream CustomStart::random() const {
  return {derived_seed(key.seed, "custom game"), key.lane, key.episode, Purpose::user};
}

std::uint64_t CustomStart::number() const {
  RandomStream stream = random();
  const std::uint64_t high = stream.bits();
  return (high << 21u) | (stream.bits() >> 11u);
}

const CustomStep::Part& CustomStep::part(std::size_t role, std::size_t seat) const {
  if (role >= parts_.size()) no_such("role", role, "the game", parts_.size(), "CustomStep");
  const Part& found = parts_[role];
  if (seat >= found.seats)
    no_such("seat", seat, "the role '" + std::string(found.name) + "'", found.seats, "CustomStep");
  return found;
}

double CustomStep::control(std::size_t control, std::size_t role, std::size_t seat) const {
  const Part& of = part(role, seat);
  if (control >= of.controls_each)
    no_such("control", control, "the role '" + std::string(of.name) + "'", of.controls_each,
            "CustomStep::control");
  return static_cast<double>(of.controls[seat * of.controls_each + control]);
}

void CustomStep::pay(std::size_t term, double amount, std::size_t role, std::size_t seat) {
  const Part& of = part(role, seat);
  if (term >= of.terms_each)
    no_such("term", term, "the role '" + std::string(of.name) + "'", of.terms_each,
            "CustomStep::pay");
  if (of.paid[term] == 0)
    throw Error(ErrorKind::usage,
                "the game's own code pays term " + std::to_string(term) + " of the role '" +
                    std::string(of.name) + "', which has a trigger of its own",
                "CustomStep::pay", "leave the trigger out, or do not pay it");
  of.amounts[seat * of.terms_each + term] += static_cast<float>(amount);
}

void CustomStep::end(Verdict verdict) {
  if (verdict_ != Verdict::failure) verdict_ = verdict;
}

void CustomStep::happen(std::size_t event, std::size_t role, std::size_t seat, float strength) {
  part(role, seat);
  if (event >= events_) no_such("event", event, "the game", events_, "CustomStep::happen");
  happened_.push_back({.event = event, .role = role, .seat = seat, .strength = strength});
}

void CustomStep::happen(std::size_t event, std::size_t role, std::size_t seat,
                        std::size_t other_role, std::size_t other_seat, float strength) {
  part(other_role, other_seat);
  happen(event, role, seat, strength);
  happened_.back().other_role = other_role;
  happened_.back().other_seat = other_seat;
}

void CustomGame::picture(std::size_t, std::size_t, std::size_t,
                         std::span<std::uint8_t> pixels) const {
  std::fill(pixels.begin(), pixels.end(), std::uint8_t{0});
}
bool CustomGame::expert(std::size_t, std::size_t, std::span<float>) const { return false; }
bool CustomGame::allowed(std::size_t, std::size_t, std::size_t, std::size_t) const { return true; }
bool CustomGame::present(std::size_t, std::size_t) const { return true; }
std::array<float, 3> CustomGame::place(std::size_t, std::size_t) const { return {}; }
void CustomGame::draw(std::vector<Overlay>&) const {}
bool CustomGame::save(std::vector<std::byte>&) const { return false; }
void CustomGame::restore(std::span<const std::byte>) {}

void add_game(const GameSpec& game) {
  const Game checked(game);
  for (const GameSpec& known : all_added())
    if (known.name == game.name)
      throw Error(ErrorKind::spec, "a game of the name '" + game.name + "' was added already",
                  "name", "give it another name");
  all_added().push_back(game);
}

std::span<const GameSpec> added_games() { return all_added(); }

}  // namespace zithercraft
