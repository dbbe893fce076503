#pragma once

// One game in two forms: as a class in the same program, and as one that joins from elsewhere.

#include <atomic>
#include <cmath>
#include <memory>
#include <stdexcept>
#include <string>
#include <thread>

#include "clients/cpp/zithercraft_client.hpp"
#include "zithercraft/game/spec.hpp"

namespace zithercraft::test {

namespace kit = zithercraft_client;

/// Two hands keep a float at its mark. Each third step one of them may hold it; the second hand
/// goes home at `leaves_at`. The episode ends well after 20 steps near the mark.
struct Float {
  std::uint64_t state = 0;
  float place = 0.0f, last[2] = {};
  std::uint32_t steps = 0, near = 0, leaves_at = 0;
  bool held = false;

  float chance() {  // Weyl's sequence through the mix of SplitMix64 (Steele, Lea, Flood 2014)
    std::uint64_t z = state += 0x9e3779b97f4a7c15u;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9u;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebu;
    return static_cast<float>((z ^ (z >> 31)) >> 40) / 16777216.0f;
  }
  void begin(std::uint64_t seed, double leaves) {
    *this = {};
    state = seed;
    leaves_at = static_cast<std::uint32_t>(leaves);
    place = 2.0f * chance() - 1.0f;
  }
  bool present(std::size_t hand) const { return hand == 0 || leaves_at == 0 || steps < leaves_at; }
  bool may_hold() const { return steps % 3 == 2; }
  void observe(std::size_t hand, float* columns) const {
    columns[0] = place;
    columns[1] = last[hand];
  }
  void pixels(std::uint8_t* out) const {  // 4 x 4: how far the float is from its mark
    for (int i = 0; i < 16; ++i)
      out[i] =
          static_cast<std::uint8_t>(i * 4 < static_cast<int>(32.0f * (place + 1.0f)) ? 255 : 0);
  }
  float wish(std::size_t) const { return std::fmax(-1.0f, std::fmin(1.0f, -2.0f * place)); }

  /// Returns 0, or 1 and 2 for success and failure.
  int step(const float pull[2], const float choice[2], float pay[2][2], bool& happened) {
    ++steps;
    held = false;
    for (int hand = 0; hand < 2; ++hand) {
      if (!present(static_cast<std::size_t>(hand))) continue;
      held = held || choice[hand] == 1.0f;
      last[hand] = pull[hand];
      place += 0.1f * pull[hand];
    }
    if (!held) place += 0.1f * (chance() - 0.5f);
    happened = held;
    const bool good = std::fabs(place) < 0.3f;
    near = good ? near + 1 : 0;
    for (int hand = 0; hand < 2; ++hand) {
      pay[hand][0] = -1.0f - std::fabs(place);  // so that nobody tarries
      pay[hand][1] = choice[hand] == 1.0f ? 1.0f : 0.0f;
    }
    return near >= 20 ? 1 : std::fabs(place) > 3.0f ? 2 : 0;
  }
};

class OwnFloat : public CustomGame {
 public:
  void begin(const CustomStart& start) override {
    float_.begin(start.number(), start.setting("leaves_at"));
  }
  void step(CustomStep& step) override {
    float pull[2], choice[2], pay[2][2];
    for (std::size_t hand = 0; hand < 2; ++hand) {
      pull[hand] = static_cast<float>(step.control(0, 0, hand));
      choice[hand] = static_cast<float>(step.control(1, 0, hand));
    }
    bool happened = false;
    const int end = float_.step(pull, choice, pay, happened);
    for (std::size_t hand = 0; hand < 2; ++hand)
      for (std::size_t term = 0; term < 2; ++term)
        step.pay(term, static_cast<double>(pay[hand][term]), 0, hand);
    if (happened) step.happen(0, 0, 1);
    if (end == 1) step.end(Verdict::success);
    if (end == 2) step.end(Verdict::failure);
  }
  void observe(std::size_t, std::size_t hand, std::span<float> columns) const override {
    float_.observe(hand, columns.data());
  }
  void picture(std::size_t, std::size_t, std::size_t,
               std::span<std::uint8_t> pixels) const override {
    float_.pixels(pixels.data());
  }
  bool expert(std::size_t, std::size_t hand, std::span<float> controls) const override {
    controls[0] = float_.wish(hand);
    controls[1] = 0.0f;
    return true;
  }
  bool allowed(std::size_t, std::size_t, std::size_t, std::size_t) const override {
    return float_.may_hold();
  }
  bool present(std::size_t, std::size_t hand) const override { return float_.present(hand); }

 private:
  Float float_;
};

/// The game, without code.
inline GameSpec float_spec() {
  GameSpec game{.name = "float", .about = "two hands keep a float at its mark"};
  game.custom = {.settings = {{"leaves_at", 0.0}}, .events = {"held"}, .expert = true};
  game.roles = {
      {.name = "hand",
       .seats = 2,
       .senses = {CustomSense{.name = "float",
                              .columns = {{.name = "place", .low = -3, .high = 3},
                                          {.name = "last", .low = -1}}},
                  CustomPicture{.name = "screen", .width = 4, .height = 4}},
       .controls = {Dial{.name = "pull"},
                    Choice{
                        .name = "brake",
                        .options = {{.name = "off"},
                                    {.name = "on", .allowed_when = AllowedWhen{.by_game = true}}}}},
       .rewards = {{.name = "near", .weight = 0.1}, {.name = "brakes", .weight = -0.01}}}};
  game.cutoffs.steps = 60;
  return game;
}

inline GameSpec own_float() {
  GameSpec game = float_spec();
  game.custom->code = [] { return std::make_unique<OwnFloat>(); };
  return game;
}

/// What a game from elsewhere does that it should not.
struct Mischief {
  int leaves_after = 0;  // steps of all copies, then it throws
  int sleeps_after = 0;  // then it does not answer for a long while
  int nothing_finite_after = 0;
  int seconds_asleep = 3;
  int slow = 0;  // milliseconds for each step
};

class FarFloat : public kit::Game {
 public:
  FarFloat(Mischief mischief, std::shared_ptr<std::atomic<int>> steps)
      : mischief_(mischief), steps_(std::move(steps)) {}
  void begin(std::uint64_t seed, const std::map<std::string, double>& settings) override {
    float_.begin(seed, settings.at("leaves_at"));
  }
  void step(kit::Step& step) override {
    const int made = ++*steps_;
    if (mischief_.leaves_after > 0 && made > mischief_.leaves_after)
      throw std::runtime_error("the game breaks off");
    if (mischief_.sleeps_after > 0 && made > mischief_.sleeps_after)
      std::this_thread::sleep_for(std::chrono::seconds(mischief_.seconds_asleep));
    std::this_thread::sleep_for(std::chrono::milliseconds(mischief_.slow));
    infinite_ = mischief_.nothing_finite_after > 0 && made > mischief_.nothing_finite_after;
    float pull[2], choice[2], pay[2][2];
    for (std::size_t hand = 0; hand < 2; ++hand) {
      pull[hand] = step.control(0, 0, hand);
      choice[hand] = step.control(1, 0, hand);
    }
    bool happened = false;
    const int end = float_.step(pull, choice, pay, happened);
    for (std::size_t hand = 0; hand < 2; ++hand)
      for (std::size_t term = 0; term < 2; ++term) step.pay(term, pay[hand][term], 0, hand);
    if (happened) step.happen(0, 0, 1);
    if (end == 1) step.succeed();
    if (end == 2) step.fail();
  }
  void observe(std::size_t, std::size_t hand, float* columns) const override {
    float_.observe(hand, columns);
    if (infinite_) columns[0] = INFINITY;
  }
  void picture(std::size_t, std::size_t, std::uint8_t* pixels) const override {
    float_.pixels(pixels);
  }
  void expert(std::size_t, std::size_t hand, float* controls) const override {
    controls[0] = float_.wish(hand);
    controls[1] = 0.0f;
  }
  bool allowed(std::size_t, std::size_t, std::size_t, std::size_t) const override {
    return float_.may_hold();
  }
  bool present(std::size_t, std::size_t hand) const override { return float_.present(hand); }
  std::vector<kit::Form> draw() const override {
    return {{"float", "points", "", {200, 60, 40}, {float_.place, 0.0f, 0.0f}}};
  }

 private:
  Mischief mischief_;
  std::shared_ptr<std::atomic<int>> steps_;
  Float float_;
  bool infinite_ = false;
};

inline kit::Declaration far_float(std::size_t copies) {
  return {R"({"name": "float", "about": "two hands keep a float at its mark",
    "custom": {"settings": {"leaves_at": 0.0}, "events": ["held"], "expert": true},
    "cutoffs": {"steps": 60},
    "roles": [{"name": "hand", "seats": 2,
      "senses": [{"kind": "custom", "name": "float", "columns": [
                   {"name": "place", "low": -3.0, "high": 3.0}, {"name": "last", "low": -1.0}]},
                 {"kind": "picture", "name": "screen", "width": 4, "height": 4}],
      "controls": [{"kind": "dial", "name": "pull"},
                   {"kind": "choice", "name": "brake", "options": [
                     {"name": "off"}, {"name": "on", "allowed_when": {"by_game": true}}]}],
      "rewards": [{"name": "near", "weight": 0.1}, {"name": "brakes", "weight": -0.01}]}]})",
          "float",
          {{2, 2, {0, 2}, 2, 16}},
          copies};
}

/// A game that joins from a thread of this program; `said` is why it ended, if not by the end.
class FarGame {
 public:
  FarGame(const std::string& address, std::size_t copies, Mischief mischief = {})
      : FarGame(address, far_float(copies), mischief) {}
  FarGame(const std::string& address, kit::Declaration declaration, Mischief mischief = {})
      : thread_([this, address, declaration = std::move(declaration), mischief] {
          const auto steps = std::make_shared<std::atomic<int>>(0);
          try {
            kit::play(address, declaration,
                      [&] { return std::make_unique<FarFloat>(mischief, steps); });
          } catch (const std::exception& error) {
            said_ = error.what();
          }
        }) {}
  ~FarGame() {
    if (thread_.joinable()) thread_.join();
  }
  /// Once it has ended.
  const std::string& said() {
    if (thread_.joinable()) thread_.join();
    return said_;
  }

 private:
  std::string said_{};
  std::thread thread_;
};

}  // namespace zithercraft::test
