#include "zithercraft/base/files.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>

#include "zithercraft/base/error.hpp"

namespace zithercraft {
namespace {

std::string reason(int code) { return std::strerror(code); }

// Closes a file descriptor when it leaves scope.
struct Descriptor {
  int number;
  explicit Descriptor(int n) : number(n) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() {
    if (number >= 0) ::close(number);
  }
};

template <class Container>
Container read_whole(const std::filesystem::path& path) {
  std::error_code code;
  if (std::filesystem::is_directory(path, code))
    throw Error(ErrorKind::file, "this is a folder, not a file", path.string(), "name a file");
  std::ifstream in(path, std::ios::binary | std::ios::ate);
  if (!in)
    throw Error(ErrorKind::file, "cannot read the file: " + reason(errno), path.string(), "check its name and rights");
  Container content(static_cast<std::size_t>(in.tellg()), {});
  in.seekg(0);
  in.read(reinterpret_cast<char*>(content.data()), static_cast<std::streamsize>(content.size()));
  if (!in) throw Error(ErrorKind::file, "reading stopped half-way", path.string(), "check the disk");
  return content;
}

}  // namespace

std::string read_text(const std::filesystem::path& path) { return read_whole<std::string>(path); }

std::vector<std::byte> read_bytes(const std::filesystem::path& path) {
  return read_whole<std::vector<std::byte>>(path);
}

void write_atomically(const std::filesystem::path& path, std::span<const std::byte> bytes) {
  const auto fail = [&](int code) {
    throw Error(ErrorKind::file, "cannot write the file: " + reason(code), path.string(),
                "check that the folder exists, can be written, and has space left");
  };
  const std::string temporary = path.string() + ".tmp" + std::to_string(::getpid());
  {
    const Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644));
    if (file.number < 0) fail(errno);
    for (std::size_t done = 0; done < bytes.size();) {
      const auto n = ::write(file.number, bytes.data() + done, bytes.size() - done);
      if (n < 0 && errno == EINTR) continue;
      if (n < 0) {
        const int code = errno;
        ::unlink(temporary.c_str());
        fail(code);
      }
      done += static_cast<std::size_t>(n);
    }
    if (::fsync(file.number) != 0) {
      const int code = errno;
      ::unlink(temporary.c_str());
      fail(code);
    }
  }
  if (std::rename(temporary.c_str(), path.c_str()) != 0) {
    const int code = errno;
    ::unlink(temporary.c_str());
    fail(code);
  }
  // The rename itself is durable only once the folder is synced.
  const auto folder = path.parent_path().empty() ? std::filesystem::path(".") : path.parent_path();
  const Descriptor handle(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (handle.number >= 0) ::fsync(handle.number);
}

void write_atomically(const std::filesystem::path& path, std::string_view text) {
  write_atomically(path, std::as_bytes(std::span(text)));
}

void make_folder(const std::filesystem::path& path) {
  std::error_code code;
  std::filesystem::create_directories(path, code);
  if (code)
    throw Error(ErrorKind::file, "cannot create the folder: " + code.message(), path.string(), "choose another place");
  if (::access(path.c_str(), W_OK) != 0)
    throw Error(ErrorKind::file, "the folder cannot be written: " + reason(errno), path.string(), "choose another place");
}

}  // namespace zithercraft
