#include "painter.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/game/seat.hpp"

namespace zithercraft {
namespace {

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
constexpr double margin = 24, title_height = 44, legend_width = 190;
constexpr std::array<Colour, 6> block_colours{{{0.87, 0.80, 0.60},
                                               {0.80, 0.52, 0.42},
                                               {0.52, 0.54, 0.57},
                                               {0.30, 0.31, 0.34},
                                               {0.35, 0.55, 0.30},
                                               {0.60, 0.45, 0.62}}};
constexpr std::array<Colour, 3> worthy_colours{{{0.97, 0.95, 0.20}, {0.95, 0.55, 0.80}, {0.10, 0.75, 0.90}}};
constexpr std::array<Colour, 3> ground_colours{{{0.66, 0.70, 0.55}, {0.62, 0.58, 0.50}, {0.55, 0.60, 0.66}}};

}  // namespace

void Painter::Extent::add(double x, double y) {
  x0 = std::min(x0, x);
  y0 = std::min(y0, y);
  x1 = std::max(x1, x);
  y1 = std::max(y1, y);
}

void Painter::paint() {
  set({1, 1, 1});
  cairo_paint(c_);
  choose_colours();
  place();
  draw_arena();
  if (!p_.title.empty()) text(margin, margin + 10, p_.title, 17, true);
  if (p_.legend) draw_legend();
}

// Tags take the colours of their kind of thing in order of appearance.
void Painter::choose_colours() {
  std::array<std::size_t, 12> used{};
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
      case EntityKind::wall: break;
      case EntityKind::floor: colour = {0.80, 0.88, 0.93}; break;
      case EntityKind::ground:
      case EntityKind::mesh: colour = next(ground_colours, 7); break;
      case EntityKind::block:
        colour = arena_.spec().blocks->kinds[entity.spec_index].worth > 0.0 ? next(worthy_colours, 8)
                                                                            : next(block_colours, 9);
        break;
      case EntityKind::cell: {
        const CellKind& kind = arena_.spec().cells->kinds[entity.spec_index];
        colour = kind.solid ? next(solid_cells, 4) : kind.seen ? next(seen_cells, 5) : next(plain_cells, 6);
        break;
      }
    }
  }
}

void Painter::place() {
  box_ = extent();
  const double edge = 0.02 * std::max(box_.x1 - box_.x0, box_.y1 - box_.y0) + 1e-6;
  box_ = {box_.x0 - edge, box_.y0 - edge, box_.x1 + edge, box_.y1 + edge};
  const double room_x = p_.width - 2 * margin - (p_.legend ? legend_width : 0);
  const double room_y = p_.height - 2 * margin - (p_.title.empty() ? 0 : title_height - margin);
  scale_ = std::min(room_x / (box_.x1 - box_.x0), room_y / (box_.y1 - box_.y0));
  left_ = margin + (room_x - scale_ * (box_.x1 - box_.x0)) / 2;
  top_ = p_.height - margin - room_y + (room_y - scale_ * (box_.y1 - box_.y0)) / 2;
}

void Painter::trace(const std::vector<Point>& points, bool close) {
  for (std::size_t i = 0; i < points.size(); ++i)
    i == 0 ? cairo_move_to(c_, sx(points[i][0]), sy(points[i][1]))
           : cairo_line_to(c_, sx(points[i][0]), sy(points[i][1]));
  if (close) cairo_close_path(c_);
}

void Painter::draw_rays(bool ringed) {
  for (std::size_t role = 0; role < lanes_.game().roles().size(); ++role)
    for (std::size_t seat = 0; seat < lanes_.seats(role); ++seat)
      for (const SeenRay& ray : SeatView(lanes_, 0, role, seat).rays()) {
        any_ray_ = true;
        const bool hit = ray.entity >= 0;
        const Point from = seen({static_cast<double>(ray.from_x), static_cast<double>(ray.from_y),
                                 static_cast<double>(ray.from_z)}),
                    to = seen(
                        {static_cast<double>(ray.to_x), static_cast<double>(ray.to_y), static_cast<double>(ray.to_z)});
        set(hit ? colour_of(static_cast<std::size_t>(ray.entity)) : faint, hit ? 0.55 : 0.35);
        cairo_set_line_width(c_, 1);
        trace({from, to}, false);
        cairo_stroke(c_);
        if (!hit) continue;
        cairo_arc(c_, sx(to[0]), sy(to[1]), 2.5, 0, 2 * M_PI);
        cairo_fill_preserve(c_);
        if (ringed) {
          set(ink, 0.6);
          cairo_set_line_width(c_, 0.6);
          cairo_stroke(c_);
        }
        cairo_new_path(c_);
      }
}

// Ring for success, cross for failure, bar for a cutoff.
void Painter::end_mark(double x, double y, Outcome outcome) {
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

void Painter::text(double x, double y, const std::string& words, double size, bool bold) {
  set(ink);
  cairo_select_font_face(c_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                         bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
  cairo_set_font_size(c_, size);
  cairo_move_to(c_, x, y);
  cairo_show_text(c_, words.c_str());
}

double Painter::scale_metres() const {
  double metres = 1;
  while (metres * scale_ < 50) metres *= metres * scale_ < 25 && metres != 2 ? 2 : 2.5;
  return metres;
}

std::string Painter::written(double metres) {
  std::string words = std::to_string(metres);
  words.erase(words.find_last_not_of('0') + 1);
  if (words.back() == '.') words.pop_back();
  return words + " m";
}

void Painter::draw_legend() {
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

void Painter::key_line(double x, double& y, Colour colour, double width, const std::string& words) {
  set(colour);
  cairo_set_line_width(c_, width);
  cairo_move_to(c_, x, y - 5);
  cairo_line_to(c_, x + 18, y - 5);
  cairo_stroke(c_);
  text(x + 28, y, words, 12);
  y += 25;
}

}  // namespace zithercraft
