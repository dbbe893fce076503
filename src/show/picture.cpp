#include "zithercraft/show/picture.hpp"

#include <cairo-svg.h>
#include <cairo.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <set>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

struct Colour {
  double r, g, b;
};

// Hues that people who cannot tell red from green can tell apart, by lightness too; by what a thing is.
constexpr Colour wall_colour{0.25, 0.28, 0.33}, zone_colour{0.00, 0.45, 0.45}, shot_colour{0.12, 0.14, 0.18};
constexpr std::array<Colour, 4> seat_colours{
    {{0.80, 0.47, 0.00}, {0.10, 0.45, 0.75}, {0.70, 0.25, 0.45}, {0.35, 0.60, 0.10}}};
constexpr std::array<Colour, 3> moving_colours{{{0.55, 0.20, 0.60}, {0.45, 0.30, 0.15}, {0.60, 0.10, 0.20}}};
constexpr std::array<Colour, 3> fixed_colours{{{0.42, 0.35, 0.58}, {0.10, 0.45, 0.75}, {0.45, 0.40, 0.35}}};
constexpr std::array<Colour, 3> item_colours{{{0.90, 0.72, 0.05}, {0.80, 0.48, 0.66}, {0.34, 0.71, 0.91}}};
constexpr std::array<Colour, 3> solid_cells{{{0.40, 0.44, 0.50}, {0.56, 0.49, 0.42}, {0.30, 0.36, 0.36}}};
constexpr std::array<Colour, 3> seen_cells{{{0.22, 0.55, 0.80}, {0.55, 0.75, 0.55}, {0.80, 0.65, 0.80}}};
constexpr std::array<Colour, 2> plain_cells{{{0.96, 0.94, 0.88}, {0.90, 0.93, 0.90}}};
constexpr Colour water{0.93, 0.96, 0.98}, ink{0.12, 0.14, 0.18}, faint{0.62, 0.67, 0.72}, path_colour{0.80, 0.40, 0.00};
constexpr double margin = 24, title_height = 44, legend_width = 190;

struct Extent {
  double x0 = 1e300, y0 = 1e300, x1 = -1e300, y1 = -1e300;
  void add(double x, double y) {
    x0 = std::min(x0, x);
    y0 = std::min(y0, y);
    x1 = std::max(x1, x);
    y1 = std::max(y1, y);
  }
};

class Painter {
 public:
  Painter(cairo_t* c, const Picture& p) : c_(c), p_(p), lanes_(*p.lanes), arena_(p.lanes->game().arena()) {}

  void paint() {
    set({1, 1, 1});
    cairo_paint(c_);
    choose_colours();
    place_arena();
    draw_water();
    draw_cells();
    for (const EntityKind kind :
         {EntityKind::zone, EntityKind::wall, EntityKind::item, EntityKind::body, EntityKind::shot}) {
      if (kind == EntityKind::body) {
        if (p_.rays) draw_rays();
        for (const Path& path : p_.paths) draw_path(path);
      }
      for (std::size_t e = 0; e < arena_.entities().size(); ++e)
        if (arena_.entities()[e].kind == kind && is_here(e)) draw_entity(e);
    }
    if (!p_.title.empty()) text(margin, margin + 10, p_.title, 17, true);
    if (p_.legend) draw_legend();
  }

 private:
  void set(Colour colour, double opacity = 1.0) { cairo_set_source_rgba(c_, colour.r, colour.g, colour.b, opacity); }

  // Tags take the colours of their kind of thing in order of appearance.
  void choose_colours() {
    std::array<std::size_t, 8> used{};
    const auto next = [&](const auto& list, std::size_t which) { return list[used[which]++ % list.size()]; };
    std::set<std::size_t> seats;
    for (const Role& role : lanes_.game().roles()) seats.insert(role.seats.begin(), role.seats.end());
    colours_.assign(arena_.tags().size(), wall_colour);
    std::set<std::size_t> chosen;
    for (std::size_t e = 0; e < arena_.entities().size(); ++e) {
      const Entity& entity = arena_.entities()[e];
      if (!chosen.insert(entity.tag).second) continue;
      Colour& colour = colours_[entity.tag];
      switch (entity.kind) {
        case EntityKind::body:
          colour = seats.contains(e) ? next(seat_colours, 0)
                   : entity.free     ? next(moving_colours, 1)
                                     : next(fixed_colours, 2);
          break;
        case EntityKind::shot: colour = shot_colour; break;
        case EntityKind::zone: colour = zone_colour; break;
        case EntityKind::item: colour = next(item_colours, 3); break;
        case EntityKind::wall:
        case EntityKind::floor:
        case EntityKind::ground:
        case EntityKind::mesh:
        case EntityKind::block: break;
        case EntityKind::cell: {
          const CellKind& kind = arena_.spec().cells->kinds[entity.spec_index];
          colour = kind.solid ? next(solid_cells, 4) : kind.seen ? next(seen_cells, 5) : next(plain_cells, 6);
          break;
        }
      }
    }
  }

  Colour colour_of(std::size_t entity) const { return colours_[arena_.entities()[entity].tag]; }

  double sx(double x) const { return left_ + (x - box_.x0) * scale_; }
  double sy(double y) const { return top_ + (box_.y1 - y) * scale_; }

  void place_arena() {
    for (std::size_t e = 0; e < arena_.entities().size(); ++e)
      if (is_here(e))
        for (const auto& [x, y] : arena_.outline(lanes_.arena_state(0), e)) box_.add(x, y);
    if (arena_.cell_columns() > 0) {
      const CellsSpec& cells = *arena_.spec().cells;
      box_.add(cells.origin[0], cells.origin[1]);
      box_.add(cells.origin[0] + cells.size * static_cast<double>(arena_.cell_columns()),
               cells.origin[1] + cells.size * static_cast<double>(arena_.cell_rows()));
    }
    const double edge = 0.02 * std::max(box_.x1 - box_.x0, box_.y1 - box_.y0) + 1e-6;
    box_ = {box_.x0 - edge, box_.y0 - edge, box_.x1 + edge, box_.y1 + edge};
    const double room_x = p_.width - 2 * margin - (p_.legend ? legend_width : 0);
    const double room_y = p_.height - 2 * margin - (p_.title.empty() ? 0 : title_height - margin);
    scale_ = std::min(room_x / (box_.x1 - box_.x0), room_y / (box_.y1 - box_.y0));
    left_ = margin + (room_x - scale_ * (box_.x1 - box_.x0)) / 2;
    top_ = p_.height - margin - room_y + (room_y - scale_ * (box_.y1 - box_.y0)) / 2;
  }

  void draw_water() {
    set(water);
    cairo_rectangle(c_, sx(box_.x0), sy(box_.y1), (box_.x1 - box_.x0) * scale_, (box_.y1 - box_.y0) * scale_);
    cairo_fill(c_);
  }

  void draw_cells() {
    if (arena_.cell_columns() == 0) return;
    const CellsSpec& cells = *arena_.spec().cells;
    const double side = cells.size * scale_;
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_NONE);  // no seams between cells
    for (std::size_t row = 0; row < arena_.cell_rows(); ++row)
      for (std::size_t column = 0; column < arena_.cell_columns(); ++column) {
        const std::int32_t entity = arena_.cell_at(lanes_.arena_state(0), column, row);
        if (entity < 0) continue;
        set(colour_of(static_cast<std::size_t>(entity)));
        cairo_rectangle(c_, sx(cells.origin[0] + cells.size * static_cast<double>(column)),
                        sy(cells.origin[1] + cells.size * static_cast<double>(row + 1)), side, side);
        cairo_fill(c_);
      }
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_DEFAULT);
  }

  bool is_here(std::size_t e) const { return e >= arena_.posed_count() || arena_.present(lanes_.arena_state(0), e); }

  void trace(const std::vector<Point>& points, bool close) {
    for (std::size_t i = 0; i < points.size(); ++i)
      i == 0 ? cairo_move_to(c_, sx(points[i][0]), sy(points[i][1]))
             : cairo_line_to(c_, sx(points[i][0]), sy(points[i][1]));
    if (close) cairo_close_path(c_);
  }

  void draw_entity(std::size_t e) {
    const Entity& entity = arena_.entities()[e];
    trace(arena_.outline(lanes_.arena_state(0), e), entity.kind != EntityKind::wall);
    const Colour colour = colour_of(e);
    if (entity.kind != EntityKind::wall) {
      set(colour, entity.kind == EntityKind::zone ? 0.18 : 0.85);
      cairo_fill_preserve(c_);
    }
    set(colour);
    cairo_set_line_width(c_, entity.kind == EntityKind::wall ? 4 : 1.5);
    cairo_set_line_join(c_, CAIRO_LINE_JOIN_ROUND);
    if (entity.kind == EntityKind::zone) {
      const double dash[] = {7, 4};
      cairo_set_dash(c_, dash, 2, 0);
    }
    cairo_stroke(c_);
    cairo_set_dash(c_, nullptr, 0, 0);
    if (entity.kind == EntityKind::body && entity.free) draw_bow(e);
  }

  // A stroke from the middle towards where it heads.
  void draw_bow(std::size_t e) {
    const Pose pose = arena_.pose(lanes_.arena_state(0), e);
    const double x = static_cast<double>(pose.x), y = static_cast<double>(pose.y);
    double half = 0;  // how far the outline reaches
    for (const auto& [px, py] : arena_.outline(lanes_.arena_state(0), e))
      half = std::max(half, std::hypot(px - x, py - y));
    half *= 0.85;
    set({1, 1, 1});
    cairo_set_line_width(c_, 2);
    cairo_move_to(c_, sx(x), sy(y));
    cairo_line_to(c_, sx(x + half * static_cast<double>(pose.cos)), sy(y + half * static_cast<double>(pose.sin)));
    cairo_stroke(c_);
  }

  void draw_rays() {
    for (std::size_t role = 0; role < lanes_.game().roles().size(); ++role)
      for (std::size_t seat = 0; seat < lanes_.seats(role); ++seat)
        for (const SeenRay& ray : SeatView(lanes_, 0, role, seat).rays()) {
          any_ray_ = true;
          const bool hit = ray.entity >= 0;
          set(hit ? colour_of(static_cast<std::size_t>(ray.entity)) : faint, hit ? 0.55 : 0.35);
          cairo_set_line_width(c_, 1);
          cairo_move_to(c_, sx(static_cast<double>(ray.from_x)), sy(static_cast<double>(ray.from_y)));
          cairo_line_to(c_, sx(static_cast<double>(ray.to_x)), sy(static_cast<double>(ray.to_y)));
          cairo_stroke(c_);
          if (!hit) continue;
          cairo_arc(c_, sx(static_cast<double>(ray.to_x)), sy(static_cast<double>(ray.to_y)), 2.5, 0, 2 * M_PI);
          cairo_fill(c_);
        }
  }

  void draw_path(const Path& path) {
    if (path.points.size() < 2) return;
    trace(path.points, false);
    set(path_colour);
    cairo_set_line_width(c_, 2.5);
    cairo_stroke(c_);
    const double bx = sx(path.points.front()[0]), by = sy(path.points.front()[1]);
    set(path_colour);
    cairo_arc(c_, bx, by, 5, 0, 2 * M_PI);
    cairo_fill(c_);
    end_mark(sx(path.points.back()[0]), sy(path.points.back()[1]), path.outcome);
  }

  // Ring for success, cross for failure, bar for a cutoff.
  void end_mark(double x, double y, Outcome outcome) {
    set(ink);
    cairo_set_line_width(c_, 2.5);
    if (outcome == Outcome::success) {
      cairo_new_sub_path(c_);
      cairo_arc(c_, x, y, 13, 0, 2 * M_PI);
    } else if (outcome == Outcome::failure) {
      for (const double side : {-1.0, 1.0}) {
        cairo_move_to(c_, x - 10, y - side * 10);
        cairo_line_to(c_, x + 10, y + side * 10);
      }
    } else if (outcome == Outcome::cutoff) {
      cairo_move_to(c_, x - 12, y + 14);
      cairo_line_to(c_, x + 12, y + 14);
    }
    cairo_stroke(c_);
  }

  void text(double x, double y, const std::string& words, double size, bool bold = false) {
    set(ink);
    cairo_select_font_face(c_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c_, size);
    cairo_move_to(c_, x, y);
    cairo_show_text(c_, words.c_str());
  }

  void draw_legend() {
    const double x = p_.width - margin - legend_width + 24;
    double y = top_ + 12;
    std::set<std::size_t> seen;
    for (std::size_t e = 0; e < arena_.entities().size(); ++e) {
      const Entity& entity = arena_.entities()[e];
      if (!seen.insert(entity.tag).second) continue;
      set(colour_of(e), entity.kind == EntityKind::zone ? 0.3 : 0.85);
      cairo_rectangle(c_, x, y - 11, 18, 13);
      cairo_fill(c_);
      text(x + 28, y, arena_.tags()[entity.tag], 14);
      y += 25;
    }
    if (any_ray_) key_line(x, y, faint, 1, "ray that meets nothing");
    if (!p_.paths.empty()) key_line(x, y, path_colour, 2.5, "path, from the dot");
    y += 12;
    for (const Path& path : p_.paths) {
      if (path.outcome == Outcome::running) continue;
      end_mark(x + 9, y - 5, path.outcome);
      text(x + 28, y, std::string(name_of(path.outcome)), 14);
      y += 34;
      break;
    }
    draw_scale(x, y + 8);
  }

  void key_line(double x, double& y, Colour colour, double width, const std::string& words) {
    set(colour);
    cairo_set_line_width(c_, width);
    cairo_move_to(c_, x, y - 5);
    cairo_line_to(c_, x + 18, y - 5);
    cairo_stroke(c_);
    text(x + 28, y, words, 12);
    y += 25;
  }

  void draw_scale(double x, double y) {
    double metres = 1;
    while (metres * scale_ < 50) metres *= metres * scale_ < 25 && metres != 2 ? 2 : 2.5;
    set(ink);
    cairo_set_line_width(c_, 2);
    cairo_move_to(c_, x, y - 5);
    cairo_line_to(c_, x, y);
    cairo_line_to(c_, x + metres * scale_, y);
    cairo_line_to(c_, x + metres * scale_, y - 5);
    cairo_stroke(c_);
    std::string words = std::to_string(metres);
    words.erase(words.find_last_not_of('0') + 1);
    if (words.back() == '.') words.pop_back();
    text(x, y + 18, words + " m", 13);
  }

  cairo_t* c_;
  const Picture& p_;
  const Lanes& lanes_;
  const Arena& arena_;
  std::vector<Colour> colours_;  // per tag
  bool any_ray_ = false;
  Extent box_;
  double scale_ = 1, left_ = 0, top_ = 0;
};

using Canvas = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;

void paint_on(cairo_surface_t* surface, const Picture& picture) {
  const std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context(cairo_create(surface), &cairo_destroy);
  Painter(context.get(), picture).paint();
}

cairo_status_t collect(void* into, const unsigned char* bytes, unsigned length) {
  static_cast<std::string*>(into)->append(reinterpret_cast<const char*>(bytes), length);
  return CAIRO_STATUS_SUCCESS;
}

}  // namespace

void draw_png(const std::filesystem::path& file, const Picture& picture) {
  const Canvas surface(cairo_image_surface_create(CAIRO_FORMAT_RGB24, picture.width, picture.height),
                       &cairo_surface_destroy);
  paint_on(surface.get(), picture);
  std::string bytes;
  if (cairo_surface_write_to_png_stream(surface.get(), &collect, &bytes) != CAIRO_STATUS_SUCCESS)
    throw Error(Fault::file, "the picture cannot be drawn", file.string(), "choose a smaller size");
  write_atomically(file, bytes);
}

std::string svg_text(const Picture& picture) {
  std::string bytes;
  {
    const Canvas surface(cairo_svg_surface_create_for_stream(&collect, &bytes, picture.width, picture.height),
                         &cairo_surface_destroy);
    paint_on(surface.get(), picture);
    cairo_surface_finish(surface.get());
  }
  return bytes;
}

void draw_svg(const std::filesystem::path& file, const Picture& picture) { write_atomically(file, svg_text(picture)); }

void extend(Path& path, const Lanes& lanes, std::size_t role, std::size_t seat) {
  const Pose pose = lanes.game().arena().pose(lanes.arena_state(0), lanes.game().roles()[role].seats[seat]);
  path.points.push_back({static_cast<double>(pose.x), static_cast<double>(pose.y)});
  path.outcome = lanes.outcome(0);
}

}  // namespace zithercraft
