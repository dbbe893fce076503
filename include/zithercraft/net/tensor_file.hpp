#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <functional>
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
  /// An array of numbers.
  struct Tensor {
    std::string type;                ///< "F32", "F64", "I64", "U8"
    std::vector<std::size_t> shape;  ///< sizes, the slowest first
    std::vector<std::byte> bytes;    ///< the numbers, little-endian
  };

  std::map<std::string, std::string> metadata;  ///< texts by name

  /// Keeps an array under a name, in place of one that was there.
  void put(const std::string& name, std::vector<std::size_t> shape, std::span<const float> values);
  /// The same for one row of numbers.
  void put(const std::string& name, std::span<const double> values);
  /// The same for one row of whole numbers.
  void put(const std::string& name, std::span<const std::int64_t> values);
  /// The same for bytes.
  void put(const std::string& name, std::span<const std::byte> values);

  /// Whether there is an array of that name.
  bool has(const std::string& name) const { return tensors_.contains(name); }
  /// Throws Error (file) if there is no tensor of that name and type, or it does not have
  /// `out.size()` elements.
  void get(const std::string& name, std::span<float> out) const;
  /// A row of numbers. Throws Error (file) if there is none of that name.
  std::vector<double> doubles(const std::string& name) const;
  /// A row of whole numbers. Throws Error (file) if there is none of that name.
  std::vector<std::int64_t> integers(const std::string& name) const;
  /// Bytes. Throws Error (file) if there are none of that name.
  std::vector<std::byte> bytes(const std::string& name) const;
  /// Of an array. Throws Error (file) if there is none of that name.
  std::vector<std::size_t> shape(const std::string& name) const;
  /// Throws Error (file) if the text is missing.
  const std::string& text(const std::string& key) const;

  /// The same without those arrays whose names `wanted` does not want.
  TensorFile with(const std::function<bool(const std::string& name)>& wanted) const;
  /// Takes out all arrays but those whose names `wanted` wants.
  void keep(const std::function<bool(const std::string& name)>& wanted);
  /// Puts all of another file in, every name and key behind `place`, which ends with a slash.
  void put_part(const std::string& place, const TensorFile& part);
  /// Whether anything is kept under that place.
  bool has_part(const std::string& place) const;
  /// What was put in so; everything if the place is empty. Throws Error (file) if there is nothing.
  TensorFile part(const std::string& place) const;

  // ---- parts that lie in other files, as they are large and never change
  /// Asked about a part by its place, with what makes it: whether it is kept elsewhere.
  using Keeper =
      std::function<bool(const std::string& place, const std::function<TensorFile()>& make)>;
  /// Sets whom parts are offered to; nobody at first, and everything is in one file.
  void set_keeper(Keeper keeper) { keeper_ = std::move(keeper); }
  /// Puts a part in, unless it is kept elsewhere.
  void offer_part(const std::string& place, const std::function<TensorFile()>& make);
  /// An empty file, to be put in at a place, which asks the same keeper.
  TensorFile for_part(const std::string& place) const;
  /// `part` finds a part in another file.
  void link_part(const std::string& place, std::filesystem::path path);

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
  std::map<std::string, std::filesystem::path> links_;  // by place
  Keeper keeper_{};
  std::string source_ = "tensors in memory";
};

}  // namespace zithercraft
