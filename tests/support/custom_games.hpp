#pragma once

// A custom game, and ways to get one wrong.

#include <cmath>
#include <cstring>
#include <deque>
#include <map>
#include <stdexcept>

#include "zithercraft/game/spec.hpp"

namespace zithercraft::test {

/// What a winch does that it should not, or need not.
struct Tricks {
  bool saves = false;             // brings itself back, and is not played again
  bool saves_too_little = false;  // not its random numbers
  bool looks_at_a_clock = false;
  bool keeps_an_episode = false;  // something of it is left in the next
  bool shares_a_counter = false;  // between copies
  bool ignores_the_rope = false;
};

/// Two hands at a winch haul a boat: who pulls the rope moves it, waves move it too, and each third
/// step one may call the time. It is home at 1 and lost at -1.
class Winch : public CustomGame {
 public:
  explicit Winch(Tricks tricks) : tricks_(tricks) {}

  void begin(const CustomStart& start) override {
    random_ = start.random();
    drawn_ = 0;
    waves_ = start.setting("waves");
    leaves_at_ = static_cast<std::uint32_t>(start.setting("leaves_at"));
    if (!tricks_.keeps_an_episode) boat_ = 0.0;
    boat_ = std::fmod(boat_, 0.5);
    step_ = 0;
    hauled_.clear();
  }

  void step(CustomStep& step) override {
    step_ = step.number();
    double moved = waves_ * (2.0 * static_cast<double>(random_.uniform()) - 1.0);
    ++drawn_;
    for (std::size_t hand = 0; hand < 2; ++hand) {
      if (!present(0, hand)) continue;
      const double pull = tricks_.ignores_the_rope ? 0.3 : step.control(0, 0, hand);
      moved += 0.05 * pull;
      hauled_[hand].push_back(pull);
      step.pay(0, pull, 0, hand);
      if (step.control(1, 0, hand) > 0.0) {
        step.pay(1, 1.0, 0, hand);
        step.happen(0, 0, hand, 0, 1 - hand, 2.0f);
      }
    }
    if (tricks_.looks_at_a_clock) moved += 0.001 * static_cast<double>(ticks()++ % 7);
    if (tricks_.shares_a_counter) moved += 0.001 * static_cast<double>(steps_of_all()++ % 5);
    boat_ += moved;
    if (boat_ > 1.0) step.end(Verdict::success);
    if (boat_ < -1.0) step.end(Verdict::failure);
    if (step.number() == 40) step.cut_off();
  }

  void observe(std::size_t, std::size_t seat, std::span<float> columns) const override {
    columns[0] = static_cast<float>(boat_);
    columns[1] = static_cast<float>(seat);
    const auto found = hauled_.find(seat);
    columns[2] = found == hauled_.end() ? 0.0f : static_cast<float>(found->second.back());
  }

  bool allowed(std::size_t, std::size_t, std::size_t, std::size_t) const override {
    return step_ % 3 == 2;
  }
  bool present(std::size_t, std::size_t seat) const override {
    return seat == 0 || leaves_at_ == 0 || step_ < leaves_at_;
  }
  std::array<float, 3> place(std::size_t, std::size_t) const override {
    return {static_cast<float>(boat_), 0.0f, 0.0f};
  }

  void draw(std::vector<Overlay>& drawing) const override {
    using Form = Overlay::Form;
    const auto x = static_cast<float>(boat_);
    drawing.push_back(
        {.name = "water",
         .form = Form::picture,
         .numbers = {-1.2f, -0.6f, 1.2f, 0.0f, 2, 1, 3, 0.1f, 0.3f, 0.6f, 0.2f, 0.5f, 0.8f}});
    drawing.push_back({.name = "rope",
                       .form = Form::line,
                       .colour = {90, 60, 30},
                       .numbers = {x, 0.1f, 0.0f, 1.0f, 0.1f, 0.0f}});
    drawing.push_back({.name = "boat",
                       .form = Form::boxes,
                       .colour = {20, 90, 160},
                       .numbers = {x - 0.1f, 0.0f, x + 0.1f, 0.2f}});
    drawing.push_back(
        {.name = "marks", .label = "home", .colour = {180, 40, 40}, .numbers = {1.0f, 0.4f, 0.0f}});
    drawing.push_back({.name = "count",
                       .label = std::to_string(step_),
                       .form = Form::text,
                       .colour = {0, 0, 0},
                       .numbers = {-0.9f, 0.4f, 0.0f, 0.12f}});
  }

  bool save(std::vector<std::byte>& out) const override {
    if (!tricks_.saves) return false;
    const double numbers[] = {boat_, static_cast<double>(step_), static_cast<double>(drawn_)};
    const auto bytes = std::as_bytes(std::span(numbers));
    out.insert(out.end(), bytes.begin(), bytes.end());
    for (std::size_t hand = 0; hand < 2; ++hand) {
      const auto found = hauled_.find(hand);
      const double last = found == hauled_.end() ? 0.0 : found->second.back();
      const auto more = std::as_bytes(std::span(&last, 1));
      out.insert(out.end(), more.begin(), more.end());
    }
    return true;
  }
  void restore(std::span<const std::byte> saved) override {
    double numbers[5];
    std::memcpy(numbers, saved.data(), sizeof numbers);
    boat_ = numbers[0];
    step_ = static_cast<std::uint32_t>(numbers[1]);
    if (step_ > 0)
      for (std::size_t hand = 0; hand < 2; ++hand) hauled_[hand] = {numbers[3 + hand]};
    if (tricks_.saves_too_little) return;
    for (drawn_ = 0; drawn_ < static_cast<int>(numbers[2]); ++drawn_) random_.uniform();
  }

 private:
  static std::uint64_t& ticks() {
    static std::uint64_t ticks = 0;
    return ticks;
  }
  static std::uint64_t& steps_of_all() {
    static std::uint64_t steps = 0;
    return steps;
  }

  Tricks tricks_;
  RandomStream random_{0, 0, 0, Purpose::user};
  int drawn_ = 0;  // random numbers since the beginning
  double waves_ = 0.0, boat_ = 0.0;
  std::uint32_t step_ = 0, leaves_at_ = 0;
  std::map<std::size_t, std::deque<double>> hauled_;
};

inline GameSpec winch(Tricks tricks = {}) {
  GameSpec game{.name = "winch", .about = "two hands haul a boat"};
  game.custom = {.settings = {{"waves", 0.02}, {"leaves_at", 0.0}},
                 .events = {"call"},
                 .step_seconds = 0.5,
                 .frame = {{-1.2, -0.6, 1.2, 0.6}},
                 .code = [tricks] { return std::make_unique<Winch>(tricks); }};
  game.roles = {{.name = "hand",
                 .seats = 2,
                 .senses = {CustomSense{.name = "winch",
                                        .columns = {{.name = "boat", .low = -1.5, .high = 1.5},
                                                    {.name = "me"},
                                                    {.name = "last", .low = -1}}}},
                 .controls = {Dial{.name = "rope"},
                              Choice{.name = "voice",
                                     .options = {{.name = "silent"},
                                                 {.name = "call",
                                                  .allowed_when = AllowedWhen{.by_game = true}}}}},
                 .rewards = {{.name = "hauling"}, {.name = "calling", .weight = 0.1}}}};
  game.cutoffs.steps = 60;
  return game;
}

}  // namespace zithercraft::test
