#include <cmath>

#include "show/pictures/painter.hpp"

namespace zithercraft::show_internal {
namespace {

/// Seen from above.
class FlatPainter final : public Painter {
 public:
  using Painter::Painter;

 private:
  Extent extent() const override {
    Extent box;
    for (const EntityId e : arena_.ids())
      if (is_here(e))
        for (const auto& [x, y] : lanes_.view(0).outline(e)) box.add(x, y);
    if (arena_.cell_columns() > 0) {
      const CellsSpec& cells = *arena_.spec().cells;
      box.add(cells.origin[0], cells.origin[1]);
      box.add(cells.origin[0] + cells.size * static_cast<double>(arena_.cell_columns()),
              cells.origin[1] + cells.size * static_cast<double>(arena_.cell_rows()));
    }
    return box;
  }

  void draw_scale(double x, double y) override {
    const double metres = scale_metres();
    set(ink);
    cairo_set_line_width(c_, 2);
    cairo_move_to(c_, x, y - 5);
    cairo_line_to(c_, x, y);
    cairo_line_to(c_, x + metres * scale_, y);
    cairo_line_to(c_, x + metres * scale_, y - 5);
    cairo_stroke(c_);
    text(x, y + 18, written(metres), 13);
  }

  Point seen(const Place& place) const override { return {place.x, place.y}; }

  void draw_arena() override {
    draw_water();
    draw_cells();
    for (const EntityKind kind : {EntityKind::zone, EntityKind::wall, EntityKind::item,
                                  EntityKind::body, EntityKind::shot}) {
      if (kind == EntityKind::body) {
        if (p_.rays) draw_rays(false);
        for (const Path& path : p_.paths) draw_path(path);
      }
      for (const EntityId e : arena_.ids())
        if (arena_.entity(e).kind == kind && is_here(e)) draw_entity(e);
    }
  }

  void draw_water() {
    set(water);
    cairo_rectangle(c_, sx(box_.x0), sy(box_.y1), (box_.x1 - box_.x0) * scale_,
                    (box_.y1 - box_.y0) * scale_);
    cairo_fill(c_);
  }

  void draw_cells() {
    if (arena_.cell_columns() == 0) return;
    const CellsSpec& cells = *arena_.spec().cells;
    const double side = cells.size * scale_;
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_NONE);  // no seams between cells
    for (std::size_t row = 0; row < arena_.cell_rows(); ++row)
      for (std::size_t column = 0; column < arena_.cell_columns(); ++column) {
        const EntityId entity = lanes_.view(0).cell_at(column, row);
        if (!entity) continue;
        set(colour_of(entity));
        cairo_rectangle(c_, sx(cells.origin[0] + cells.size * static_cast<double>(column)),
                        sy(cells.origin[1] + cells.size * static_cast<double>(row + 1)), side,
                        side);
        cairo_fill(c_);
      }
    cairo_set_antialias(c_, CAIRO_ANTIALIAS_DEFAULT);
  }

  void draw_entity(EntityId e) {
    const Entity& entity = arena_.entity(e);
    trace(lanes_.view(0).outline(e), entity.kind != EntityKind::wall);
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
  void draw_bow(EntityId e) {
    const Pose pose = lanes_.view(0).pose(e);
    const double x = static_cast<double>(pose.x), y = static_cast<double>(pose.y);
    double half = 0;  // how far the outline reaches
    for (const auto& [px, py] : lanes_.view(0).outline(e))
      half = std::max(half, std::hypot(px - x, py - y));
    half *= 0.85;
    set({1, 1, 1});
    cairo_set_line_width(c_, 2);
    cairo_move_to(c_, sx(x), sy(y));
    cairo_line_to(c_, sx(x + half * static_cast<double>(pose.cos)),
                  sy(y + half * static_cast<double>(pose.sin)));
    cairo_stroke(c_);
  }

  void draw_path(const Path& path) {
    if (path.points.size() < 2) return;
    trace(path.points, false);
    set(colour_of_path(path));
    cairo_set_line_width(c_, 2.5);
    cairo_stroke(c_);
    const double bx = sx(path.points.front()[0]), by = sy(path.points.front()[1]);
    set(colour_of_path(path));
    cairo_arc(c_, bx, by, 5, 0, 2 * M_PI);
    cairo_fill(c_);
    end_mark(sx(path.points.back()[0]), sy(path.points.back()[1]), path.outcome);
  }
};

}  // namespace

void paint_flat(cairo_t* c, const Picture& picture) { FlatPainter(c, picture).paint(); }

}  // namespace zithercraft::show_internal
