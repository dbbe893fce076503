#include <fmt/format.h>
#include <cmath>
#include <cstdio>

#include "cli/commands.hpp"
#include "cli/games.hpp"
#include "cli/table.hpp"
#include "zithercraft/experiment/speed.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft::cli {
namespace {

// 230 B, 1.2 kB, 520 MB
std::string bytes_text(std::size_t bytes) {
  double number = static_cast<double>(bytes);
  for (const char* unit : {"B", "kB", "MB"}) {
    if (number < 1000.0) return fmt::format("{:.3g} {}", number, unit);
    number /= 1000.0;
  }
  return fmt::format("{:.3g} GB", number);
}

// Steps per second to three digits, in full: 203,000.
std::string rate_text(double per_second) {
  double digits = 1.0;
  while (per_second / digits >= 1000.0) digits *= 10.0;
  std::string text = fmt::format("{:.0f}", std::round(per_second / digits) * digits);
  for (std::size_t at = text.size(); at > 3; at -= 3) text.insert(at - 3, ",");
  return text;
}

std::string lanes_text(std::int64_t lanes) {
  return lanes > 0 ? fmt::format("{} lanes, ", lanes) : "";
}
std::string threads_text(std::size_t threads) {
  return threads == 1 ? "1 thread" : fmt::format("{} threads", threads);
}

void print_table(const SpeedTable& t, std::int64_t steps) {
  fmt::print("{} by {}: {} steps/s learned on {}{}; {:.1f} million take {:.0f} s\n", t.game,
             t.method, rate_text(t.usual.steps_per_second), lanes_text(t.usual.lanes),
             threads_text(t.usual.threads), static_cast<double>(steps) / 1e6,
             static_cast<double>(steps) / t.usual.steps_per_second);
  fmt::print("memory: {} for the training", bytes_text(t.training_bytes));
  if (t.lane_bytes > 0) fmt::print(", {} a lane to play", bytes_text(t.lane_bytes));
  fmt::print("\n");
  for (const SpeedPoint& p : t.scaling)
    fmt::print("with {}{}: {} steps/s, {:.2f} times as many\n", lanes_text(p.lanes),
               threads_text(p.threads), rate_text(p.steps_per_second),
               p.steps_per_second / t.usual.steps_per_second);
  double all = 0.0;
  for (const SpeedPart& part : t.parts) all += part.microseconds;
  fmt::print("\nthread time for a step of a seat: {:.2f} us\n", all);
  Table table(false);
  for (const SpeedPart& part : t.parts) {
    const std::string cheaper = part.cheaper.empty() ? ""
                                                     : fmt::format("{}: {:.2f} us", part.cheaper,
                                                                   part.cheaper_microseconds);
    table.add({text_cell("", part.name, 28, "part"),
               text_cell("", fmt::format("{:.2f}", part.microseconds), -8, "us"),
               text_cell("", fmt::format("{:.0f}%", 100.0 * part.microseconds / all), -8, "share"),
               text_cell("", cheaper.empty() ? "" : "  " + cheaper, 1, "  a cheaper form")});
  }
}

}  // namespace

int SpeedCommand::run() const {
  SpeedOptions options{.learner = learning_method(method).settings,
                       .steps = steps,
                       .threads = threads,
                       .seconds = seconds};
  for (const std::string& text : learner) options.learner.set(text);
  if (!quiet)
    options.on_next = [](const std::string& what) { fmt::print(stderr, "measuring: {}\n", what); };
  const SpeedTable table = measure_speed(find_game(game, set), options);
  if (json) {
    fmt::print("{}\n", table.to_json());
  } else {
    print_table(table, steps);
  }
  return done;
}

}  // namespace zithercraft::cli
