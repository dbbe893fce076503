#include "remote/remote_batch.hpp"

#include <algorithm>

#include "zithercraft/base/error.hpp"

namespace zithercraft::remote_internal {
namespace {

using State = ::zithercraft::CopyState;
constexpr auto look_up = std::chrono::milliseconds(100);

// An episode that this many games were lost in is replaced by another.
constexpr std::size_t most_losses = 3;

std::uint64_t seed_of(const RemoteLane& lane) {
  EpisodeKey key = lane.key;
  for (std::size_t lost = most_losses; lost <= lane.losses; ++lost)
    key.seed = derived_seed(key.seed, "in place of one that was lost");
  return CustomStart{key, *lane.settings}.number();
}

}  // namespace

// ---- A lane hands over what it was told

void RemoteLane::step(CustomStep& step) {
  for (CopyPart::Role& role : told.roles) role.asked = false;
  const auto& shapes = host->shape.roles;
  for (std::size_t r = 0; r < shapes.size(); ++r) {
    const std::vector<float>& rewards = told.roles[r].rewards;
    for (std::size_t seat = 0; seat < shapes[r].seats; ++seat)
      for (std::size_t t = 0; t < shapes[r].paid.size(); ++t)
        if (const float amount = rewards[seat * shapes[r].paid.size() + t]; amount != 0.0f)
          step.pay(t, static_cast<double>(amount), r, seat);
  }
  for (const CustomStep::Happening& h : told.events) {
    if (h.other_role == CustomStep::nobody)
      step.happen(h.event, h.role, h.seat, h.strength);
    else
      step.happen(h.event, h.role, h.seat, h.other_role, h.other_seat, h.strength);
  }
  if (told.outcome == Outcome::success) step.end(Verdict::success);
  if (told.outcome == Outcome::failure) step.end(Verdict::failure);
  if (told.outcome == Outcome::cutoff) step.cut_off();
}

void RemoteLane::observe(std::size_t role, std::size_t seat, std::span<float> columns) const {
  const auto& all = told.roles[role].observations;
  std::copy_n(all.data() + seat * columns.size(), columns.size(), columns.begin());
}

bool RemoteLane::allowed(std::size_t role, std::size_t seat, std::size_t control,
                         std::size_t option) const {
  const RoleShape& shape = host->shape.roles[role];
  return told.roles[role].allowed[seat * shape.options + shape.first_option[control] + option] != 0;
}

void RemoteLane::picture(std::size_t role, std::size_t seat, std::size_t number,
                         std::span<std::uint8_t> pixels) const {
  const RoleShape& shape = host->shape.roles[role];
  const std::uint8_t* first = told.roles[role].pictures.data() + seat * shape.bytes;
  for (std::size_t before = 0; before < number; ++before) first += shape.picture_bytes[before];
  std::copy_n(first, pixels.size(), pixels.begin());
}

// Once it has decided, what it did; until then what it says that it would do.
bool RemoteLane::expert(std::size_t role, std::size_t seat, std::span<float> controls) const {
  const CopyPart::Role& of = told.roles[role];
  const std::vector<float>& all = of.asked ? of.decided : of.expert;
  if (all.empty()) return false;
  std::copy_n(all.data() + seat * controls.size(), controls.size(), controls.begin());
  return true;
}

bool RemoteLane::present(std::size_t role, std::size_t seat) const {
  return told.roles[role].present[seat] != 0;
}

std::array<float, 3> RemoteLane::place(std::size_t role, std::size_t seat) const {
  const float* const at = told.roles[role].places.data() + 3 * seat;
  return {at[0], at[1], at[2]};
}

void RemoteLane::draw(std::vector<Overlay>& drawing) const {
  // A copy whose episode has ended shows its last moment until somebody else takes it.
  const Copy& shown = copy ? copy : home;
  if (!shown || standing == Standing::to_begin) return;
  if (!copy) {
    const std::lock_guard lock(host->mutex);
    if (!host->is_free(home)) return;
  }
  GameLink& link = *shown.link;
  const std::lock_guard busy(link.busy);
  try {
    link.send(draw_message(link.form(), shown.number), host->deadline());
    for (;;) {
      Received received = link.receive(host->shape, host->deadline());
      if (received.kind != "drawing") continue;  // a state that another lane waits for
      drawing.insert(drawing.end(), std::make_move_iterator(received.drawing.begin()),
                     std::make_move_iterator(received.drawing.end()));
      return;
    }
  } catch (const std::exception& error) {
    host->drop(link, error.what());
  }
}

// ---- A batch

// While it lasts, the copies of a batch are its own.
class RemoteBatch::Call {
 public:
  explicit Call(RemoteBatch& batch) : batch_(batch) {
    const std::lock_guard lock(batch_.host_->mutex);
    ++batch_.calls_;
  }
  ~Call() {
    const std::lock_guard lock(batch_.host_->mutex);
    --batch_.calls_;
  }
  Call(const Call&) = delete;
  Call& operator=(const Call&) = delete;

 private:
  RemoteBatch& batch_;
};

bool RemoteBatch::Exchange::answered() const {
  const auto has = [](const Asked& asked) { return asked.lane->told.answered; };
  return std::all_of(begins.begin(), begins.end(), has) &&
         std::all_of(steps.begin(), steps.end(), has) &&
         std::all_of(awaited.begin(), awaited.end(), has);
}

RemoteBatch::RemoteBatch(std::shared_ptr<RemoteHost::State> host, std::size_t lanes)
    : host_(std::move(host)), lanes_(lanes) {
  for (RemoteLane& lane : lanes_) lane.host = host_.get();
  const std::lock_guard lock(host_->mutex);
  host_->batches.insert(this);
}

RemoteBatch::~RemoteBatch() {
  // What was asked for and not answered yet must not reach whoever plays the copy next.
  for (RemoteLane& lane : lanes_)
    if (lane.standing == RemoteLane::Standing::asked) receive_answer(lane);
  const std::lock_guard lock(host_->mutex);
  host_->batches.erase(this);
  for (RemoteLane& lane : lanes_)
    if (lane.copy) host_->give_back(std::exchange(lane.copy, {}));
}

// What was asked and is not wanted any more.
void RemoteBatch::receive_answer(RemoteLane& lane) {
  if (!lane.copy) return;
  Exchange exchange{.link = lane.copy.link, .awaited = {{&lane}}, .deadline = host_->deadline()};
  receive(exchange);
}

bool RemoteBatch::yield_copies() {
  if (calls_ > 0) return false;
  bool any = false;
  for (RemoteLane& lane : lanes_) {
    if (!lane.copy || lane.standing == RemoteLane::Standing::asked) continue;
    host_->give_back(std::exchange(lane.copy, {}));
    any = true;
  }
  return any;
}

void RemoteBatch::begin(std::span<const BatchStart> starts) {
  const Call call(*this);
  std::vector<Asked> asked;
  for (const BatchStart& start : starts) {
    RemoteLane& lane = lanes_[start.lane];
    if (lane.standing == RemoteLane::Standing::asked) receive_answer(lane);
    lane.key = start.start.key;
    lane.settings = &start.start.settings;
    lane.losses = 0;
    lane.standing = RemoteLane::Standing::to_begin;
    lane.state = State::waits;
    asked.push_back({&lane});
  }
  go_on(asked);
}

void RemoteBatch::step(std::span<const BatchStep> steps) {
  const Call call(*this);
  std::vector<Asked> asked;
  for (const BatchStep& step : steps) asked.push_back({&lanes_[step.lane], step.parts});
  const auto since = Clock::now();
  while (!go_on(asked)) wait(since);
}

void RemoteBatch::end(std::size_t lane) {
  const std::lock_guard lock(host_->mutex);
  lanes_[lane].standing = RemoteLane::Standing::ended;
  if (lanes_[lane].copy) host_->give_back(std::exchange(lanes_[lane].copy, {}));
}

// Does what can be done now. Whether any of the lanes got on.
bool RemoteBatch::go_on(std::span<const Asked> lanes) {
  std::vector<Exchange> exchanges;
  assign(lanes, exchanges);
  for (Exchange& exchange : exchanges) send(exchange);
  if (host_->options.free)
    receive_those_ready(exchanges);
  else
    receive_all(exchanges);
  return settle(lanes);
}

void RemoteBatch::assign(std::span<const Asked> lanes, std::vector<Exchange>& exchanges) {
  const std::lock_guard lock(host_->mutex);
  std::size_t last = 0;  // of the exchanges: lanes beside each other mostly have the same
  const auto of = [&](const std::shared_ptr<GameLink>& link) -> Exchange& {
    if (last < exchanges.size() && exchanges[last].link == link) return exchanges[last];
    for (last = 0; last < exchanges.size(); ++last)
      if (exchanges[last].link == link) return exchanges[last];
    exchanges.push_back({.link = link, .deadline = host_->deadline()});
    return exchanges.back();
  };
  for (const Asked& asked : lanes) {
    RemoteLane& lane = *asked.lane;
    using Standing = RemoteLane::Standing;
    if (lane.standing == Standing::ended) continue;
    if (lane.copy && !lane.copy.link->open) {
      lose(lane);
      continue;
    }
    if (lane.standing == Standing::to_begin) {
      if (!lane.copy) lane.copy = host_->take(lane.home);
      if (!lane.copy) continue;
      lane.home = lane.copy;
      of(lane.copy.link).begins.push_back(asked);
    } else if (!lane.copy) {
      lose(lane);  // another batch needed it
    } else if (lane.standing == Standing::playing) {
      of(lane.copy.link).steps.push_back(asked);
    } else {
      of(lane.copy.link).awaited.push_back(asked);
    }
  }
}

void RemoteBatch::send(Exchange& exchange) {
  GameLink& link = *exchange.link;
  const std::lock_guard busy(link.busy);
  const auto expect = [&](RemoteLane& lane) {
    link.expect(lane.copy.number, lane.told);
    lane.told.stepped = !lane.beginning;
    lane.told.answered = false;
    lane.standing = RemoteLane::Standing::asked;
    lane.asked_at = Clock::now();
  };
  try {
    // Copies whose games have other settings, on another stage, are told apart.
    std::vector<bool> told(exchange.begins.size());
    for (std::size_t i = 0; i < exchange.begins.size(); ++i) {
      if (told[i]) continue;
      const auto* settings = exchange.begins[i].lane->settings;
      std::vector<BeginCopy> copies;
      for (std::size_t k = i; k < exchange.begins.size(); ++k) {
        RemoteLane& lane = *exchange.begins[k].lane;
        if (told[k] || *lane.settings != *settings) continue;
        told[k] = true;
        copies.push_back({lane.copy.number, seed_of(lane)});
        lane.beginning = true;
        lane.told.roles.resize(host_->shape.roles.size());
        for (CopyPart::Role& role : lane.told.roles) role.asked = false;
        expect(lane);
      }
      link.send(begin_message(link.form(), copies, *settings), exchange.deadline);
    }
    if (exchange.steps.empty()) return;
    std::vector<StepCopy> copies;
    for (const Asked& asked : exchange.steps) {
      copies.push_back({asked.lane->copy.number, asked.parts});
      for (std::size_t r = 0; r < asked.parts.size(); ++r) {
        const auto& experts = asked.parts[r].by_expert;
        asked.lane->told.roles[r].asked =
            std::find(experts.begin(), experts.end(), 1) != experts.end();
      }
      asked.lane->beginning = false;
      expect(*asked.lane);
    }
    link.send(step_message(link.form(), copies, host_->shape), exchange.deadline);
    link.steps += copies.size();
  } catch (const std::exception& error) {
    host_->drop(link, error.what());
  }
}

// Waits until everything that was asked is answered.
void RemoteBatch::receive(Exchange& exchange) {
  GameLink& link = *exchange.link;
  const std::lock_guard busy(link.busy);
  try {
    while (link.open && !exchange.answered()) link.receive(host_->shape, exchange.deadline);
  } catch (const std::exception& error) {
    host_->drop(link, error.what());
  }
}

void RemoteBatch::receive_all(std::vector<Exchange>& exchanges) {
  for (Exchange& exchange : exchanges) receive(exchange);
}

// Waits until half of the games have answered, and takes what else is there.
void RemoteBatch::receive_those_ready(std::vector<Exchange>& exchanges) {
  const std::size_t enough = (exchanges.size() + 1) / 2;
  std::vector<bool> done(exchanges.size());
  for (std::size_t answered = 0;;) {
    const std::size_t before = answered;
    for (std::size_t i = 0; i < exchanges.size(); ++i) {
      if (done[i]) continue;
      GameLink& link = *exchanges[i].link;
      const std::lock_guard busy(link.busy);
      try {
        while (link.open && !exchanges[i].answered() && link.ready(Clock::now()))
          link.receive(host_->shape, exchanges[i].deadline);
        if (link.open && !exchanges[i].answered()) {
          const auto late = [&](const Asked& asked) {
            return !asked.lane->told.answered &&
                   Clock::now() - asked.lane->asked_at > host_->answer_time();
          };
          if (std::any_of(exchanges[i].awaited.begin(), exchanges[i].awaited.end(), late))
            throw LinkError("it did not answer in time");
          continue;
        }
      } catch (const std::exception& error) {
        host_->drop(link, error.what());
      }
      done[i] = true;
      ++answered;
    }
    if (answered >= enough && answered == before) return;
    if (answered == before) {
      // Nobody has: the first that is still asked shows when to look again.
      const auto first = std::find(done.begin(), done.end(), false);
      GameLink& link = *exchanges[static_cast<std::size_t>(first - done.begin())].link;
      {
        const std::lock_guard busy(link.busy);
        link.ready(Clock::now() + std::chrono::milliseconds(1));
      }
      if (const auto now = Clock::now(); now > exchanges.front().deadline) {
        receive_all(exchanges);  // which drops those that are late
        return;
      }
    }
  }
}

// Says of each lane how it stands. Whether any got on.
bool RemoteBatch::settle(std::span<const Asked> lanes) {
  bool any = false;
  const std::lock_guard lock(host_->mutex);
  for (const Asked& asked : lanes) {
    RemoteLane& lane = *asked.lane;
    if (lane.standing == RemoteLane::Standing::asked && lane.copy && !lane.copy.link->open)
      lose(lane);
    if (lane.standing == RemoteLane::Standing::asked && lane.told.answered) {
      lane.state = State::plays;
      lane.standing = RemoteLane::Standing::playing;
    } else if (!lane.lost_now) {
      lane.state = State::waits;
    }
    any = any || lane.state == State::plays || lane.lost_now;
    lane.lost_now = false;
  }
  return any;
}

// With the host's lock held: the copy is gone, and with it the episode.
void RemoteBatch::lose(RemoteLane& lane) {
  lane.copy = {};
  ++lane.losses;
  const bool played = !(lane.standing == RemoteLane::Standing::to_begin ||
                        (lane.standing == RemoteLane::Standing::asked && lane.beginning));
  lane.standing = RemoteLane::Standing::to_begin;
  lane.state = played ? State::lost : State::waits;
  lane.lost_now = played;
}

// Until a copy comes free. `since`: when this began.
void RemoteBatch::wait(Clock::time_point since) {
  std::unique_lock lock(host_->mutex);
  if (!host_->free.empty()) return;
  const auto fail = [](const std::string& problem, const char* fix) {
    throw Error(ErrorKind::refused, problem, "games in other processes", fix);
  };
  if (host_->stopped())
    fail("it was stopped while no game was there to play", "go on from the last checkpoint");
  const bool late = Clock::now() - since > host_->join_time();
  if (host_->links.empty() && late)
    fail("no game is there any more" + host_->why_none(),
         "let games join again, and go on from the last checkpoint");
  if (!host_->links.empty() && late && calls_ == 1)
    fail("more episodes are to be played side by side than there are copies of the game",
         "let more games join");
  if (host_->changed.wait_for(lock, look_up) == std::cv_status::timeout) host_->preempt(this);
}

}  // namespace zithercraft::remote_internal
