#include "zithercraft/base/files.hpp"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <optional>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

namespace fs = std::filesystem;

std::string reason(int code) { return std::strerror(code); }

// Closes a file descriptor when it leaves scope.
struct Descriptor {
  int number;
  explicit Descriptor(int n) : number(n) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() {
    if (number > STDERR_FILENO) ::close(number);
  }
};

[[noreturn]] void cannot_read(const fs::path& path, int code) {
  throw Error(ErrorKind::file, "cannot read the file: " + reason(code), path.string(),
              "check its name and rights");
}

// Pipes and devices have no size, so every file is read until its end.
template <class Container>
Container read_whole(const fs::path& path) {
  std::error_code code;
  if (fs::is_directory(path, code))
    throw Error(ErrorKind::file, "this is a folder, not a file", path.string(), "name a file");
  const Descriptor file(path == "-" ? STDIN_FILENO : ::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (file.number < 0) cannot_read(path, errno);
  struct stat about {};
  const bool sized = ::fstat(file.number, &about) == 0 && S_ISREG(about.st_mode);
  Container content(sized ? static_cast<std::size_t>(about.st_size) : 0, {});
  std::size_t read = 0;
  while (true) {
    if (read == content.size()) content.resize(content.size() + (std::size_t{1} << 16));
    const auto n = ::read(file.number, content.data() + read, content.size() - read);
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) cannot_read(path, errno);
    if (n == 0) break;
    read += static_cast<std::size_t>(n);
  }
  content.resize(read);
  return content;
}

// Returns 0, or the number of the error.
int write_all(int file, std::span<const std::byte> bytes) {
  while (!bytes.empty()) {
    const auto n = ::write(file, bytes.data(), bytes.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return errno;
    bytes = bytes.subspan(static_cast<std::size_t>(n));
  }
  return 0;
}

// Writes a whole file and syncs it. Returns 0, or the number of the error.
int write_synced(const fs::path& path, std::span<const std::byte> bytes) {
  const Descriptor file(::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644));
  if (file.number < 0) return errno;
  if (const int code = write_all(file.number, bytes); code != 0) return code;
  return ::fsync(file.number) == 0 ? 0 : errno;
}

// What `-` is written to; standard output itself unless it is kept for files.
int standard_output = STDOUT_FILENO;

std::optional<struct stat> about(const fs::path& path) {
  struct stat found {};
  if (::stat(path.c_str(), &found) != 0) return std::nullopt;
  return found;
}

// The file that a name leads to, by whatever links. The file itself need not exist.
fs::path followed(fs::path path) {
  std::error_code code;
  if (const fs::path real = fs::canonical(path, code); !code) return real;
  for (int links = 0; fs::is_symlink(path, code); ++links) {
    if (links == 40)
      throw Error(ErrorKind::file, "the links form a cycle", path.string(), "name another file");
    const fs::path to = fs::read_symlink(path);
    path = to.is_absolute() ? to : path.parent_path() / to;
  }
  const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
  const fs::path real_folder = fs::canonical(folder, code);
  return code ? path : real_folder / path.filename();
}

// A descriptor to write straight to, or -1 for a file that is to be replaced. A link to where
// standard output or standard error goes is that stream, also where it is a file: whatever else was
// printed stays.
int stream_of(const fs::path& named) {
  if (named == "-") return standard_output;
  const auto found = about(named);
  if (!found || S_ISDIR(found->st_mode)) return -1;
  std::error_code code;
  for (const int standard : {standard_output, STDERR_FILENO})
    if (struct stat own{}; ::fstat(standard, &own) == 0 && own.st_dev == found->st_dev &&
                           own.st_ino == found->st_ino &&
                           (!S_ISREG(found->st_mode) || fs::is_symlink(named, code)))
      return standard;
  if (S_ISREG(found->st_mode)) return -1;
  return ::open(named.c_str(), O_WRONLY | O_CLOEXEC);
}

// Standard input can be read only once, and some commands read a file twice.
const std::vector<std::byte>& standard_input() {
  static const auto content = read_whole<std::vector<std::byte>>("-");
  return content;
}

}  // namespace

std::string read_text(const std::filesystem::path& path) {
  if (path != "-") return read_whole<std::string>(path);
  const auto& bytes = standard_input();
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

std::vector<std::byte> read_bytes(const std::filesystem::path& path) {
  return path == "-" ? standard_input() : read_whole<std::vector<std::byte>>(path);
}

OutputPlace::OutputPlace(const std::filesystem::path& named, const std::string& suffix)
    : named_(named) {
  std::error_code code;
  if (named.empty())
    throw Error(ErrorKind::usage, "the file to write has no name", {}, "name a file");
  if (fs::is_directory(named, code))
    throw Error(ErrorKind::file, "this is a folder, not a file", named.string(), "name a file");
  const auto found = named == "-" ? std::nullopt : about(named);
  stream_ = stream_of(named);
  owns_stream_ = stream_ > STDERR_FILENO && stream_ != standard_output;
  if (found && !S_ISREG(found->st_mode) && stream_ < 0) fail(errno);
  if (is_stream()) {
    part_ = fs::temp_directory_path(code) / ("zithercraft-" + std::to_string(::getpid()) + suffix);
  } else {
    target_ = followed(named);
    part_ = target_.string() + suffix;
  }
}

OutputPlace::~OutputPlace() {
  if (is_stream()) discard();
  if (owns_stream_) ::close(stream_);
}

void OutputPlace::fail(int code) const {
  throw Error(ErrorKind::file, "cannot write the file: " + reason(code), named_.string(),
              "check that the folder exists, can be written, and has space left");
}

void OutputPlace::publish() {
  if (is_stream()) {
    const std::vector<std::byte> content = read_bytes(part_);
    discard();
    if (stream_ == STDOUT_FILENO) std::fflush(stdout);
    if (const int code = write_all(stream_, content); code != 0) fail(code);
    return;
  }
  if (const auto before = about(target_)) ::chmod(part_.c_str(), before->st_mode & 07777);
  if (std::rename(part_.c_str(), target_.c_str()) != 0) {
    const int code = errno;
    discard();
    fail(code);
  }
  // The rename itself is durable only once the folder is synced.
  const auto folder = target_.parent_path().empty() ? fs::path(".") : target_.parent_path();
  const Descriptor handle(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (handle.number >= 0) ::fsync(handle.number);
}

void OutputPlace::write(std::span<const std::byte> bytes) {
  if (is_stream()) {
    if (stream_ == STDOUT_FILENO) std::fflush(stdout);
    if (const int code = write_all(stream_, bytes); code != 0) fail(code);
    return;
  }
  if (const int code = write_synced(part_, bytes); code != 0) {
    discard();
    fail(code);
  }
  publish();
}

void OutputPlace::discard() noexcept { ::unlink(part_.c_str()); }

void write_atomically(const std::filesystem::path& path, std::span<const std::byte> bytes) {
  OutputPlace(path, ".tmp" + std::to_string(::getpid())).write(bytes);
}

void write_atomically(const std::filesystem::path& path, std::string_view text) {
  write_atomically(path, std::as_bytes(std::span(text)));
}

void keep_standard_output_for_files() {
  if (standard_output != STDOUT_FILENO) return;
  std::fflush(stdout);
  const int kept = ::fcntl(STDOUT_FILENO, F_DUPFD_CLOEXEC, 3);
  if (kept < 0 || ::dup2(STDERR_FILENO, STDOUT_FILENO) < 0)
    throw Error(ErrorKind::file, "standard output cannot be used: " + reason(errno), "-",
                "name a file");
  standard_output = kept;
}

bool same_file(const std::filesystem::path& a, const std::filesystem::path& b) {
  if (a.empty() || b.empty()) return false;
  if (a == "-" || b == "-") return a == b;
  const auto found_a = about(a), found_b = about(b);
  if (found_a && found_b)
    return found_a->st_dev == found_b->st_dev && found_a->st_ino == found_b->st_ino;
  return !found_a && !found_b && followed(a) == followed(b);
}

void make_folder(const std::filesystem::path& path) {
  std::error_code code;
  std::filesystem::create_directories(path, code);
  if (code)
    throw Error(ErrorKind::file, "cannot create the folder: " + code.message(), path.string(),
                "choose another place");
  if (::access(path.c_str(), W_OK) != 0)
    throw Error(ErrorKind::file, "the folder cannot be written: " + reason(errno), path.string(),
                "choose another place");
}

}  // namespace zithercraft
