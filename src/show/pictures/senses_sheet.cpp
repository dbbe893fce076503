#include "zithercraft/show/senses_sheet.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <cmath>

#include "show/pictures/canvas.hpp"
#include "show/pictures/colours.hpp"
#include "zithercraft/game/seat.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

constexpr int width = 1280, height = 800, arena_width = 560;
constexpr Colour light{0.90, 0.92, 0.94};

/// Panels of senses, in columns beside the arena.
class Sheet {
 public:
  Sheet(cairo_surface_t* surface, const Game& game, std::size_t role, std::span<const float> row)
      : context_(cairo_create(surface), &cairo_destroy),
        c_(context_.get()),
        game_(game),
        role_(game.roles()[role]),
        spec_(game.spec().roles[role]),
        row_(row),
        colours_(tag_colours(game)) {}

  void draw() {
    const std::size_t panels = spec_.senses.size() + (has_masks() ? 1 : 0);
    across_ = panels <= 2 ? 1 : panels <= 6 ? 2 : 3;
    const std::size_t down = (panels + across_ - 1) / across_;
    panel_width_ = (width - arena_width - 20.0) / static_cast<double>(across_);
    panel_height_ = (height - 20.0) / static_cast<double>(down);
    for (const Sense& sense : spec_.senses) {
      std::visit([&](const auto& kind) { draw_panel(kind); }, sense);
      ++panel_;
    }
    if (has_masks()) {
      begin_panel("allowed options", 0);
      draw_bars(those([](const Column& c) { return c.unit == mask_unit; }));
    }
  }

 private:
  bool has_masks() const {
    return std::any_of(role_.columns.begin(), role_.columns.end(),
                       [](const Column& c) { return c.unit == mask_unit; });
  }

  void set(Colour colour) { cairo_set_source_rgb(c_, colour.r, colour.g, colour.b); }
  void box(double x, double y, double w, double h, Colour colour) {
    set(colour);
    cairo_rectangle(c_, x, y, w, h);
    cairo_fill(c_);
  }
  void text(double x, double y, const std::string& words, double size, bool bold = false) {
    cairo_select_font_face(c_, "sans-serif", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c_, size);
    set(ink);
    cairo_move_to(c_, x, y);
    cairo_show_text(c_, words.c_str());
  }
  Colour colour_of(const std::string& tag) const {
    return colours_[game_.arena().tag(tag, "senses")];
  }

  void begin_panel(const std::string& name, std::size_t columns) {
    left_ = arena_width + 10.0 + static_cast<double>(panel_ % across_) * panel_width_;
    top_ = 10.0 + static_cast<double>(panel_ / across_) * panel_height_;
    box(left_ + 4, top_ + 4, panel_width_ - 8, panel_height_ - 8, paper);
    text(left_ + 14, top_ + 24, name, 14, true);
    if (columns > 0) {
      const std::string note = fmt::format("{} column{}", columns, columns == 1 ? "" : "s");
      text(left_ + panel_width_ - 18 - 6.8 * static_cast<double>(note.size()), top_ + 24, note, 12);
    }
    left_ += 14;
    top_ += 36;
    room_x_ = panel_width_ - 28;
    room_y_ = panel_height_ - 48;
  }

  template <class Test>
  std::vector<std::size_t> those(const Test& test) const {
    std::vector<std::size_t> found;
    for (std::size_t c = 0; c < role_.columns.size(); ++c)
      if (test(role_.columns[c])) found.push_back(c);
    return found;
  }
  // Of this step.
  std::vector<std::size_t> columns_of(const std::string& sense) const {
    return those([&](const Column& c) { return c.age == 0 && c.sense == sense; });
  }

  // One bar a column, from its low to its high end.
  void draw_bars(const std::vector<std::size_t>& columns) {
    const double line =
        std::min(22.0, room_y_ / static_cast<double>(std::max<std::size_t>(1, columns.size())));
    const double from = left_ + 0.52 * room_x_, wide = 0.32 * room_x_,
                 size = std::min(12.0, 0.75 * line);
    for (std::size_t i = 0; i < columns.size(); ++i) {
      const Column& column = role_.columns[columns[i]];
      const double y = top_ + line * static_cast<double>(i),
                   value = static_cast<double>(row_[columns[i]]);
      const auto at = [&](double v) {
        return from + wide * std::clamp((v - column.low) / (column.high - column.low), 0.0, 1.0);
      };
      const double zero = at(0.0), end = at(value);
      box(from, y + 0.2 * line, wide, 0.6 * line, light);
      box(std::min(zero, end), y + 0.2 * line, std::max(1.5, std::fabs(end - zero)), 0.6 * line,
          {0.10, 0.45, 0.75});
      text(left_, y + 0.5 * line + 0.35 * size, column.name, size);
      text(from + wide + 6, y + 0.5 * line + 0.35 * size, fmt::format("{:.2f}", value), size);
    }
  }

  template <class Rays>
  void draw_rays(const Rays& sense) {
    begin_panel(sense.name, columns_of(sense.name).size());
    const auto found = std::find_if(role_.rays.begin(), role_.rays.end(),
                                    [&](const RaySense& r) { return r.name == sense.name; });
    const double legend = 16.0 * static_cast<double>(sense.sees.size());
    const double radius = 0.5 * std::min(room_x_, room_y_) - 4, x = left_ + 0.5 * room_x_,
                 y = top_ + 0.5 * room_y_;
    const std::size_t tags = found->tags.size();
    std::size_t column = found->first_column;
    for (const auto& direction : found->direction) {
      const bool each = found->reports == RayReport::each_tag;
      std::size_t hit = tags;
      double share = each ? 1.0 : static_cast<double>(row_[column + found->columns_each - 1]);
      for (std::size_t t = 0; t < tags; ++t) {
        const double value = static_cast<double>(row_[column + t]);
        if (each ? value < share : value > 0.5) hit = t;
        if (each) share = std::min(share, value);
      }
      // Ahead is up in the picture. A cone is laid flat: straight ahead in the middle.
      const double ahead = static_cast<double>(direction[0]),
                   left = static_cast<double>(direction[1]), up = static_cast<double>(direction[2]);
      const bool cone = std::is_same_v<Rays, RayCone>;
      const double spread = std::acos(std::clamp(ahead, -1.0, 1.0)), off = std::hypot(left, up);
      const double px = cone ? (off > 0 ? -left / off * spread : 0.0) : -left,
                   py = cone ? (off > 0 ? -up / off * spread : 0.0) : -ahead;
      set(hit < tags ? colour_of(found->tags[hit]) : faint);
      if (cone) {
        const double widest = 0.5 * sense.arc * 3.14159265 / 180.0;
        cairo_arc(c_, x + radius * px / widest, y + radius * py / widest, 3.0 + 7.0 * (1.0 - share),
                  0, 6.2832);
        cairo_fill(c_);
      } else {
        cairo_set_line_width(c_, 2);
        cairo_move_to(c_, x, y);
        cairo_line_to(c_, x + radius * share * px, y + radius * share * py);
        cairo_stroke(c_);
      }
      column += found->columns_each;
    }
    draw_legend(sense.sees, top_ + room_y_ - legend);
  }

  void draw_legend(const std::vector<std::string>& tags, double y) {
    for (const auto& tag : tags) {
      box(left_, y, 10, 10, colour_of(tag));
      text(left_ + 15, y + 10, tag, 12);
      y += 16;
    }
  }

  void draw_panel(const RayFan& sense) { draw_rays(sense); }
  void draw_panel(const RayCone& sense) { draw_rays(sense); }

  void draw_panel(const Window& sense) {
    const auto columns = columns_of(sense.name);
    begin_panel(sense.name, columns.size());
    const auto wide = static_cast<std::size_t>(sense.left + 1 + sense.right),
               deep = static_cast<std::size_t>(sense.ahead + 1 + sense.behind),
               layers = static_cast<std::size_t>(sense.above + 1 + sense.below);
    const double legend = 16.0 * static_cast<double>(sense.sees.size());
    const double size =
        std::min(room_x_ / (static_cast<double>(wide * layers) + static_cast<double>(layers)),
                 (room_y_ - legend) / static_cast<double>(deep));
    for (std::size_t cell = 0; cell < wide * deep * layers; ++cell) {
      const std::size_t layer = cell / (wide * deep), row = cell / wide % deep,
                        column = cell % wide;
      const double x = left_ + size * (static_cast<double>(column) +
                                       static_cast<double>(layer * (wide + 1))),
                   y = top_ + size * static_cast<double>(row);
      box(x, y, size - 1, size - 1, light);
      std::size_t shown = 0;
      for (std::size_t t = 0; t < sense.sees.size(); ++t)
        if (row_[columns[cell * sense.sees.size() + t]] > 0.5f) {
          const double inset = 0.18 * size * static_cast<double>(shown++);
          box(x + inset, y + inset, size - 1 - 2 * inset, size - 1 - 2 * inset,
              colour_of(sense.sees[t]));
        }
    }
    draw_legend(sense.sees, top_ + room_y_ - legend + 6);
  }

  void draw_panel(const Camera& sense) { draw_pixels(sense, sense.grey ? 1 : 3); }
  void draw_panel(const CustomPicture& sense) {
    draw_pixels(sense, sense.colour && !sense.grey ? 3 : 1);
  }

  template <class Spec>
  void draw_pixels(const Spec& sense, std::size_t channels) {
    const auto columns = columns_of(sense.name);
    begin_panel(sense.name, columns.size());
    const std::size_t wide = static_cast<std::size_t>(
                          (sense.width - sense.crop[0] - sense.crop[2]) / sense.reduce),
                      high = columns.size() / channels / wide;
    const double size =
        std::min(room_x_ / static_cast<double>(wide), room_y_ / static_cast<double>(high));
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_NONE);
    for (std::size_t pixel = 0; pixel < wide * high; ++pixel) {
      const auto part = [&](std::size_t k) {
        return static_cast<double>(row_[columns[pixel * channels + std::min(k, channels - 1)]]);
      };
      box(left_ + size * static_cast<double>(pixel % wide),
          top_ + size * static_cast<double>(pixel / wide), size, size, {part(0), part(1), part(2)});
    }
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_DEFAULT);
  }

  void draw_panel(const Crowd& sense) {
    const auto columns = columns_of(sense.name);
    begin_panel(sense.name, columns.size());
    const double radius = 0.5 * std::min(room_x_, room_y_) - 8, x = left_ + 0.5 * room_x_,
                 y = top_ + 0.5 * room_y_;
    set(faint);
    cairo_set_line_width(c_, 1);
    cairo_arc(c_, x, y, radius, 0, 6.2832);
    cairo_stroke(c_);
    box(x - 3, y - 3, 6, 6, ink);
    const std::size_t each = columns.size() / static_cast<std::size_t>(sense.nearest);
    for (std::size_t i = 0; i < static_cast<std::size_t>(sense.nearest); ++i) {
      const auto part = [&](std::size_t k) {
        return static_cast<double>(row_[columns[i * each + k]]);
      };
      if (part(0) < 0.5) continue;
      std::size_t tag = 0;
      for (std::size_t t = 0; each > 6 && t < sense.of.size(); ++t)
        if (part(6 + t) > 0.5) tag = t;
      const double px = x - radius * part(3) * part(2), py = y - radius * part(3) * part(1);
      set(colour_of(sense.of[tag]));
      cairo_arc(c_, px, py, 5, 0, 6.2832);
      cairo_fill(c_);
      cairo_move_to(c_, px, py);
      cairo_line_to(c_, px - 25 * part(5), py - 25 * part(4));
      cairo_stroke(c_);
    }
    draw_legend(sense.of, top_ + room_y_ - 16.0 * static_cast<double>(sense.of.size()));
  }

  template <class Other>
  void draw_panel(const Other& sense) {
    const auto columns = columns_of(sense.name);
    begin_panel(sense.name, columns.size());
    draw_bars(columns);
  }

  std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context_;
  cairo_t* c_;
  const Game& game_;
  const Role& role_;
  const RoleSpec& spec_;
  std::span<const float> row_;
  std::vector<Colour> colours_;
  std::size_t panel_ = 0, across_ = 1;
  double panel_width_ = 0, panel_height_ = 0;
  double left_ = 0, top_ = 0, room_x_ = 0, room_y_ = 0;  // of what a panel shows
};

}  // namespace

void draw_senses(const std::filesystem::path& png, const Game& game, std::size_t role,
                 std::uint64_t seed) {
  constexpr int steps = 12;  // so that things have begun to move
  Lanes lanes(game, 1);
  const auto player = random_player(seed);
  lanes.begin(0, {seed, 0, 0});
  for (int d = 0; d < steps && lanes.outcome(0) == Outcome::running; ++d) {
    for (std::size_t r = 0; r < game.roles().size(); ++r) player->decide(lanes, r, 0, 1);
    lanes.step(0);
    if (!SeatView(lanes, 0, role, 0).present() || lanes.outcome(0) != Outcome::running) {
      EpisodeKey next = lanes.key(0);
      ++next.episode;
      lanes.begin(0, next);
    }
  }
  const Canvas surface = canvas(width, height);
  {
    const std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context(cairo_create(surface.get()),
                                                                     &cairo_destroy);
    cairo_set_source_rgb(context.get(), 0.86, 0.89, 0.91);
    cairo_paint(context.get());
  }
  const Picture picture{
      &lanes,
      true,
      {},
      fmt::format("{}: what a {} senses in one moment", game.spec().name, game.roles()[role].name),
      false,
      arena_width,
      height};
  paint_on(surface.get(), picture);
  Sheet(surface.get(), game, role, lanes.observation(role, 0)).draw();
  write_png(surface.get(), png);
}

}  // namespace zithercraft
