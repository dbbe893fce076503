#include "arena/files/read_picture.hpp"

#include <png.h>

#include <algorithm>
#include <csetjmp>
#include <cstring>

#include "zithercraft/base/error.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr std::uint32_t most_pixels_a_side = 2048;

struct Source {
  const std::string& bytes;
  std::size_t at = 0;
};

void give(png_structp png, png_bytep out, std::size_t size) {
  auto& source = *static_cast<Source*>(png_get_io_ptr(png));
  if (size > source.bytes.size() - source.at) png_error(png, "cut off");
  std::memcpy(out, source.bytes.data() + source.at, size);
  source.at += size;
}

void quiet(png_structp, png_const_charp) {}
[[noreturn]] void stop(png_structp png, png_const_charp) { png_longjmp(png, 1); }

struct Rows {
  std::uint32_t width = 0, height = 0, bits = 0, colour = 0;
  std::vector<std::uint8_t> bytes;
  std::vector<png_bytep> row;
};

// The library reports errors by jumping back here, past no object that would have to be destroyed.
bool read_rows(png_structp png, png_infop info, Rows& rows) {
  if (setjmp(png_jmpbuf(png)) != 0) return false;
  png_set_user_limits(png, most_pixels_a_side, most_pixels_a_side);
  png_read_info(png, info);
  rows.width = png_get_image_width(png, info);
  rows.height = png_get_image_height(png, info);
  rows.bits = png_get_bit_depth(png, info);
  rows.colour = png_get_color_type(png, info);
  if (rows.colour != PNG_COLOR_TYPE_GRAY || rows.bits < 8) return true;
  png_set_interlace_handling(png);
  png_read_update_info(png, info);
  const std::size_t stride = png_get_rowbytes(png, info);
  rows.bytes.resize(stride * rows.height);
  rows.row.resize(rows.height);
  for (std::size_t r = 0; r < rows.height; ++r) rows.row[r] = rows.bytes.data() + r * stride;
  png_read_image(png, rows.row.data());
  return true;
}

}  // namespace

GreyPicture read_grey_png(const std::string& bytes, const std::string& where) {
  Source source{bytes};
  Rows rows;
  png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, nullptr, &stop, &quiet);
  png_infop info = png_create_info_struct(png);
  png_set_read_fn(png, &source, &give);
  const bool fine = read_rows(png, info, rows);
  png_destroy_read_struct(&png, &info, nullptr);
  if (!fine)
    throw Error(ErrorKind::file,
                "the PNG cannot be read: damaged, or more than 2048 pixels along a side", where,
                "save it again, as grey with 16 bits");
  if (rows.colour != PNG_COLOR_TYPE_GRAY || rows.bits < 8)
    throw Error(ErrorKind::file, "the PNG is not grey with 8 or 16 bits", where,
                "save it as grey with 16 bits");
  GreyPicture picture{rows.width, rows.height, {}};
  picture.values.reserve(static_cast<std::size_t>(rows.width) * rows.height);
  for (const png_bytep row : rows.row)
    for (std::size_t x = 0; x < rows.width; ++x)
      picture.values.push_back(rows.bits == 8 ? row[x] / 255.0
                                              : (row[2 * x] * 256 + row[2 * x + 1]) / 65535.0);
  return picture;
}

}  // namespace zithercraft::arena_internal
