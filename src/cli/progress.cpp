#include "cli/progress.hpp"

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
  if (n >= 1e4) return fmt::format("{:.0f}k", n / 1e3);
  if (n >= 1e3) return fmt::format("{:.1f}k", n / 1e3);
  return fmt::format("{:.0f}", n);
}

std::string duration(double seconds) {
  const auto s = static_cast<long>(std::lround(std::max(0.0, seconds)));
  return s >= 3600 ? fmt::format("{}h{:02}m", s / 3600, s / 60 % 60)
                   : fmt::format("{}:{:02}", s / 60, s % 60);
}

int terminal_columns() {
  winsize size{};
  return ::ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 0 ? size.ws_col : 80;
}

// The bar takes what the numbers leave of the line.
std::string with_bar(double share, const std::string& numbers, int columns) {
  share = std::min(1.0, share);
  if (columns == 0) return fmt::format("{:5.1f}%  {}", 100 * share, numbers);
  const int bar = std::clamp(columns - static_cast<int>(numbers.size()) - 4, 5, 40);
  const int full = static_cast<int>(share * bar);
  return fmt::format("[{}{}] {}", std::string(static_cast<std::size_t>(full), '='),
                     std::string(static_cast<std::size_t>(bar - full), ' '), numbers)
      .substr(0, static_cast<std::size_t>(std::max(1, columns - 1)));
}

std::string pace(std::int64_t steps, std::int64_t total, double a_second, double seconds_left) {
  return fmt::format("{}/{}  {}/s  {} left", amount(static_cast<double>(steps)),
                     amount(static_cast<double>(total)), amount(a_second), duration(seconds_left));
}

double share_of(std::int64_t steps, std::int64_t total) {
  return static_cast<double>(steps) / static_cast<double>(total);
}

}  // namespace

std::string progress_text(const TrainingProgress& p, int columns) {
  const std::string stage =
      p.stages == 1 ? "" : fmt::format("stage {}/{} {}  ", p.stage + 1, p.stages, p.stage_name);
  std::string scores = p.episodes == 0 ? "no episode has ended yet"
                                       : fmt::format("return {:.2f}  success {:.0f}% of last {}",
                                                     p.mean_return, 100 * p.success, p.episodes);
  if (p.plateau_since >= 0)
    scores += "  no gain since " + amount(static_cast<double>(p.plateau_since));
  if (!p.warnings.empty())
    scores += "  ! " + p.warnings.front().substr(0, p.warnings.front().find(':'));
  return with_bar(share_of(p.steps, p.total),
                  pace(p.steps, p.total, p.steps_per_second, p.seconds_left) + "  " + stage +
                      (p.games.empty() ? "" : p.games + "  ") +
                      (p.note.empty() ? "" : p.note + "  ") + scores,
                  columns);
}

std::string progress_text(const StudyProgress& p, int columns) {
  const std::string failed = p.failed == 0 ? "" : fmt::format(", {} failed", p.failed);
  return with_bar(share_of(p.steps, p.total),
                  fmt::format("{} of {} runs{}  {}", p.done, p.runs, failed,
                              pace(p.steps, p.total, p.steps_per_second, p.seconds_left)),
                  columns);
}

std::string progress_text(const WorkProgress& p, const std::string& pieces, int columns) {
  return with_bar(share_of(p.done, p.total),
                  pace(p.done, p.total, p.per_second, p.seconds_left) + "  " + pieces, columns);
}

ProgressLine::ProgressLine(bool quiet)
    : last_(), terminal_(::isatty(STDERR_FILENO) != 0), quiet_(quiet) {}

void ProgressLine::show(const TrainingProgress& p) {
  show([&](int columns) { return progress_text(p, columns); }, p.steps >= p.total);
}
void ProgressLine::show(const StudyProgress& p) {
  show([&](int columns) { return progress_text(p, columns); }, p.done + p.failed == p.runs);
}

void ProgressLine::show(const WorkProgress& p, const std::string& pieces) {
  if (last_ == std::chrono::steady_clock::time_point{}) last_ = std::chrono::steady_clock::now();
  show([&](int columns) { return progress_text(p, pieces, columns); }, false);
}

void ProgressLine::show(const std::function<std::string(int)>& text, bool last) {
  const auto now = std::chrono::steady_clock::now();
  if (quiet_) return;
  if (!last && std::chrono::duration<double>(now - last_).count() <
                   (terminal_ ? live_seconds : plain_seconds))
    return;
  last_ = now;
  if (terminal_) {
    fmt::print(stderr, "\r\x1b[K{}", text(terminal_columns()));
    open_ = true;
  } else {
    fmt::print(stderr, "{}\n", text(0));
  }
  std::fflush(stderr);
}

void ProgressLine::wipe() {
  if (open_) fmt::print(stderr, "\r\x1b[K");
  std::fflush(stderr);
  open_ = false;
}

void ProgressLine::close() {
  if (open_) fmt::print(stderr, "\n");
  open_ = false;
}

}  // namespace zithercraft::cli
