#pragma once

#include <filesystem>
#include <string>

namespace zithercraft::run_internal {

/// Only one at a time may write into a folder. The lock goes when the process does, however it
/// ends.
class FolderLock {
 public:
  /// `who` says what holds it otherwise: "training". Throws Error (refused, file).
  FolderLock(const std::filesystem::path& folder, const std::string& who);
  ~FolderLock();
  FolderLock(const FolderLock&) = delete;
  FolderLock& operator=(const FolderLock&) = delete;

 private:
  int file_;
};

}  // namespace zithercraft::run_internal
