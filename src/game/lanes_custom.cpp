#include <algorithm>
#include <cstring>
#include <utility>

#include "game/custom_lanes.hpp"
#include "game/lane_block.hpp"
#include "game/lane_worker.hpp"
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

void Lanes::fill_parts(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    CustomStep::Part& part = custom_->part(lane, r);
    const std::size_t terms = part.seats * part.terms_each;
    part.controls = part_of<float>(block(lane), game.role_plans[r].given_offset, 0,
                                   part.seats * part.controls_each);
    part.by_expert = {io_[r].by_expert.data() + lane * part.seats, part.seats};
    part.amounts = {scratch_[r].amounts.data() + lane * terms, terms};
    std::fill(part.amounts.begin(), part.amounts.end(), 0.0f);
  }
}

// Where the game's own expert decides, its controls are those that were given.
void Lanes::ask_experts(std::size_t lane) {
  for (std::size_t r = 0; r < io_.size(); ++r)
    for (std::size_t seat = 0; seat < seats(r); ++seat) {
      const std::size_t row = lane * seats(r) + seat;
      if (std::exchange(io_[r].by_expert[row], std::uint8_t{0}) == 0) continue;
      if (!game_.spec().custom->expert || !custom_->game(lane).expert(r, seat, control(r, row)))
        throw Error(
            ErrorKind::refused,
            "the game has no expert that could decide for the role '" + game_.roles()[r].name + "'",
            "custom.expert", "let somebody else play it");
    }
}

bool Lanes::expert(std::size_t role, std::size_t row, std::span<float> controls) const {
  const std::size_t lane = row / seats(role);
  return custom_ && game_.spec().custom->expert && custom_->begun(lane) && !idle(lane) &&
         custom_->game(lane).expert(role, row % seats(role), controls);
}

void Lanes::step_custom(std::size_t lane) {
  const GamePlan& game = plan(lane);
  for (std::size_t r = 0; r < game.roles.size(); ++r) {
    const std::size_t controls = seats(r) * io_[r].controls_each;
    custom_->keep(lane, {io_[r].controls.data() + lane * controls, controls});
  }
  custom_->step(lane, game, books(game, block(lane)).steps + 1, lanes_[lane].events);
  show_presence(lane);
}

void Lanes::draw(std::size_t lane, std::vector<Overlay>& drawing) const {
  if (custom_ && game_.spec().custom->frame && custom_->begun(lane))
    custom_->game(lane).draw(drawing);
}

// ---- Copies that are played together

void Lanes::begin_batch(std::span<const LaneStart> starts, std::size_t worker) {
  std::vector<BatchStart> all;
  for (const LaneStart& start : starts) {
    set_stage(start.lane, lanes_[start.lane].next_stage);
    lanes_[start.lane].key = start.key;
    lanes_[start.lane].lost = false;
    custom_->set_between_episodes(start.lane, true);
    all.push_back({start.lane, {start.key, plan(start.lane).spec.custom->settings}});
  }
  custom_->batch()->begin(all);
  for (const LaneStart& start : starts) in_lane(start.lane, [&] { take_up(start.lane, worker); });
}

void Lanes::step_batch(std::span<const std::size_t> lanes, std::size_t worker) {
  std::vector<BatchStep>& steps = workers_[worker]->steps;
  steps.clear();
  for (const std::size_t lane : lanes) {
    lanes_[lane].lost = false;
    if (!lanes_[lane].idle) {
      keep_senses(lane);
      lanes_[lane].events.clear();
      read_controls(lane, worker);
      fill_parts(lane);
    }
    steps.push_back({lane, custom_->parts(lane)});
  }
  custom_->batch()->step(steps);
  for (const std::size_t lane : lanes) in_lane(lane, [&] { take_up(lane, worker); });
}

// Goes on with what has come of a lane.
void Lanes::take_up(std::size_t lane, std::size_t worker) {
  const CopyState state = custom_->batch()->state(lane);
  const EpisodeKey key = lanes_[lane].key;
  if (state == CopyState::lost) {
    lanes_[lane].lost = true;
    custom_->set_between_episodes(lane, true);
  }
  if (state != CopyState::plays) return leave_idle(lane);
  lanes_[lane].idle = false;
  if (custom_->between_episodes(lane)) {
    custom_->set_between_episodes(lane, false);
    begin_one(lane, key, worker);
  } else {
    ask_experts(lane);
    read_controls(lane, worker);
    fill_parts(lane);
    step_custom(lane);
    finish_step(lane, worker);
    if (lanes_[lane].outcome != Outcome::running) custom_->batch()->end(lane);
  }
}

// Nobody is there to take controls until the lane goes on.
void Lanes::leave_idle(std::size_t lane) {
  Lane& shown = lanes_[lane];
  shown.idle = true;
  shown.events.clear();
  for (std::size_t r = 0; r < io_.size(); ++r) {
    const std::size_t first = lane * seats(r), terms = io_[r].terms;
    std::fill_n(io_[r].present.data() + first, seats(r), std::uint8_t{0});
    std::fill_n(io_[r].by_expert.data() + first, seats(r), std::uint8_t{0});
    std::fill_n(io_[r].rewards.data() + first, seats(r), 0.0f);
    std::fill_n(io_[r].by_term.data() + first * terms, seats(r) * terms, 0.0f);
    if (!custom_->between_episodes(lane)) continue;
    std::fill_n(io_[r].ledger.data() + first * terms, seats(r) * terms, 0.0);
    std::fill_n(io_[r].observations.data() + first * io_[r].columns, seats(r) * io_[r].columns,
                0.0f);
  }
  if (!custom_->between_episodes(lane)) return;
  shown.outcome = Outcome::running;
  shown.ended_by = EndedBy::nothing;
  shown.steps = 0;
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
  begin(lane, book.key, worker);
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
  // A lane that waits takes no controls, and one that is lost begins again.
  while (lanes_[lane].idle ||
         (lanes_[lane].steps < steps && lanes_[lane].outcome == Outcome::running)) {
    const std::byte* next = controls.data() + lanes_[lane].steps * each;
    for (std::size_t r = 0; !lanes_[lane].idle && r < game.roles.size(); ++r) {
      const std::size_t numbers = seats(r) * game.roles[r].controls.size();
      std::memcpy(io_[r].controls.data() + lane * numbers, next, numbers * sizeof(float));
      next += numbers * sizeof(float);
    }
    step(lane, worker);
  }
}

}  // namespace zithercraft
