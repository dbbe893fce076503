// Thousands of damaged game files: each is a clear error or a game that can be played, never a
// crash or a hang.

#include <gtest/gtest.h>

#include <array>
#include <chrono>
#include <exception>

#include "support.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/game/load.hpp"

namespace zithercraft {
namespace {

constexpr std::array<const char*, 14> demos{
    "barge", "basin",   "breakwater", "flare",   "kelpdive", "lanternboat", "fogbank",
    "locks", "mooring", "narrows",    "salvage", "skerries", "tidepools",   "towline"};
constexpr std::array<const char*, 22> values{
    "0",  "-1",  "1e30", "1e-30",  "nan",  "inf",   "4096", "5000",  "true", "\"\"",   "[]",
    "{}", "0.5", "64",   "[1, 2]", "-0.0", "\"x\"", "1e9",  "65535", "[[]]", "[0, 0]", "[\"\"]"};

class Mutator {
 public:
  explicit Mutator(std::uint32_t number) : random_(31, number, 0, Purpose::user) {}

  std::string mutate(std::string text) {
    for (std::uint32_t i = 0, n = 1 + random_.below(3); i < n && !text.empty(); ++i) change(text);
    return text;
  }

 private:
  std::size_t place(const std::string& text) {
    return random_.below(static_cast<std::uint32_t>(text.size()));
  }

  // A whole line from its beginning to behind its end.
  std::pair<std::size_t, std::size_t> line(const std::string& text) {
    const std::size_t at = place(text), from = text.rfind('\n', at), to = text.find('\n', at);
    return {from == std::string::npos ? 0 : from + 1,
            to == std::string::npos ? text.size() : to + 1};
  }

  void change(std::string& text) {
    switch (random_.below(6)) {
      case 0: text[place(text)] = static_cast<char>(random_.below(256)); break;
      case 1: text.erase(place(text), 1 + random_.below(12)); break;
      case 2: {  // a line twice or not at all
        const auto [from, to] = line(text);
        if (from >= to) break;
        if (random_.below(2) == 0) {
          text.erase(from, to - from);
        } else {
          text.insert(to, text.substr(from, to - from));
        }
        break;
      }
      default: {  // another value behind an equals sign
        const std::size_t at = text.find("= ", place(text));
        if (at == std::string::npos) break;
        const std::size_t end = text.find_first_of(",}\n", at);
        text.replace(at + 2, end == std::string::npos ? std::string::npos : end - at - 2,
                     values[random_.below(values.size())]);
      }
    }
  }

  RandomStream random_;
};

struct Tally {
  std::size_t games = 0, errors = 0;
};

// Plays a few steps of what was read; anything but an Error of ours gets out.
void read_and_play(const std::string& text, Tally& tally) {
  try {
    Lanes lanes(Game(parse_game(text, "damaged")), 1);
    lanes.begin(0, {1, 2, 3});
    for (int d = 0; d < 3 && lanes.outcome(0) == Outcome::running; ++d) lanes.step(0);
    ++tally.games;
  } catch (const Error& error) {
    ++tally.errors;
    EXPECT_FALSE(error.problem().empty());
    EXPECT_FALSE(error.fix().empty()) << error.what();
  }
}

class Mutations : public ::testing::TestWithParam<int> {};

TEST_P(Mutations, AreErrorsOrGames) {
  constexpr std::uint32_t per_part = 2000;
  std::array<std::string, demos.size()> texts;
  for (std::size_t i = 0; i < demos.size(); ++i)
    texts[i] =
        test::read_file(test::project_folder() / "demos" / (std::string(demos[i]) + ".toml"));
  Tally tally;
  double longest = 0;
  for (std::uint32_t i = 0; i < per_part; ++i) {
    const std::uint32_t number = static_cast<std::uint32_t>(GetParam()) * per_part + i;
    const std::string text = Mutator(number).mutate(texts[number % demos.size()]);
    const auto from = std::chrono::steady_clock::now();
    try {
      read_and_play(text, tally);
    } catch (const std::exception& other) {
      FAIL() << "mutation " << number << ": " << other.what();
    }
    longest = std::max(
        longest, std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count());
  }
  EXPECT_GT(tally.games, per_part / 40);
  EXPECT_GT(tally.errors, per_part / 4);
  EXPECT_LT(longest, 60.0) << "seconds for one file";
}

INSTANTIATE_TEST_SUITE_P(TwoThousand, Mutations, ::testing::Range(0, 1));
INSTANTIATE_TEST_SUITE_P(EighteenThousandMore, Mutations, ::testing::Range(1, 10));

}  // namespace
}  // namespace zithercraft
