#include <algorithm>
#include <utility>

#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/demonstrations.hpp"
#include "zithercraft/match/play.hpp"

namespace zithercraft {
namespace {

template <class Number>
void append_to(std::vector<Number>& all, std::span<const Number> more) {
  all.insert(all.end(), more.begin(), more.end());
}

// Takes down what the seats of some roles do in every lane.
class Scribe final : public Onlooker {
 public:
  Scribe(const Game& game, std::span<const std::size_t> roles, std::size_t episodes,
         double disturbance)
      : roles_(roles),
        disturbance_(disturbance),
        hands_(episodes),
        running_(episodes),
        finished_(episodes) {
    for (const std::size_t role : roles_) seats_ += game.roles()[role].seats.size();
  }

  void decided(Environment& lanes, std::size_t lane) override {
    if (lanes.idle(lane)) return;
    std::size_t seat = 0;
    each_seat(lanes, lane, [&](Demonstration& own, std::size_t row) {
      append_to(own.senses, lanes.observation(own.role, row));
      own.controls.resize(own.controls.size() + lanes.game().roles()[own.role].controls.size());
      own.rewards.push_back(0.0f);
      own.present.push_back(lanes.present(own.role, row) ? 1 : 0);
      if (disturbance_ <= 0.0) return;
      append_to(own.advice, std::span<const float>(lanes.control(own.role, row)));
      disturb(lanes, own.role, row, seat++);
      take_controls(lanes, own, row);
    });
  }

  void stepped(const Environment& lanes, std::size_t lane) override {
    each_seat(lanes, lane, [&](Demonstration& own, std::size_t row) {
      if (lanes.lost(lane)) own = Demonstration{own.role};
      if (own.rewards.empty()) return;
      own.rewards.back() += lanes.rewards(own.role)[row];
      // What a game's own expert did is known only now.
      if (disturbance_ <= 0.0) take_controls(lanes, own, row);
    });
  }

  void ended(const Environment& lanes, std::size_t lane, std::size_t episode) override {
    each_seat(lanes, lane, [&](Demonstration& own, std::size_t row) {
      append_to(own.senses, lanes.observation(own.role, row));
      own.outcome = episode_result(lanes, own.role, row).outcome;
    });
    finished_[episode] = std::exchange(running_of(lane), {});
  }

  Demonstrations result() {
    Demonstrations all;
    for (auto& episode : finished_)
      for (Demonstration& own : episode) all.list.push_back(std::move(own));
    return all;
  }

 private:
  std::vector<Demonstration>& running_of(std::size_t lane) {
    auto& running = running_[lane];
    running.resize(seats_);
    return running;
  }
  template <class Function>
  void each_seat(const Environment& lanes, std::size_t lane, Function function) {
    std::size_t at = 0;
    auto& running = running_of(lane);
    for (const std::size_t role : roles_)
      for (std::size_t seat = 0; seat < lanes.seats(role); ++seat, ++at) {
        running[at].role = role;
        function(running[at], lane * lanes.seats(role) + seat);
      }
  }

  static void take_controls(const Environment& lanes, Demonstration& own, std::size_t row) {
    const std::size_t each = lanes.game().roles()[own.role].controls.size();
    const auto given = lanes.given_controls(own.role).subspan(row * each, each);
    std::copy(given.begin(), given.end(), own.controls.end() - static_cast<std::ptrdiff_t>(each));
  }

  // In some steps a seat begins to do something else, and goes on with that for a while.
  void disturb(Environment& lanes, std::size_t role, std::size_t row, std::size_t seat) {
    constexpr double mean_length = 5.0;  // steps
    const std::size_t lane = row / lanes.seats(role);
    hands_[lane].resize(seats_);
    Hand& hand = hands_[lane][seat];
    const EpisodeKey key = lanes.key(lane);
    RandomStream random(
        derived_seed(key.seed, "disturb"), key.episode,
        lanes.steps(lane) * static_cast<std::uint32_t>(seats_) + static_cast<std::uint32_t>(seat),
        Purpose::decide);
    const auto& controls = lanes.game().roles()[role].controls;
    if (lanes.steps(lane) == 0) hand.left = 0;
    if (hand.left == 0) {
      const double begins = disturbance_ / (mean_length * (1.0 - disturbance_));
      if (static_cast<double>(random.uniform()) >= begins) return;
      hand.left = 1 + random.below(static_cast<std::uint32_t>(2.0 * mean_length) - 1);
      hand.controls.clear();
      for (const ControlInfo& control : controls)
        hand.controls.push_back(
            control.is_choice() ? static_cast<float>(random.below(
                                      static_cast<std::uint32_t>(control.options.size())))
                                : static_cast<float>(random.between(control.low, control.high)));
    }
    --hand.left;
    const auto out = lanes.control(role, row);
    for (std::size_t c = 0; c < controls.size(); ++c)
      if (!controls[c].is_choice() ||
          lanes.allowed(role, row, c, static_cast<std::size_t>(hand.controls[c])))
        out[c] = hand.controls[c];
  }

  // What a seat does in place of its player for some more steps.
  struct Hand {
    std::uint32_t left = 0;
    std::vector<float> controls{};
  };

  std::span<const std::size_t> roles_;
  double disturbance_;
  std::vector<std::vector<Hand>> hands_;  // in each lane, of each seat
  std::size_t seats_ = 0;
  std::vector<std::vector<Demonstration>> running_;   // in each lane, of which there are as many
  std::vector<std::vector<Demonstration>> finished_;  // in each episode
};

}  // namespace

Demonstrations demonstrate(const Game& game, const std::vector<const Player*>& players,
                           std::span<const std::size_t> roles, std::span<const EpisodeKey> episodes,
                           WorkerPool& pool, double disturbance) {
  Scribe scribe(game, roles, episodes.size(), disturbance);
  if (!episodes.empty()) play_watched(game, players, episodes, pool, scribe);
  return scribe.result();
}

}  // namespace zithercraft
