#include "run/folder_lock.hpp"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include "zithercraft/base/error.hpp"

namespace zithercraft::run_internal {

FolderLock::FolderLock(const std::filesystem::path& folder, const std::string& who)
    : file_(::open((folder / "lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644)) {
  if (file_ < 0)
    throw Error(ErrorKind::file, "the folder cannot be written", folder.string(),
                "choose another place");
  if (::flock(file_, LOCK_EX | LOCK_NB) != 0) {
    ::close(file_);
    throw Error(ErrorKind::refused, "another " + who + " is writing into this folder",
                folder.string(), "wait for it to end, or choose another folder");
  }
}
FolderLock::~FolderLock() { ::close(file_); }

}  // namespace zithercraft::run_internal
