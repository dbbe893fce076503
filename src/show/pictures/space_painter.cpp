#include <algorithm>
#include <cmath>
#include <functional>

#include "show/pictures/painter.hpp"

namespace zithercraft::show_internal {
namespace {

constexpr double cos30 = 0.8660254037844386;
constexpr double endless = 4.0;  // metres at which walls and zones without end are drawn

struct Solid {
  std::vector<Point> outline;
  double low = 0.0, high = 0.0;
};

/// Seen from above a corner: x runs to the right and away, y to the left and away, levels straight
/// up, all to one scale.
class SpacePainter final : public Painter {
 public:
  using Painter::Painter;

 private:
  /// What is drawn, the farther first.
  struct Drawable {
    double nearness = 0.0;
    std::function<void()> draw;
  };

  Point seen(const Place& p) const override {
    return {(p.x - p.y) * cos30, 0.5 * (p.x + p.y) + p.z};
  }
  static double nearness(double x, double y, double z) { return z - x - y; }
  double px(double x, double y, double z) const { return sx(seen({x, y, z})[0]); }
  double py(double x, double y, double z) const { return sy(seen({x, y, z})[1]); }

  Solid solid_of(EntityId e) const {
    const Pose pose = lanes_.view(0).pose(e);
    const double tall = static_cast<double>(arena_.height_of(e, lanes_.arena_state(0))),
                 z = static_cast<double>(pose.z);
    const double top = z + (std::isfinite(tall) ? tall : endless);
    // What is sunk into the floor shows above it only.
    const bool sunk = arena_.spec().heights->floor && z < floor_level() && top > floor_level();
    return {lanes_.view(0).outline(e), sunk ? floor_level() : z, top};
  }

  // The rectangle in the plane that holds everything.
  void ground_plan(double& x0, double& y0, double& x1, double& y1) const {
    Extent plan;
    for (const EntityId e : arena_.ids())
      if (is_here(e))
        for (const auto& [x, y] : lanes_.view(0).outline(e)) plan.add(x, y);
    for (const auto& triangle : arena_.triangles())
      for (const Place& corner : triangle.corner) plan.add(corner.x, corner.y);
    if (arena_.block_count().columns > 0) {
      const BlocksSpec& blocks = *arena_.spec().blocks;
      const auto count = arena_.block_count();
      plan.add(blocks.origin[0], blocks.origin[1] + blocks.size * static_cast<double>(cut_row()));
      plan.add(blocks.origin[0] + blocks.size * static_cast<double>(count.columns),
               blocks.origin[1] + blocks.size * static_cast<double>(count.rows));
    }
    if (arena_.cell_columns() > 0) {
      const CellsSpec& cells = *arena_.spec().cells;
      plan.add(cells.origin[0], cells.origin[1]);
      plan.add(cells.origin[0] + cells.size * static_cast<double>(arena_.cell_columns()),
               cells.origin[1] + cells.size * static_cast<double>(arena_.cell_rows()));
    }
    x0 = plan.x0;
    y0 = plan.y0;
    x1 = plan.x1;
    y1 = plan.y1;
  }

  Extent extent() const override {
    Extent box;
    const auto add = [&](double x, double y, double z) {
      const Point p = seen({x, y, z});
      box.add(p[0], p[1]);
    };
    double x0, y0, x1, y1;
    ground_plan(x0, y0, x1, y1);
    for (const double x : {x0, x1})
      for (const double y : {y0, y1}) add(x, y, floor_level());
    for (const EntityId e : arena_.posed())
      if (is_here(e)) {
        const Solid solid = solid_of(e);
        for (const auto& [x, y] : solid.outline) {
          add(x, y, solid.low);
          add(x, y, solid.high);
        }
      }
    for (const auto& triangle : arena_.triangles())
      for (const Place& corner : triangle.corner) add(corner.x, corner.y, corner.z);
    if (const auto count = arena_.block_count(); count.columns > 0) {
      const BlocksSpec& blocks = *arena_.spec().blocks;
      const double top = blocks.origin[2] + blocks.size * static_cast<double>(highest_block());
      for (const double x : {x0, x1})
        for (const double y : {y0, y1}) {
          add(x, y, blocks.origin[2]);
          add(x, y, top);
        }
    }
    for (const Path& path : p_.paths)
      for (std::size_t i = 0; i < path.points.size(); ++i)
        add(path.points[i][0], path.points[i][1], level(path, i));
    return box;
  }

  double floor_level() const {
    const auto& floor = arena_.spec().heights->floor;
    return floor ? floor->level : 0.0;
  }

  // Rows of blocks below this one are left away, so that one sees what the first seat is in.
  std::size_t cut_row() const {
    const BlocksSpec& blocks = *arena_.spec().blocks;
    const EntityId seat = lanes_.game().roles()[0].seats[0];
    const double y = static_cast<double>(lanes_.view(0).pose(seat).y);
    return static_cast<std::size_t>(std::clamp(std::floor((y - blocks.origin[1]) / blocks.size),
                                               0.0,
                                               static_cast<double>(arena_.block_count().rows - 1)));
  }

  std::size_t highest_block() const {
    const auto count = arena_.block_count();
    for (std::size_t layer = count.layers; layer-- > 0;)
      for (std::size_t row = 0; row < count.rows; ++row)
        for (std::size_t column = 0; column < count.columns; ++column)
          if (lanes_.view(0).block_at(column, row, layer) >= 0) return layer + 1;
    return 0;
  }

  static double level(const Path& path, std::size_t i) {
    return path.levels.empty() ? 0.0 : path.levels[i];
  }

  void draw_arena() override {
    cairo_save(c_);  // rays may reach beyond what is shown
    cairo_rectangle(c_, sx(box_.x0), sy(box_.y1), (box_.x1 - box_.x0) * scale_,
                    (box_.y1 - box_.y0) * scale_);
    cairo_clip(c_);
    if (arena_.spec().heights->floor) draw_floor();
    std::vector<Drawable> things;
    add_cells(things);
    add_terrain(things);
    add_blocks(things);
    for (const EntityId e : arena_.ids()) {
      const EntityKind kind = arena_.entity(e).kind;
      if (!is_here(e)) continue;
      if (kind == EntityKind::wall) add_wall(things, e);
      if (arena_.posed().holds(e)) add_thing(things, e);
    }
    std::stable_sort(things.begin(), things.end(),
                     [](const Drawable& a, const Drawable& b) { return a.nearness < b.nearness; });
    for (const Drawable& thing : things) thing.draw();
    if (p_.rays) draw_rays(true);
    for (const Path& path : p_.paths) draw_path(path);
    cairo_restore(c_);
  }

  void face(const std::vector<Place>& corners, Colour colour, double light, double opacity = 1.0,
            bool edges = true) {
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const double x = px(corners[i].x, corners[i].y, corners[i].z),
                   y = py(corners[i].x, corners[i].y, corners[i].z);
      i == 0 ? cairo_move_to(c_, x, y) : cairo_line_to(c_, x, y);
    }
    cairo_close_path(c_);
    set({colour.r * light, colour.g * light, colour.b * light}, opacity);
    cairo_fill_preserve(c_);
    if (edges)
      set({colour.r * light * 0.75, colour.g * light * 0.75, colour.b * light * 0.75}, opacity);
    cairo_set_line_width(c_, edges ? 0.8 : 0.5);
    cairo_stroke(c_);
  }

  void draw_floor() {
    double x0, y0, x1, y1;
    ground_plan(x0, y0, x1, y1);
    const double z = floor_level();
    for (const EntityId e : arena_.ids())
      if (arena_.entity(e).kind == EntityKind::floor)
        face({{x0, y0, z}, {x1, y0, z}, {x1, y1, z}, {x0, y1, z}}, colour_of(e), 1.0);
    // Lines every few metres, so that distances can be read.
    const double step = std::max(1.0, 5.0 * std::round(std::max(x1 - x0, y1 - y0) / 50.0));
    set({0.70, 0.80, 0.87});
    cairo_set_line_width(c_, 0.7);
    for (double x = std::ceil(x0 / step) * step; x <= x1; x += step) line({x, y0, z}, {x, y1, z});
    for (double y = std::ceil(y0 / step) * step; y <= y1; y += step) line({x0, y, z}, {x1, y, z});
  }

  void line(Place a, Place b) {
    cairo_move_to(c_, px(a.x, a.y, a.z), py(a.x, a.y, a.z));
    cairo_line_to(c_, px(b.x, b.y, b.z), py(b.x, b.y, b.z));
    cairo_stroke(c_);
  }

  void add_cells(std::vector<Drawable>& things) {
    if (arena_.cell_columns() == 0) return;
    const CellsSpec& cells = *arena_.spec().cells;
    for (std::size_t row = 0; row < arena_.cell_rows(); ++row)
      for (std::size_t column = 0; column < arena_.cell_columns(); ++column) {
        const EntityId e = lanes_.view(0).cell_at(column, row);
        if (!e) continue;
        const CellKind& kind = cells.kinds[arena_.entity(e).spec_index];
        const double x = cells.origin[0] + cells.size * static_cast<double>(column),
                     y = cells.origin[1] + cells.size * static_cast<double>(row), z = floor_level();
        const Solid solid{
            {{x, y}, {x + cells.size, y}, {x + cells.size, y + cells.size}, {x, y + cells.size}},
            z,
            kind.solid ? z + kind.height.value_or(endless) : z};
        things.push_back(
            {nearness(x + cells.size / 2, y + cells.size / 2, z) - (kind.solid ? 0.0 : 1e6),
             [this, solid, e] { prism(solid, colour_of(e), 1.0); }});
      }
  }

  void add_terrain(std::vector<Drawable>& things) {
    for (const ArenaTriangle& triangle : arena_.triangles()) {
      const auto& c = triangle.corner;
      const double ux = c[1].x - c[0].x, uy = c[1].y - c[0].y, uz = c[1].z - c[0].z,
                   vx = c[2].x - c[0].x, vy = c[2].y - c[0].y, vz = c[2].z - c[0].z;
      double nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx;
      const double size = std::sqrt(nx * nx + ny * ny + nz * nz) * (nz < 0 ? -1 : 1);
      // Light falls from above and from the left.
      const double light =
          std::clamp(0.55 + 0.45 * (0.2 * nx - 0.45 * ny + 0.85 * nz) / size, 0.35, 1.1);
      const std::vector<Place> corners(c.begin(), c.end());
      things.push_back({nearness((c[0].x + c[1].x + c[2].x) / 3, (c[0].y + c[1].y + c[2].y) / 3,
                                 (c[0].z + c[1].z + c[2].z) / 3) -
                            1.0,
                        [this, corners, light, e = triangle.entity] {
                          face(corners, colour_of(e), light, 1.0, false);
                        }});
    }
  }

  // Of each block the faces that can be seen. What lies nearer than the first seat is left away, so
  // that one sees inside.
  void add_blocks(std::vector<Drawable>& things) {
    const auto count = arena_.block_count();
    if (count.columns == 0) return;
    const BlocksSpec& blocks = *arena_.spec().blocks;
    const std::size_t cut = cut_row();
    const auto at = [&](std::size_t column, std::size_t row, std::size_t layer) {
      return row < cut || column >= count.columns || row >= count.rows || layer >= count.layers
                 ? EntityId()
                 : lanes_.view(0).block_at(column, row, layer);
    };
    for (std::size_t layer = 0; layer < count.layers; ++layer)
      for (std::size_t row = cut; row < count.rows; ++row)
        for (std::size_t column = 0; column < count.columns; ++column) {
          const EntityId e = at(column, row, layer);
          if (!e) continue;
          const bool top = !at(column, row, layer + 1),
                     left = column == 0 || !at(column - 1, row, layer),
                     front = row == 0 || !at(column, row - 1, layer);
          if (!top && !left && !front) continue;
          const double s = blocks.size, x = blocks.origin[0] + s * static_cast<double>(column),
                       y = blocks.origin[1] + s * static_cast<double>(row),
                       z = blocks.origin[2] + s * static_cast<double>(layer);
          // Deeper layers are a little darker.
          const double depth =
              0.78 + 0.22 * static_cast<double>(layer) / static_cast<double>(count.layers);
          things.push_back(
              {nearness(x + s / 2, y + s / 2, z + s / 2),
               [this, x, y, z, s, top, left, front, depth, e] {
                 const Colour colour = colour_of(e);
                 if (left)
                   face({{x, y, z}, {x, y + s, z}, {x, y + s, z + s}, {x, y, z + s}}, colour,
                        0.72 * depth);
                 if (front)
                   face({{x, y, z}, {x + s, y, z}, {x + s, y, z + s}, {x, y, z + s}}, colour,
                        0.86 * depth);
                 if (top)
                   face(
                       {{x, y, z + s}, {x + s, y, z + s}, {x + s, y + s, z + s}, {x, y + s, z + s}},
                       colour, depth);
               }});
        }
  }

  void add_wall(std::vector<Drawable>& things, EntityId e) {
    const WallSpec& wall = arena_.spec().walls[arena_.entity(e).spec_index];
    const auto points = lanes_.view(0).outline(e);
    const double low = wall.height ? wall.foot : floor_level(),
                 high = low + wall.height.value_or(endless);
    for (std::size_t i = 0; i + 1 < points.size(); ++i) {
      const Point a = points[i], b = points[i + 1];
      things.push_back(
          {nearness((a[0] + b[0]) / 2, (a[1] + b[1]) / 2, low), [this, a, b, low, high, e] {
             face({{a[0], a[1], low}, {b[0], b[1], low}, {b[0], b[1], high}, {a[0], a[1], high}},
                  colour_of(e), 1.0, 0.35);
           }});
    }
  }

  void add_thing(std::vector<Drawable>& things, EntityId e) {
    const Pose pose = lanes_.view(0).pose(e);
    const Solid solid = solid_of(e);
    const bool zone = arena_.entity(e).kind == EntityKind::zone;
    const double x = static_cast<double>(pose.x), y = static_cast<double>(pose.y);
    things.push_back({nearness(x, y, 0.5 * (solid.low + solid.high)) + (zone ? 1e6 : 0.7),
                      [this, solid, e, x, y, zone] {
                        if (zone) return draw_zone(solid, e);
                        if (is_ball(e)) return draw_ball(solid, e, x, y);
                        prism(solid, colour_of(e), 1.0);
                        if (arena_.bodies().holds(e) && arena_.entity(e).free) draw_bow(solid, e);
                      }});
  }

  bool is_ball(EntityId e) const {
    const Entity& entity = arena_.entity(e);
    switch (entity.kind) {
      case EntityKind::shot: return true;
      case EntityKind::item:
        return std::holds_alternative<Ball>(arena_.spec().items[entity.spec_index].shape);
      case EntityKind::body:
        return entity.spec_index < arena_.spec().bodies.size() &&
               std::holds_alternative<Ball>(arena_.spec().bodies[entity.spec_index].shape);
      default: return false;
    }
  }

  void prism(const Solid& solid, Colour colour, double opacity) {
    const auto& points = solid.outline;
    for (std::size_t i = 0; i < points.size() && solid.high > solid.low; ++i) {
      const Point a = points[i], b = points[(i + 1) % points.size()];
      // Sides that look away from the corner one looks from are hidden; outlines run
      // counter-clockwise.
      const double nx = b[1] - a[1], ny = a[0] - b[0];
      if (nx + ny >= 0) continue;
      const double light = 0.72 + 0.16 * std::fabs(ny) / (std::hypot(nx, ny) + 1e-9);
      face({{a[0], a[1], solid.low},
            {b[0], b[1], solid.low},
            {b[0], b[1], solid.high},
            {a[0], a[1], solid.high}},
           colour, light, opacity, false);
    }
    std::vector<Place> top;
    for (const Point& p : points) top.push_back({p[0], p[1], solid.high});
    face(top, colour, 1.0, opacity);
  }

  // Over everything else, since one can see through it.
  void draw_zone(const Solid& solid, EntityId e) {
    const double dash[] = {7, 4};
    cairo_set_line_width(c_, 1.5);
    const auto dashed = [&] {
      set(colour_of(e));
      cairo_set_dash(c_, dash, 2, 0);
      cairo_stroke(c_);
      cairo_set_dash(c_, nullptr, 0, 0);
    };
    for (const double z : {solid.low, solid.high}) {
      std::vector<Point> ring;
      for (const Point& p : solid.outline) ring.push_back(seen({p[0], p[1], z}));
      trace(ring, true);
      set(colour_of(e), 0.18);
      cairo_fill_preserve(c_);
      dashed();
    }
    const auto further_right = [](const Point& a, const Point& b) {
      return a[0] - a[1] < b[0] - b[1];
    };
    const auto [left, right] =
        std::minmax_element(solid.outline.begin(), solid.outline.end(), further_right);
    for (const Point& p : {*left, *right}) {
      cairo_move_to(c_, px(p[0], p[1], solid.low), py(p[0], p[1], solid.low));
      cairo_line_to(c_, px(p[0], p[1], solid.high), py(p[0], p[1], solid.high));
      dashed();
    }
  }

  // With its shadow on the floor and a line down to it, to show where it hangs.
  void draw_ball(const Solid& solid, EntityId e, double x, double y) {
    const double radius = 0.5 * (solid.high - solid.low), z = solid.low + radius,
                 ground = floor_level();
    if (arena_.spec().heights->floor && solid.low > ground + 0.05) {
      set(faint);
      cairo_set_line_width(c_, 1);
      const double dash[] = {2, 3};
      cairo_set_dash(c_, dash, 2, 0);
      line({x, y, ground}, {x, y, solid.low});
      cairo_set_dash(c_, nullptr, 0, 0);
      cairo_save(c_);
      cairo_translate(c_, px(x, y, ground), py(x, y, ground));
      cairo_scale(c_, 1.22, 0.7);
      cairo_arc(c_, 0, 0, radius * scale_, 0, 2 * M_PI);
      cairo_restore(c_);
      set(ink, 0.15);
      cairo_fill(c_);
    }
    const double cx = px(x, y, z), cy = py(x, y, z), r = std::max(2.5, 1.1 * radius * scale_);
    set(colour_of(e));
    cairo_arc(c_, cx, cy, r, 0, 2 * M_PI);
    cairo_fill(c_);
    set({1, 1, 1}, 0.35);
    cairo_arc(c_, cx - 0.3 * r, cy - 0.35 * r, 0.35 * r, 0, 2 * M_PI);
    cairo_fill(c_);
  }

  void draw_bow(const Solid& solid, EntityId e) {
    const Pose pose = lanes_.view(0).pose(e);
    const double x = static_cast<double>(pose.x), y = static_cast<double>(pose.y);
    double half = 0;
    for (const auto& [ox, oy] : solid.outline) half = std::max(half, std::hypot(ox - x, oy - y));
    set({1, 1, 1});
    cairo_set_line_width(c_, 2);
    line({x, y, solid.high}, {x + 0.85 * half * static_cast<double>(pose.cos),
                              y + 0.85 * half * static_cast<double>(pose.sin), solid.high});
  }

  void draw_path(const Path& path) {
    if (path.points.size() < 2) return;
    std::vector<Point> way;
    for (std::size_t i = 0; i < path.points.size(); ++i)
      way.push_back(seen({path.points[i][0], path.points[i][1], level(path, i)}));
    trace(way, false);
    set(colour_of_path(path));
    cairo_set_line_width(c_, 2.5);
    cairo_stroke(c_);
    cairo_arc(c_, sx(way.front()[0]), sy(way.front()[1]), 5, 0, 2 * M_PI);
    cairo_fill(c_);
    end_mark(sx(way.back()[0]), sy(way.back()[1]), path.outcome);
  }

  // One length along each axis.
  void draw_scale(double x, double y) override {
    constexpr double room = 95.0;  // pixels of an arm, so that both stay within the picture
    double metres = scale_metres();
    while (metres * scale_ > room) metres /= 2.0;
    const double length = metres * scale_;
    const double ox = x + cos30 * length, oy = y + length;
    set(ink);
    cairo_set_line_width(c_, 1.5);
    const auto arm = [&](double dx, double dy, const char* name) {
      cairo_move_to(c_, ox, oy);
      cairo_line_to(c_, ox + dx * length, oy - dy * length);
      cairo_stroke(c_);
      text(ox + dx * length + (dx < 0 ? -12 : 3), oy - dy * length - 3, name, 12);
    };
    arm(cos30, 0.5, "x");
    arm(-cos30, 0.5, "y");
    arm(0, 1, "up");
    text(x, oy + 22, written(metres) + " along each", 13);
  }
};

}  // namespace

void paint_space(cairo_t* c, const Picture& picture) { SpacePainter(c, picture).paint(); }

}  // namespace zithercraft::show_internal
