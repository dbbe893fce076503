#pragma once

#include <filesystem>
#include <span>

#include "show/pictures/program.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/show/moments.hpp"

namespace zithercraft::show_internal {

/// Hands pictures to the ffmpeg that is installed. The file appears when all is done.
class FilmEncoder {
 public:
  /// Throws Error (file) if there is no ffmpeg.
  FilmEncoder(std::filesystem::path file, Film kind, int width, int height,
              double pictures_a_second);
  ~FilmEncoder();
  FilmEncoder(const FilmEncoder&) = delete;
  FilmEncoder& operator=(const FilmEncoder&) = delete;

  /// The pixels of one picture, as a canvas has them. Throws Error (file) if ffmpeg gave up.
  void add(std::span<const unsigned char> pixels);
  void finish();

 private:
  [[noreturn]] void fail();

  std::filesystem::path file_;
  OutputPlace place_;
  Program encoder_;
};

}  // namespace zithercraft::show_internal
