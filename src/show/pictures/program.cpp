#include "show/pictures/program.hpp"

#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <utility>

#include "zithercraft/base/error.hpp"

extern char** environ;

namespace zithercraft::show_internal {

Program::Program(std::vector<std::string> words) : log_(std::tmpfile(), &std::fclose) {
  int ends[2];
  // A socket instead of a pipe: writing to a program that gave up is then an error and no signal.
  if (!log_ || ::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
    throw Error(ErrorKind::file, "there are no more files to open", words[0],
                "close other programs");
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, ends[1], STDIN_FILENO);
  posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, "/dev/null", 1, 0);
  posix_spawn_file_actions_adddup2(&actions, ::fileno(log_.get()), STDERR_FILENO);
  std::vector<char*> raw;
  for (auto& word : words) raw.push_back(word.data());
  raw.push_back(nullptr);
  started_ = ::posix_spawnp(&process_, raw[0], &actions, nullptr, raw.data(), environ) == 0;
  posix_spawn_file_actions_destroy(&actions);
  ::close(ends[1]);
  to_program_ = ends[0];
  if (!started_) process_ = -1;
}

Program::~Program() { finish(); }

bool Program::feed(std::span<const unsigned char> bytes) {
  while (!bytes.empty()) {
    const auto sent = ::send(to_program_, bytes.data(), bytes.size(), MSG_NOSIGNAL);
    if (sent < 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(sent));
  }
  return true;
}

bool Program::finish() {
  if (to_program_ >= 0) ::close(std::exchange(to_program_, -1));
  if (process_ < 0) return false;
  int status = 0;
  return ::waitpid(std::exchange(process_, -1), &status, 0) > 0 && WIFEXITED(status) &&
         WEXITSTATUS(status) == 0;
}

std::string Program::complaint() {
  std::rewind(log_.get());
  std::string said;
  for (int c; (c = std::fgetc(log_.get())) != EOF && c != '\n';) said += static_cast<char>(c);
  return said.empty() ? "it said nothing" : said;
}

}  // namespace zithercraft::show_internal
