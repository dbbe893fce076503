#pragma once

#include <cstddef>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// The whole file; `-` is standard input. Throws Error (file) if it is missing or cannot be read.
std::string read_text(const std::filesystem::path& path);
/// All of a file. Throws Error (file) if it cannot be read.
std::vector<std::byte> read_bytes(const std::filesystem::path& path);

/// The place of a file that is to be written.
///
/// A regular file, or one that does not exist yet, is replaced in one step: its content is written
/// under a temporary name in the same folder, synced, then renamed. Readers see either the old
/// content or the new, also after a crash. Symbolic links are followed and stay. A pipe or a device
/// is not replaced: the content is written to it. `-` is standard output.
class OutputPlace {
 public:
  /// `suffix` makes the temporary name. Throws Error (file) if a folder is named, or links form a
  /// cycle.
  explicit OutputPlace(const std::filesystem::path& named, const std::string& suffix = ".part");
  OutputPlace(const OutputPlace&) = delete;
  OutputPlace& operator=(const OutputPlace&) = delete;
  /// A temporary file beside its place stays if it was not published; one for a stream does not.
  ~OutputPlace();

  /// Whether it is standard output, a pipe or a device.
  bool is_stream() const noexcept { return stream_ >= 0; }
  /// The file to write the content into before it is published.
  const std::filesystem::path& part() const noexcept { return part_; }
  /// Puts the content of `part()` in its place. Throws Error (file); the old content then stays.
  void publish();
  /// Writes the content and publishes it. Throws Error (file); the old content then stays.
  void write(std::span<const std::byte> bytes);
  /// Deletes the temporary file.
  void discard() noexcept;

 private:
  [[noreturn]] void fail(int code) const;

  std::filesystem::path named_, target_, part_;
  int stream_ = -1;           // the open stream, or -1
  bool owns_stream_ = false;  // it is closed with this object
};

/// Writes a whole file as OutputPlace does. Throws Error (file) and leaves the old content if it
/// fails.
void write_atomically(const std::filesystem::path& path, std::span<const std::byte> bytes);
/// The same for text.
void write_atomically(const std::filesystem::path& path, std::string_view text);

/// Keeps standard output for what is written to `-`: whatever the program prints from now on goes
/// to standard error.
void keep_standard_output_for_files();

/// Whether both names lead to the same file, by links or otherwise. Two names of files that do not
/// exist are compared by where the files would be.
bool same_file(const std::filesystem::path& a, const std::filesystem::path& b);

/// Creates the folder and its parents. Throws Error (file) if it cannot, or if it is not writable.
void make_folder(const std::filesystem::path& path);

}  // namespace zithercraft
