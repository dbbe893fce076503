#include "zithercraft/show/picture.hpp"

#include <cairo-svg.h>

#include <memory>

#include "show/pictures/canvas.hpp"
#include "show/pictures/painter.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

cairo_status_t collect(void* into, const unsigned char* bytes, unsigned length) {
  static_cast<std::string*>(into)->append(reinterpret_cast<const char*>(bytes), length);
  return CAIRO_STATUS_SUCCESS;
}

}  // namespace

Canvas show_internal::canvas(int width, int height) {
  return Canvas(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height),
                &cairo_surface_destroy);
}

void show_internal::paint_on(cairo_surface_t* surface, const Picture& picture, double left,
                             double top) {
  const std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context(cairo_create(surface),
                                                                   &cairo_destroy);
  cairo_translate(context.get(), left, top);
  cairo_rectangle(context.get(), 0, 0, picture.width, picture.height);
  cairo_clip(context.get());
  picture.lanes->game().arena().has_height() ? paint_space(context.get(), picture)
                                             : paint_flat(context.get(), picture);
}

void show_internal::write_png(cairo_surface_t* surface, const std::filesystem::path& file) {
  std::string bytes;
  if (cairo_surface_write_to_png_stream(surface, &collect, &bytes) != CAIRO_STATUS_SUCCESS)
    throw Error(ErrorKind::file, "the picture cannot be drawn", file.string(),
                "choose a smaller size");
  write_atomically(file, bytes);
}

void draw_png(const std::filesystem::path& file, const Picture& picture) {
  const Canvas surface = canvas(picture.width, picture.height);
  paint_on(surface.get(), picture);
  write_png(surface.get(), file);
}

std::string show_internal::svg_of(int width, int height,
                                  const std::function<void(cairo_surface_t*)>& paint) {
  std::string bytes;
  {
    const Canvas surface(cairo_svg_surface_create_for_stream(&collect, &bytes, width, height),
                         &cairo_surface_destroy);
    paint(surface.get());
    cairo_surface_finish(surface.get());
  }
  return bytes;
}

std::string svg_text(const Picture& picture) {
  return svg_of(picture.width, picture.height,
                [&](cairo_surface_t* surface) { paint_on(surface, picture); });
}

void draw_svg(const std::filesystem::path& file, const Picture& picture) {
  write_atomically(file, svg_text(picture));
}

void extend(Path& path, const Environment& environment, std::size_t role, std::size_t seat) {
  const auto [x, y, z] = environment.place(role, seat);
  path.points.push_back({static_cast<double>(x), static_cast<double>(y)});
  path.levels.push_back(static_cast<double>(z));
  path.outcome = environment.outcome(0);
}

}  // namespace zithercraft
