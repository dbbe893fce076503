#include "show/pictures/program.hpp"

#include <boost/asio/io_context.hpp>
#include <boost/asio/local/connect_pair.hpp>
#include <boost/asio/local/stream_protocol.hpp>
#include <boost/asio/write.hpp>
#include <boost/process.hpp>
#include <cstdio>
#include <system_error>

#include "zithercraft/base/error.hpp"

namespace asio = boost::asio;
namespace process = boost::process;

namespace zithercraft::show_internal {

struct Program::State {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> log{std::tmpfile(), &std::fclose};
  asio::io_context context{1};
  // A socket instead of a pipe: writing to a program that gave up is then an error and no signal.
  asio::local::stream_protocol::socket input{context};
  process::child child{};
  bool started = false;
};

Program::Program(const std::vector<std::string>& words) : state_(std::make_unique<State>()) {
  asio::local::stream_protocol::socket its_end(state_->context);
  boost::system::error_code failed;
  if (state_->log) asio::local::connect_pair(state_->input, its_end, failed);
  if (!state_->log || failed)
    throw Error(ErrorKind::file, "there are no more files to open", words[0],
                "close other programs");
  const auto place = process::search_path(words[0]);
  if (place.empty()) return;
  std::error_code error;
  state_->child = process::child(
      process::exe = place.string(),
      process::args = std::vector<std::string>(words.begin() + 1, words.end()),
      process::posix::fd.bind(0, its_end.native_handle()), process::std_out > process::null,
      process::std_err > state_->log.get(), process::limit_handles, error);
  state_->started = !error;
}

Program::~Program() { finish(); }

bool Program::started() const { return state_->started; }

bool Program::feed(std::span<const unsigned char> bytes) {
  boost::system::error_code error;
  asio::write(state_->input, asio::buffer(bytes.data(), bytes.size()), error);
  return !error;
}

bool Program::finish() {
  boost::system::error_code ignored;
  state_->input.close(ignored);
  if (!state_->started) return false;
  std::error_code error;
  if (state_->child.joinable()) state_->child.wait(error);
  return !error && state_->child.exit_code() == 0;
}

std::string Program::complaint() {
  std::rewind(state_->log.get());
  std::string said;
  for (int c; (c = std::fgetc(state_->log.get())) != EOF && c != '\n';)
    said += static_cast<char>(c);
  return said.empty() ? "it said nothing" : said;
}

}  // namespace zithercraft::show_internal
