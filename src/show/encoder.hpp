#pragma once

#include <sys/types.h>

#include <cstdio>
#include <filesystem>
#include <memory>
#include <span>

#include "zithercraft/show/moments.hpp"

namespace zithercraft {

/// Hands pictures to the ffmpeg that is installed. The file appears when all is done.
class FilmEncoder {
 public:
  /// Throws Error (file) if there is no ffmpeg.
  FilmEncoder(std::filesystem::path file, Film kind, int width, int height, double pictures_a_second);
  ~FilmEncoder();
  FilmEncoder(const FilmEncoder&) = delete;
  FilmEncoder& operator=(const FilmEncoder&) = delete;

  /// The pixels of one picture, as a canvas has them. Throws Error (file) if ffmpeg gave up.
  void add(std::span<const unsigned char> pixels);
  void finish();

 private:
  [[noreturn]] void fail();
  int wait();

  using Log = std::unique_ptr<std::FILE, int (*)(std::FILE*)>;
  std::filesystem::path file_, part_;
  Log log_;
  int to_encoder_ = -1;
  pid_t process_ = -1;
};

}  // namespace zithercraft
