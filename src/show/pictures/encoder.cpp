#include "show/pictures/encoder.hpp"

#include <fmt/format.h>

#include <string>
#include <utility>
#include <vector>

#include "zithercraft/base/error.hpp"

namespace zithercraft::show_internal {
namespace {

// A palette of the first picture: the later ones have the same colours.
constexpr const char* gif_filter =
    "split[a][b];[a]trim=end_frame=1,palettegen[p];[b][p]paletteuse=dither=none";

std::vector<std::string> encoder_words(const std::filesystem::path& out, Film kind, int width,
                                       int height, double rate) {
  std::vector<std::string> words{"ffmpeg",
                                 "-y",
                                 "-loglevel",
                                 "error",
                                 "-f",
                                 "rawvideo",
                                 "-pixel_format",
                                 "bgr0",
                                 "-video_size",
                                 fmt::format("{}x{}", width, height),
                                 "-framerate",
                                 fmt::format("{:.6f}", rate),
                                 "-i",
                                 "pipe:0"};
  const auto add = [&](std::initializer_list<const char*> more) {
    words.insert(words.end(), more.begin(), more.end());
  };
  if (kind == Film::gif) {
    add({"-filter_complex", gif_filter, "-f", "gif"});
  } else {
    add({"-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "7", "-row-mt", "1", "-crf",
         "30", "-b:v", "0", "-pix_fmt", "yuv420p", "-f", "webm"});
  }
  words.push_back(out.string());
  return words;
}

}  // namespace

FilmEncoder::FilmEncoder(std::filesystem::path file, Film kind, int width, int height,
                         double pictures_a_second)
    : file_(std::move(file)),
      place_(file_),
      encoder_(encoder_words(place_.part(), kind, width, height, pictures_a_second)) {
  if (!encoder_.started())
    throw Error(ErrorKind::file, "films are made by ffmpeg, and it is not installed",
                file_.string(), "install the package ffmpeg, or write a page instead");
}

FilmEncoder::~FilmEncoder() {
  encoder_.finish();
  place_.discard();
}

void FilmEncoder::fail() {
  encoder_.finish();
  throw Error(ErrorKind::file, "ffmpeg gave up: " + encoder_.complaint(), file_.string(),
              "check that the folder can be written and has space left");
}

void FilmEncoder::add(std::span<const unsigned char> pixels) {
  if (!encoder_.feed(pixels)) fail();
}

void FilmEncoder::finish() {
  if (!encoder_.finish()) fail();
  place_.publish();
}

}  // namespace zithercraft::show_internal
