#pragma once

#include <cairo.h>

#include <filesystem>
#include <functional>
#include <memory>
#include <string>

#include "zithercraft/show/picture.hpp"

namespace zithercraft::show_internal {

using Canvas = std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)>;

/// An empty picture of 32-bit pixels: blue, green, red, unused.
Canvas canvas(int width, int height);
/// What `paint` paints on a canvas of that size, as SVG text.
std::string svg_of(int width, int height, const std::function<void(cairo_surface_t*)>& paint);
/// Paints a picture with its upper left corner there.
void paint_on(cairo_surface_t* surface, const Picture& picture, double left = 0.0,
              double top = 0.0);
/// Throws Error (file) if it cannot be written.
void write_png(cairo_surface_t* surface, const std::filesystem::path& file);

}  // namespace zithercraft::show_internal
