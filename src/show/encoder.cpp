#include "encoder.hpp"

#include <fmt/format.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <string>
#include <utility>
#include <vector>

#include "zithercraft/base/error.hpp"

extern char** environ;

namespace zithercraft {
namespace {

// A palette of the first picture: the later ones have the same colours.
constexpr const char* gif_filter = "split[a][b];[a]trim=end_frame=1,palettegen[p];[b][p]paletteuse=dither=none";

std::vector<std::string> encoder_words(const std::filesystem::path& out, Film kind, int width, int height,
                                       double rate) {
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
    add({"-c:v", "libvpx-vp9", "-deadline", "realtime", "-cpu-used", "7", "-row-mt", "1", "-crf", "30", "-b:v", "0",
         "-pix_fmt", "yuv420p", "-f", "webm"});
  }
  words.push_back(out.string());
  return words;
}

}  // namespace

FilmEncoder::FilmEncoder(std::filesystem::path file, Film kind, int width, int height, double pictures_a_second)
    : file_(std::move(file)), part_(file_.string() + ".part"), log_(std::tmpfile(), &std::fclose) {
  int ends[2];
  // A socket instead of a pipe: writing to an encoder that gave up is then an error and no signal.
  if (!log_ || ::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
    throw Error(Fault::file, "there are no more files to open", file_.string(), "close other programs");
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, ends[1], STDIN_FILENO);
  posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", 1, 0);
  posix_spawn_file_actions_adddup2(&actions, ::fileno(log_.get()), STDERR_FILENO);
  auto words = encoder_words(part_, kind, width, height, pictures_a_second);
  std::vector<char*> raw;
  for (auto& word : words) raw.push_back(word.data());
  raw.push_back(nullptr);
  const int failed = ::posix_spawnp(&process_, raw[0], &actions, nullptr, raw.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  ::close(ends[1]);
  to_encoder_ = ends[0];
  if (failed != 0) {
    ::close(to_encoder_);
    throw Error(Fault::file, "films are made by ffmpeg, and it is not installed", file_.string(),
                "install the package ffmpeg, or write --html instead");
  }
}

FilmEncoder::~FilmEncoder() {
  if (process_ < 0) return;
  wait();
  std::error_code ignored;
  std::filesystem::remove(part_, ignored);
}

int FilmEncoder::wait() {
  if (to_encoder_ >= 0) ::close(std::exchange(to_encoder_, -1));
  int status = 0;
  ::waitpid(std::exchange(process_, -1), &status, 0);
  return status;
}

void FilmEncoder::fail() {
  wait();
  std::rewind(log_.get());
  std::string said;
  for (int c; (c = std::fgetc(log_.get())) != EOF && c != '\n';) said += static_cast<char>(c);
  std::error_code ignored;
  std::filesystem::remove(part_, ignored);
  throw Error(Fault::file, "ffmpeg gave up: " + (said.empty() ? "it said nothing" : said), file_.string(),
              "check that the folder can be written and has space left");
}

void FilmEncoder::add(std::span<const unsigned char> pixels) {
  while (!pixels.empty()) {
    const auto sent = ::send(to_encoder_, pixels.data(), pixels.size(), MSG_NOSIGNAL);
    if (sent < 0) fail();
    pixels = pixels.subspan(static_cast<std::size_t>(sent));
  }
}

void FilmEncoder::finish() {
  ::close(std::exchange(to_encoder_, -1));
  int status = 0;
  if (::waitpid(process_, &status, 0) != process_ || !WIFEXITED(status) || WEXITSTATUS(status) != 0) fail();
  process_ = -1;
  std::error_code code;
  std::filesystem::rename(part_, file_, code);
  if (code) throw Error(Fault::file, "cannot name the film: " + code.message(), file_.string(), "choose another name");
}

}  // namespace zithercraft
