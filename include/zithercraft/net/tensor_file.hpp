#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// Named arrays and texts in one file in the open safetensors format.
///
/// Metadata carries a checksum of everything else in the file, so that damage is noticed when it is
/// read.
class TensorFile {
 public:
  struct Tensor {
    std::string type;  ///< "F32", "F64", "I64", "U8"
    std::vector<std::size_t> shape;
    std::vector<std::byte> bytes;
  };

  std::map<std::string, std::string> metadata;

  void put(const std::string& name, std::vector<std::size_t> shape, std::span<const float> values);
  void put(const std::string& name, std::span<const double> values);
  void put(const std::string& name, std::span<const std::int64_t> values);
  void put(const std::string& name, std::span<const std::byte> values);

  bool has(const std::string& name) const { return tensors_.contains(name); }
  /// Throws Error (file) if there is no tensor of that name and type, or it does not have
  /// `out.size()` elements.
  void get(const std::string& name, std::span<float> out) const;
  std::vector<double> doubles(const std::string& name) const;
  std::vector<std::int64_t> integers(const std::string& name) const;
  std::vector<std::byte> bytes(const std::string& name) const;
  std::vector<std::size_t> shape(const std::string& name) const;
  /// Throws Error (file) if the text is missing.
  const std::string& text(const std::string& key) const;

  /// Puts all of another file in, every name and key behind `place`, which ends with a slash.
  void put_part(const std::string& place, const TensorFile& part);
  bool has_part(const std::string& place) const;
  /// What was put in so. Throws Error (file) if there is nothing.
  TensorFile part(const std::string& place) const;

  /// Replaces the file atomically.
  void save(const std::filesystem::path& path) const;
  /// Throws Error (file) if it is missing, truncated or damaged.
  static TensorFile load(const std::filesystem::path& path);
  /// The metadata alone, without reading the tensors; damage to these is not noticed.
  static std::map<std::string, std::string> load_metadata(const std::filesystem::path& path);
  /// Of a file's bytes; `source` is what errors call it.
  static TensorFile parse(std::span<const std::byte> file, const std::string& source);

 private:
  const Tensor& find(const std::string& name, std::string_view type) const;

  std::map<std::string, Tensor> tensors_;
  std::string source_ = "tensors in memory";
};

}  // namespace zithercraft
