#include <algorithm>
#include <cstring>

#include "game/custom_lanes.hpp"
#include "game/lane_block.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/game/lanes.hpp"

// What lanes do otherwise where code of the user's own is the game.
namespace zithercraft {
using namespace game_internal;
namespace {

[[noreturn]] void refuse(const std::string& what, const GamePlan& game,
                         const std::string& fix = "use snapshots of the same game only") {
  throw Error(ErrorKind::refused, what, "game '" + game.spec.name + "'", fix);
}

}  // namespace

void Lanes::refuse_custom(const char* where) const {
  if (custom_)
    throw Error(ErrorKind::usage, "the game is custom, and has no arena", where,
                "use what all environments have");
}

// The seats' bodies stand where they stand for ever; who takes part is all that the arena's part of
// the block says, beside the key.
void Lanes::begin_custom(std::size_t lane, EpisodeKey key) {
  const GamePlan& game = plan(lane);
  game.arena.rekey(block(lane), key.seed, key.lane, key.episode);
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat)
      game.arena.put(block(lane), game.roles[r].seats[seat], 4.0f * static_cast<float>(seat),
                     4.0f * static_cast<float>(r), 0.0);
  custom_->begin(lane, game, key);
  show_presence(lane);
}

void Lanes::show_presence(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat)
      game.arena.set_present(block(lane), game.roles[r].seats[seat],
                             custom_->game(lane).present(r, seat));
}

void Lanes::step_custom(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    CustomStep::Part& part = custom_->part(lane, r);
    const std::size_t terms = part.seats * part.terms_each;
    part.controls = part_of<float>(block(lane), game.role_plans[r].given_offset, 0,
                                   part.seats * part.controls_each);
    part.amounts = {scratch_[r].amounts.data() + lane * terms, terms};
    std::fill(part.amounts.begin(), part.amounts.end(), 0.0f);
    custom_->keep(lane,
                  {io_[r].controls.data() + lane * part.controls.size(), part.controls.size()});
  }
  custom_->step(lane, game, books(game, block(lane)).steps + 1, lanes_[lane].events);
  show_presence(lane);
}

void Lanes::draw(std::size_t lane, std::vector<Overlay>& drawing) const {
  if (custom_ && game_.spec().custom->frame && custom_->begun(lane))
    custom_->game(lane).draw(drawing);
}

// Behind the block: how many bytes bring the game back, and these.
void Lanes::append_custom(std::size_t lane, std::vector<std::byte>& out) const {
  const std::size_t at = out.size();
  out.resize(at + sizeof(std::uint64_t));
  custom_->append(lane, out);
  const std::uint64_t size = out.size() - at - sizeof size;
  std::memcpy(out.data() + at, &size, sizeof size);
}

std::size_t Lanes::restore_custom(std::size_t lane, std::span<const std::byte> bytes,
                                  std::size_t worker) {
  const GamePlan& game = plan(lane);
  std::uint64_t size = 0;
  const std::size_t head = game.block_bytes + sizeof size;
  if (bytes.size() < head) refuse("the snapshot is cut short", game);
  std::memcpy(&size, bytes.data() + game.block_bytes, sizeof size);
  if (size > bytes.size() - head) refuse("the snapshot is cut short", game);
  const auto stored = bytes.first(game.block_bytes), kept = bytes.subspan(head, size);
  Books book;
  std::memcpy(&book, stored.data() + game.books_offset, sizeof book);
  begin_one(lane, book.key, worker);
  if (!custom_->saves(lane)) {
    play_again(lane, book.steps, kept, worker);
    if (std::memcmp(block(lane), stored.data(), stored.size()) != 0)
      refuse("the game did not get back to where it was when its controls were played again", game,
             "let it depend on its key and on the controls alone, give it `save` and `restore`, or "
             "declare that it is not deterministic");
  } else {
    custom_->restore(lane, kept);
    std::memcpy(block(lane), stored.data(), stored.size());
    show(lane);
    sense(lane, worker);
  }
  return head + size;
}

void Lanes::play_again(std::size_t lane, std::uint32_t steps, std::span<const std::byte> controls,
                       std::size_t worker) {
  const GamePlan& game = plan(lane);
  std::size_t each = 0;
  for (std::size_t r = 0; r < game.roles.size(); ++r)
    each += seats(r) * game.roles[r].controls.size() * sizeof(float);
  if (controls.size() != steps * each)
    refuse("the snapshot holds controls of another number of steps", game);
  const std::byte* next = controls.data();
  for (std::uint32_t step = 0; step < steps && lanes_[lane].outcome == Outcome::running; ++step) {
    for (std::size_t r = 0; r < game.roles.size(); ++r) {
      const std::size_t numbers = seats(r) * game.roles[r].controls.size();
      std::memcpy(io_[r].controls.data() + lane * numbers, next, numbers * sizeof(float));
      next += numbers * sizeof(float);
    }
    step_one(lane, worker);
  }
}

}  // namespace zithercraft
