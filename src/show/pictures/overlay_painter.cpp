#include <cmath>
#include <vector>

#include "show/pictures/painter.hpp"
#include "zithercraft/game/overlay.hpp"

// What a game's own code drew, or a program recorded, over whatever is there.
namespace zithercraft::show_internal {

Colour paint_of(const Overlay& overlay) {
  return {overlay.colour[0] / 255.0, overlay.colour[1] / 255.0, overlay.colour[2] / 255.0};
}

void Painter::draw_overlays() {
  for (const Overlay& overlay : p_.overlays) {
    draw_overlay(overlay);
    if (!overlay.label.empty()) draw_words(overlay);
  }
}

void Painter::draw_overlay(const Overlay& overlay) {
  const auto& n = overlay.numbers;
  const auto at = [&](std::size_t i) { return static_cast<double>(n[i]); };
  std::vector<Point> points;
  if (overlay.form == Overlay::Form::points || overlay.form == Overlay::Form::line)
    for (std::size_t i = 0; i + 2 < n.size(); i += 3)
      points.push_back(seen({at(i), at(i + 1), at(i + 2)}));
  set(paint_of(overlay));
  switch (overlay.form) {
    case Overlay::Form::points:
      for (const auto& [x, y] : points) {
        cairo_arc(c_, sx(x), sy(y), 5, 0, 2 * M_PI);
        cairo_fill(c_);
      }
      break;
    case Overlay::Form::line:
      cairo_set_line_width(c_, 2.5);
      trace(points, false);
      cairo_stroke(c_);
      break;
    case Overlay::Form::boxes:
      for (std::size_t i = 0; i + 3 < n.size(); i += 4) {
        trace({seen({at(i), at(i + 1), 0}), seen({at(i + 2), at(i + 1), 0}),
               seen({at(i + 2), at(i + 3), 0}), seen({at(i), at(i + 3), 0})},
              true);
        cairo_fill(c_);
      }
      break;
    case Overlay::Form::picture: draw_raster(overlay); break;
    case Overlay::Form::cells:
    case Overlay::Form::tint:
    case Overlay::Form::text: break;
  }
}

// Each pixel is a rectangle, so that pictures stay sharp at any size.
void Painter::draw_raster(const Overlay& overlay) {
  const auto raster = Raster::of(overlay);
  if (!raster) return;
  const double wide = (raster->right - raster->left) / static_cast<double>(raster->columns),
               tall = (raster->top - raster->bottom) / static_cast<double>(raster->rows);
  cairo_set_antialias(c_, CAIRO_ANTIALIAS_NONE);
  for (std::size_t row = 0; row < raster->rows; ++row)
    for (std::size_t column = 0; column < raster->columns; ++column) {
      const auto [r, g, b] = raster->pixel(row, column);
      const double x = raster->left + wide * static_cast<double>(column),
                   y = raster->top - tall * static_cast<double>(row);
      set({static_cast<double>(r), static_cast<double>(g), static_cast<double>(b)});
      trace({seen({x, y, 0}), seen({x + wide, y, 0}), seen({x + wide, y - tall, 0}),
             seen({x, y - tall, 0})},
            true);
      cairo_fill(c_);
    }
  cairo_set_antialias(c_, CAIRO_ANTIALIAS_DEFAULT);
}

void Painter::draw_words(const Overlay& overlay) {
  const auto& n = overlay.numbers;
  if (n.size() < 3 || overlay.form == Overlay::Form::cells || overlay.form == Overlay::Form::tint)
    return;
  const Point place =
      seen({static_cast<double>(n[0]), static_cast<double>(n[1]),
            overlay.form == Overlay::Form::boxes ? 0.0 : static_cast<double>(n[2])});
  if (overlay.form != Overlay::Form::text)
    return text(sx(place[0]) + 8, sy(place[1]) - 8, overlay.label, 13);
  const double size = n.size() > 3 ? static_cast<double>(n[3]) * scale_ : 15.0;
  cairo_text_extents_t extents;
  choose_font(size, false);
  cairo_text_extents(c_, overlay.label.c_str(), &extents);
  set(paint_of(overlay));
  cairo_move_to(c_, sx(place[0]) - extents.width / 2, sy(place[1]) + extents.height / 2);
  cairo_show_text(c_, overlay.label.c_str());
}

}  // namespace zithercraft::show_internal
