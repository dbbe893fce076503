#pragma once

// What pictures of flat arenas and of those with height have in common: colours by tag, the legend,
// marks.

#include <cairo.h>

#include <array>
#include <set>
#include <string>
#include <vector>

#include "show/pictures/colours.hpp"
#include "zithercraft/show/picture.hpp"

namespace zithercraft::show_internal {

constexpr Colour path_colour{0.80, 0.40, 0.00}, water{0.93, 0.96, 0.98};
/// Paths of several seats, one after the other.
constexpr std::array<Colour, 8> path_colours{{path_colour,
                                              {0.10, 0.45, 0.75},
                                              {0.70, 0.25, 0.45},
                                              {0.35, 0.60, 0.10},
                                              {0.40, 0.20, 0.60},
                                              {0.00, 0.55, 0.55},
                                              {0.60, 0.45, 0.10},
                                              {0.30, 0.30, 0.30}}};
/// Pixels drawn and left out, of rays that meet nothing.
constexpr std::array<double, 2> missed_dash{4.0, 4.0};

Colour paint_of(const Overlay& overlay);

class Painter {
 public:
  Painter(cairo_t* c, const Picture& p)
      : c_(c),
        p_(p),
        lanes_(*p.lanes),
        arena_(p.lanes->game().arena()),
        colours_(tag_colours(p.lanes->game())) {}
  virtual ~Painter() = default;
  Painter(const Painter&) = delete;
  Painter& operator=(const Painter&) = delete;

  void paint();

 protected:
  struct Extent {
    double x0 = 1e300, y0 = 1e300, x1 = -1e300, y1 = -1e300;
    void add(double x, double y);
  };

  /// How far the arena reaches, in units of the picture before it is scaled; y upwards.
  virtual Extent extent() const = 0;
  virtual void draw_arena() = 0;
  /// Where a place of the arena is seen, in the same units.
  virtual Point seen(const Place& place) const = 0;
  virtual void draw_scale(double x, double y) = 0;

  void set(Colour colour, double opacity = 1.0) {
    cairo_set_source_rgba(c_, colour.r, colour.g, colour.b, opacity);
  }
  Colour colour_of(EntityId entity) const { return colours_[lanes_.view(0).tag_of(entity)]; }
  bool is_here(EntityId e) const {
    if (lanes_.game().spec().custom) return false;
    return lanes_.view(0).present(e);
  }
  double sx(double x) const { return left_ + (x - box_.x0) * scale_; }
  double sy(double y) const { return top_ + (box_.y1 - y) * scale_; }
  /// Puts the points together to one line on the picture.
  void trace(const std::vector<Point>& points, bool close);
  /// The colour of one of the picture's paths.
  Colour colour_of_path(const Path& path) const {
    return path_colours[static_cast<std::size_t>(&path - p_.paths.data()) % path_colours.size()];
  }
  /// The rays of all seats; `ringed`: what they meet is marked so that it shows on its own colour.
  void draw_rays(bool ringed);
  void end_mark(double x, double y, Outcome outcome);
  void text(double x, double y, const std::string& words, double size, bool bold = false);
  /// How many metres a scale of about 50 pixels shows, and how that is written.
  double scale_metres() const;
  static std::string written(double metres);

  cairo_t* c_;
  const Picture& p_;
  const Lanes& lanes_;
  const Arena& arena_;
  std::vector<Colour> colours_;  // per tag
  bool any_ray_ = false;
  Extent box_;
  double scale_ = 1, left_ = 0, top_ = 0;

 private:
  void place();
  Extent frame() const;
  void draw_overlays();
  void draw_overlay(const Overlay& overlay);
  void draw_raster(const Overlay& overlay);
  void draw_words(const Overlay& overlay);
  void draw_legend();
  void choose_font(double size, bool bold);
  void key_box(double x, double& y, Colour colour, double opacity, const std::string& words);
  void key_line(double x, double& y, Colour colour, double width, const std::string& words);
};

void paint_flat(cairo_t* c, const Picture& picture);
void paint_space(cairo_t* c, const Picture& picture);

}  // namespace zithercraft::show_internal
