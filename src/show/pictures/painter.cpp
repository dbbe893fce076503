#include "show/pictures/painter.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/error.hpp"
#include "zithercraft/game/seat.hpp"

namespace zithercraft::show_internal {
namespace {

constexpr double margin = 24, title_height = 44, legend_width = 190;

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
  place();
  draw_arena();
  draw_overlays();
  if (!p_.title.empty()) text(margin, margin + 10, p_.title, 17, true);
  if (p_.legend) draw_legend();
}

void Painter::place() {
  box_ = lanes_.game().spec().custom ? frame() : extent();
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
        const bool hit{ray.entity};
        const Point from = seen({static_cast<double>(ray.from_x), static_cast<double>(ray.from_y),
                                 static_cast<double>(ray.from_z)}),
                    to = seen({static_cast<double>(ray.to_x), static_cast<double>(ray.to_y),
                               static_cast<double>(ray.to_z)});
        set(hit ? colour_of(ray.entity) : faint, hit ? 0.55 : 0.6);
        cairo_set_line_width(c_, 1);
        trace({from, to}, false);
        if (!hit) cairo_set_dash(c_, missed_dash.data(), static_cast<int>(missed_dash.size()), 0);
        cairo_stroke(c_);
        cairo_set_dash(c_, nullptr, 0, 0);
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

void Painter::choose_font(double size, bool bold) {
  cairo_select_font_face(c_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                         bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
  cairo_set_font_size(c_, size);
}

void Painter::text(double x, double y, const std::string& words, double size, bool bold) {
  set(ink);
  choose_font(size, bold);
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

Painter::Extent Painter::frame() const {
  const auto& custom = *lanes_.game().spec().custom;
  if (!custom.frame)
    throw Error(ErrorKind::usage, "the custom game has no frame, so nothing is seen of it",
                "custom.frame", "declare one, and draw the game in its `draw`");
  const auto& [left, bottom, right, top] = *custom.frame;
  return {left, bottom, right, top};
}

void Painter::draw_legend() {
  const double x = p_.width - margin - legend_width + 24;
  double y = top_ + 12;
  TagSet seen;
  for (const EntityId e : arena_.ids())
    for (std::size_t tag = 0; tag < arena_.tags().size(); ++tag) {
      if (lanes_.game().spec().custom || seen.holds(tag) || !arena_.tags_ever(e).holds(tag))
        continue;
      seen |= TagSet::of(tag);
      key_box(x, y, colours_[tag], arena_.entity(e).kind == EntityKind::zone ? 0.3 : 0.85,
              arena_.tags()[tag]);
    }
  std::set<std::string> named;
  for (const Overlay& o : p_.overlays) {
    if (o.form == Overlay::Form::text || o.form == Overlay::Form::picture ||
        !named.insert(o.name).second)
      continue;
    key_box(x, y, paint_of(o), 0.85, o.name);
  }
  if (any_ray_) {
    cairo_set_dash(c_, missed_dash.data(), static_cast<int>(missed_dash.size()), 0);
    key_line(x, y, faint, 1, "ray that meets nothing");
    cairo_set_dash(c_, nullptr, 0, 0);
  }
  if (!p_.paths.empty()) key_line(x, y, path_colour, 2.5, "path, from the dot");
  y += 12;
  for (const Path& path : p_.paths) {
    if (path.outcome == Outcome::running) continue;
    end_mark(x + 9, y - 5, path.outcome);
    text(x + 28, y, std::string(name_of(path.outcome)), 14);
    y += 34;
    break;
  }
  if (!lanes_.game().spec().custom) draw_scale(x, y + 8);
}

void Painter::key_box(double x, double& y, Colour colour, double opacity,
                      const std::string& words) {
  set(colour, opacity);
  cairo_rectangle(c_, x, y - 11, 18, 13);
  cairo_fill(c_);
  text(x + 28, y, words, 14);
  y += 25;
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

}  // namespace zithercraft::show_internal
