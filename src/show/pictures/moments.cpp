#include "zithercraft/show/moments.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <utility>

#include "show/pictures/canvas.hpp"
#include "show/pictures/encoder.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

constexpr std::uint32_t sheet_columns = 4, sheet_rows = 3;

// Walks through an episode: lanes that hold a recorded state, and the paths up to it.
class EpisodeWalk {
 public:
  EpisodeWalk(Replay& replay, std::size_t episode)
      : replay_(replay), episode_(episode), lanes_(replay.game(), 1) {
    if (episode >= replay.episodes().size())
      throw Error(
          ErrorKind::usage, fmt::format("there is no episode {}", episode), replay.info().game,
          fmt::format("the replay has {} episodes, counted from 0", replay.episodes().size()));
    if (replay.game().spec().custom) return;
    lanes_.begin(0, {});
    paths_.resize(replay.game().roles()[0].seats.size() <= most_paths
                      ? replay.game().roles()[0].seats.size()
                      : 1);
  }

  std::uint32_t moments() const { return replay_.episodes()[episode_].moments; }
  const Lanes& lanes() const { return lanes_; }
  const std::vector<Path>& paths() const { return paths_; }
  const std::vector<Overlay>& overlays() const { return overlays_; }

  /// Goes on to a step, along the paths of the first role's seats.
  void go_to(std::uint32_t step) {
    for (; next_ <= step; ++next_) {
      const Moment& m = replay_.moment(episode_, next_);
      put(m.state);
      overlays_ = m.overlays;
      for (std::size_t seat = 0; seat < paths_.size(); ++seat) {
        const EntityId body = replay_.game().roles()[0].seats[seat];
        if (lanes_.view(0).present(body)) extend(paths_[seat], lanes_, 0, seat);
        paths_[seat].outcome = m.outcome;
      }
    }
  }
  void put(const std::vector<std::byte>& state) {
    std::copy(state.begin(), state.end(), lanes_.arena_state(0));
  }

  std::string title(std::uint32_t step, const std::string& more) const {
    return fmt::format("{}: episode {}, step {}{}", replay_.info().game, episode_, step, more);
  }

 private:
  static constexpr std::size_t most_paths = 8;

  Replay& replay_;
  std::size_t episode_;
  Lanes lanes_;
  std::vector<Path> paths_;
  std::vector<Overlay> overlays_;  // of the moment that was gone to last
  std::uint32_t next_ = 0;
};

std::vector<Path> with_points(const std::vector<Path>& paths) {
  std::vector<Path> drawn;
  for (const Path& path : paths)
    if (!path.points.empty()) drawn.push_back(path);
  return drawn;
}

}  // namespace

void draw_moment(const std::filesystem::path& png, Replay& replay, std::size_t episode,
                 std::optional<std::uint32_t> tick) {
  EpisodeWalk walk(replay, episode);
  const auto ticks_per_step = static_cast<std::uint32_t>(replay.game().spec().ticks_per_step);
  const std::uint32_t last = walk.moments() - 1,
                      shown = tick.value_or((walk.moments() / 2) * ticks_per_step);
  if (shown > last * ticks_per_step)
    throw Error(ErrorKind::usage, fmt::format("there is no tick {}", shown), replay.info().game,
                fmt::format("episode {} has ticks 0 to {}", episode, last * ticks_per_step));
  walk.go_to(last);
  const std::uint32_t step = (shown + ticks_per_step - 1) / ticks_per_step;
  const auto& states = replay.ticks(episode, step);
  walk.put(states[states.size() == 1 ? 0 : (shown - 1) % ticks_per_step]);
  draw_png(png, {.lanes = &walk.lanes(),
                 .paths = with_points(walk.paths()),
                 .title = fmt::format("{}: episode {}, {} after {} steps; {}", replay.info().game,
                                      episode, name_of(replay.episodes()[episode].outcome), last,
                                      replay.game().spec().custom
                                          ? fmt::format("seen at step {}", step)
                                          : fmt::format("seats and rays at tick {}", shown)),
                 .overlays = replay.moment(episode, step).overlays});
}

void draw_sheet(const std::filesystem::path& png, Replay& replay, std::size_t episode) {
  constexpr int width = 480, height = 360;
  EpisodeWalk walk(replay, episode);
  const Canvas sheet =
      canvas(width * static_cast<int>(sheet_columns), height * static_cast<int>(sheet_rows));
  constexpr std::uint32_t count = sheet_columns * sheet_rows;
  for (std::uint32_t i = 0; i < count; ++i) {
    const std::uint32_t step = (walk.moments() - 1) * i / (count - 1);
    walk.go_to(step);
    const Moment& shown = replay.moment(episode, step);
    walk.put(shown.state);
    const double seconds = replay.game().spec().arena.tick *
                           static_cast<double>(replay.game().spec().ticks_per_step) *
                           static_cast<double>(step);
    const Picture picture{&walk.lanes(),
                          true,
                          with_points(walk.paths()),
                          walk.title(step, fmt::format(", {:.1f} s", seconds)),
                          false,
                          width,
                          height,
                          shown.overlays};
    paint_on(sheet.get(), picture, width * static_cast<int>(i % sheet_columns),
             height * static_cast<int>(i / sheet_columns));
  }
  write_png(sheet.get(), png);
}

void write_film(const std::filesystem::path& file, Replay& replay, std::size_t episode, Film kind) {
  constexpr int width = 960, height = 600;
  EpisodeWalk walk(replay, episode);
  // GIFs are shown at ten pictures a second at most; the others as often as there are ticks, up to
  // thirty.
  const double ticks_a_second = 1.0 / replay.game().spec().arena.tick,
               most = kind == Film::gif ? 10.0 : 30.0;
  const auto every = static_cast<std::uint32_t>(std::max(1.0, std::ceil(ticks_a_second / most)));
  FilmEncoder encoder(file, kind, width, height, ticks_a_second / every);
  const Canvas frame = canvas(width, height);
  std::uint32_t tick = 0;
  for (std::uint32_t step = 0; step < walk.moments(); ++step) {
    walk.go_to(step);
    const auto& ticks = replay.ticks(episode, step);
    for (std::size_t t = 0; t < ticks.size(); ++t, ++tick) {
      const bool end = step + 1 == walk.moments() && t + 1 == ticks.size();
      if (tick % every != 0 && !end) continue;
      walk.put(ticks[t]);
      const Outcome outcome = end ? replay.episodes()[episode].outcome : Outcome::running;
      const std::string more =
          outcome == Outcome::running ? "" : fmt::format(", {}", name_of(outcome));
      paint_on(frame.get(), {&walk.lanes(), true, with_points(walk.paths()), walk.title(step, more),
                             true, width, height, walk.overlays()});
      cairo_surface_flush(frame.get());
      encoder.add({cairo_image_surface_get_data(frame.get()),
                   static_cast<std::size_t>(width * height * 4)});
    }
  }
  encoder.finish();
}

}  // namespace zithercraft
