#include "progress.hpp"

#include <sys/ioctl.h>
#include <unistd.h>

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <cstdio>

namespace zithercraft::cli {
namespace {

constexpr double live_seconds = 0.1, plain_seconds = 5.0;

std::string amount(double n) {
  if (n >= 1e6) return fmt::format("{:.2f}M", n / 1e6);
  if (n >= 1e3) return fmt::format("{:.0f}k", n / 1e3);
  return fmt::format("{:.0f}", n);
}

std::string duration(double seconds) {
  const auto s = static_cast<long>(std::lround(std::max(0.0, seconds)));
  return s >= 3600 ? fmt::format("{}h{:02}m", s / 3600, s / 60 % 60) : fmt::format("{}:{:02}", s / 60, s % 60);
}

int terminal_columns() {
  winsize size{};
  return ::ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : 80;
}

}  // namespace

std::string progress_text(const TrainingProgress& p, int columns) {
  const std::string stage = p.stages == 1 ? "" : fmt::format("stage {}/{} {}  ", p.stage + 1, p.stages, p.stage_name);
  const std::string scores = p.episodes == 0 ? "no episode has ended yet"
                                             : fmt::format("return {:.2f}  success {:.0f}% of last {}", p.mean_return,
                                                           100 * p.success, p.episodes);
  const std::string numbers = fmt::format("{}/{}  {}/s  {} left  {}{}", amount(static_cast<double>(p.decisions)),
                                          amount(static_cast<double>(p.total)), amount(p.decisions_per_second),
                                          duration(p.seconds_left), stage, scores);
  const double share = std::min(1.0, static_cast<double>(p.decisions) / static_cast<double>(p.total));
  if (columns == 0) return fmt::format("{:5.1f}%  {}", 100 * share, numbers);
  const int bar = std::clamp(columns - static_cast<int>(numbers.size()) - 4, 5, 40);
  const int full = static_cast<int>(share * bar);
  return fmt::format("[{}{}] {}", std::string(static_cast<std::size_t>(full), '='),
                     std::string(static_cast<std::size_t>(bar - full), ' '), numbers)
      .substr(0, static_cast<std::size_t>(std::max(1, columns - 1)));
}

ProgressLine::ProgressLine() : last_(), terminal_(::isatty(STDERR_FILENO) != 0) {}

void ProgressLine::show(const TrainingProgress& progress) {
  const auto now = std::chrono::steady_clock::now();
  const bool last = progress.decisions >= progress.total;
  if (!last && std::chrono::duration<double>(now - last_).count() < (terminal_ ? live_seconds : plain_seconds)) return;
  last_ = now;
  if (terminal_) {
    fmt::print(stderr, "\r\x1b[K{}", progress_text(progress, terminal_columns()));
    open_ = true;
  } else {
    fmt::print(stderr, "{}\n", progress_text(progress, 0));
  }
  std::fflush(stderr);
}

void ProgressLine::close() {
  if (open_) fmt::print(stderr, "\n");
  open_ = false;
}

}  // namespace zithercraft::cli
