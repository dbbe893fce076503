#include "zithercraft/net/tensor_file.hpp"

#include <algorithm>
#include <bit>
#include <cstring>
#include <fstream>

#include "base/json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/hash.hpp"

namespace zithercraft {
namespace {

static_assert(std::endian::native == std::endian::little, "safetensors files are little-endian");

constexpr const char* checksum_key = "checksum";
constexpr const char* no_checksum = "0000000000000000";

std::size_t width_of(const std::string& type) {
  if (type == "F32") return 4;
  if (type == "F64" || type == "I64") return 8;
  if (type == "U8") return 1;
  return 0;
}

[[noreturn]] void damaged(const std::string& problem, const std::string& source) {
  throw Error(ErrorKind::file, "the file is damaged: " + problem, source,
              "take another checkpoint or copy it again");
}

// The checksum covers the whole file with the checksum's own digits as zeros.
std::string checksum(Json header, std::span<const std::byte> data) {
  header["__metadata__"][checksum_key] = no_checksum;
  return hex64(hash_text(header.sorted().dump()) ^ hash_bytes(data));
}

template <class T>
std::vector<T> values_of(const TensorFile::Tensor& tensor) {
  std::vector<T> values(tensor.bytes.size() / sizeof(T));
  std::ranges::copy(tensor.bytes, std::as_writable_bytes(std::span(values)).begin());
  return values;
}

template <class T>
TensorFile::Tensor tensor_of(std::string type, std::vector<std::size_t> shape,
                             std::span<const T> values) {
  const auto bytes = std::as_bytes(values);
  return {std::move(type), std::move(shape), {bytes.begin(), bytes.end()}};
}

TensorFile::Tensor read_tensor(const Json& entry, std::span<const std::byte> data,
                               const std::string& name, const std::string& source) {
  TensorFile::Tensor tensor{
      entry.at("dtype").get<std::string>(), entry.at("shape").get<std::vector<std::size_t>>(), {}};
  const auto range = entry.at("data_offsets").get<std::vector<std::size_t>>();
  std::size_t elements = 1;
  for (const std::size_t n : tensor.shape) {
    if (n > 0 && elements > data.size() / n)
      damaged("the tensor '" + name + "' does not fit", source);
    elements *= n;
  }
  if (range.size() != 2 || range[0] > range[1] || range[1] > data.size() ||
      width_of(tensor.type) == 0 || range[1] - range[0] != elements * width_of(tensor.type))
    damaged("the tensor '" + name + "' does not fit", source);
  tensor.bytes.assign(data.begin() + static_cast<std::ptrdiff_t>(range[0]),
                      data.begin() + static_cast<std::ptrdiff_t>(range[1]));
  return tensor;
}

}  // namespace

void TensorFile::put(const std::string& name, std::vector<std::size_t> shape,
                     std::span<const float> values) {
  tensors_[name] = tensor_of("F32", std::move(shape), values);
}
void TensorFile::put(const std::string& name, std::span<const double> values) {
  tensors_[name] = tensor_of("F64", {values.size()}, values);
}
void TensorFile::put(const std::string& name, std::span<const std::int64_t> values) {
  tensors_[name] = tensor_of("I64", {values.size()}, values);
}
void TensorFile::put(const std::string& name, std::span<const std::byte> values) {
  tensors_[name] = tensor_of("U8", {values.size()}, values);
}

const TensorFile::Tensor& TensorFile::find(const std::string& name, std::string_view type) const {
  const auto found = tensors_.find(name);
  if (found == tensors_.end() || found->second.type != type)
    throw Error(ErrorKind::file, "there is no tensor '" + name + "' of type " + std::string(type),
                source_, "this is not a checkpoint of ours, or of another version");
  return found->second;
}

void TensorFile::get(const std::string& name, std::span<float> out) const {
  const auto& tensor = find(name, "F32");
  if (tensor.bytes.size() != out.size_bytes())
    throw Error(ErrorKind::file,
                "the tensor '" + name + "' has " +
                    std::to_string(tensor.bytes.size() / sizeof(float)) + " elements where " +
                    std::to_string(out.size()) + " are needed",
                source_, "the checkpoint is of another network");
  std::ranges::copy(tensor.bytes, std::as_writable_bytes(out).begin());
}

std::vector<double> TensorFile::doubles(const std::string& name) const {
  return values_of<double>(find(name, "F64"));
}
std::vector<std::int64_t> TensorFile::integers(const std::string& name) const {
  return values_of<std::int64_t>(find(name, "I64"));
}
std::vector<std::byte> TensorFile::bytes(const std::string& name) const {
  return find(name, "U8").bytes;
}
std::vector<std::size_t> TensorFile::shape(const std::string& name) const {
  return find(name, "F32").shape;
}

const std::string& TensorFile::text(const std::string& key) const {
  const auto found = metadata.find(key);
  if (found == metadata.end())
    throw Error(ErrorKind::file, "the metadata lacks '" + key + "'", source_,
                "this is not a checkpoint of ours, or of another version");
  return found->second;
}

TensorFile TensorFile::with(const std::function<bool(const std::string& name)>& wanted) const {
  TensorFile some;
  some.metadata = metadata;
  some.source_ = source_;
  for (const auto& [name, tensor] : tensors_)
    if (wanted(name)) some.tensors_.emplace(name, tensor);
  return some;
}

void TensorFile::keep(const std::function<bool(const std::string& name)>& wanted) {
  std::erase_if(tensors_, [&](const auto& entry) { return !wanted(entry.first); });
}

void TensorFile::put_part(const std::string& place, const TensorFile& part) {
  for (const auto& [key, text] : part.metadata) metadata[place + key] = text;
  for (const auto& [name, tensor] : part.tensors_) tensors_[place + name] = tensor;
}

bool TensorFile::has_part(const std::string& place) const {
  const auto first = tensors_.lower_bound(place);
  return links_.contains(place) || (first != tensors_.end() && first->first.starts_with(place));
}

TensorFile TensorFile::part(const std::string& place) const {
  if (!has_part(place))
    throw Error(ErrorKind::file, "the file has no part '" + place + "'", source_,
                "take another checkpoint");
  if (const auto link = links_.find(place); link != links_.end()) return load(link->second);
  TensorFile part;
  part.source_ = source_;
  for (const auto& [where, path] : links_)
    if (where.starts_with(place)) part.links_[where.substr(place.size())] = path;
  for (auto at = metadata.lower_bound(place); at != metadata.end() && at->first.starts_with(place);
       ++at)
    part.metadata[at->first.substr(place.size())] = at->second;
  for (auto at = tensors_.lower_bound(place); at != tensors_.end() && at->first.starts_with(place);
       ++at)
    part.tensors_[at->first.substr(place.size())] = at->second;
  return part;
}

void TensorFile::offer_part(const std::string& place, const std::function<TensorFile()>& make) {
  if (!keeper_ || !keeper_(place, make)) put_part(place, make());
}

TensorFile TensorFile::for_part(const std::string& place) const {
  TensorFile part;
  if (keeper_)
    part.keeper_ = [keeper = keeper_, place](const std::string& own, const auto& make) {
      return keeper(place + own, make);
    };
  return part;
}

void TensorFile::link_part(const std::string& place, std::filesystem::path path) {
  links_[place] = std::move(path);
}

void TensorFile::save(const std::filesystem::path& path) const {
  Json header;
  header["__metadata__"] = metadata;
  std::vector<std::byte> data;
  for (const auto& [name, tensor] : tensors_) {
    header[name] = {{"dtype", tensor.type},
                    {"shape", tensor.shape},
                    {"data_offsets", {data.size(), data.size() + tensor.bytes.size()}}};
    data.insert(data.end(), tensor.bytes.begin(), tensor.bytes.end());
  }
  header["__metadata__"][checksum_key] = checksum(header, data);
  std::string text = header.sorted().dump();
  text.append((8 - text.size() % 8) % 8, ' ');  // readers like their data on 8-byte boundaries

  std::vector<std::byte> file(sizeof(std::uint64_t));
  const std::uint64_t length = text.size();
  std::memcpy(file.data(), &length, sizeof length);
  const auto text_bytes = std::as_bytes(std::span(text));
  file.insert(file.end(), text_bytes.begin(), text_bytes.end());
  file.insert(file.end(), data.begin(), data.end());
  write_atomically(path, file);
}

TensorFile TensorFile::load(const std::filesystem::path& path) {
  return parse(read_bytes(path), path.string());
}

std::map<std::string, std::string> TensorFile::load_metadata(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::uint64_t length = 0;
  std::error_code code;
  const std::uint64_t size = std::filesystem::file_size(path, code);
  if (!file || code)
    throw Error(ErrorKind::file, "cannot be read", path.string(), "check the path");
  file.read(reinterpret_cast<char*>(&length), sizeof length);
  if (!file || length > size - sizeof length) damaged("it is truncated", path.string());
  std::string text(length, '\0');
  if (!file.read(text.data(), static_cast<std::streamsize>(length)))
    damaged("it is truncated", path.string());
  try {
    auto metadata = Json::parse(text).at("__metadata__").get<std::map<std::string, std::string>>();
    metadata.erase(checksum_key);
    return metadata;
  } catch (const JsonError&) {
    damaged("its header cannot be understood", path.string());
  }
}

TensorFile TensorFile::parse(std::span<const std::byte> file, const std::string& source) {
  std::uint64_t length = 0;
  if (file.size() < sizeof length) damaged("it is too short", source);
  std::memcpy(&length, file.data(), sizeof length);
  if (length > file.size() - sizeof length) damaged("it is truncated", source);
  const auto* text = reinterpret_cast<const char*>(file.data() + sizeof length);
  const std::span data(file.data() + sizeof length + length, file.size() - sizeof length - length);
  TensorFile result;
  result.source_ = source;
  try {
    const Json header = Json::parse({text, length});
    const Json& texts = header.at("__metadata__");
    if (!texts.contains(checksum_key) ||
        texts.at(checksum_key).get<std::string>() != checksum(header, data))
      damaged("its checksum does not match", source);
    result.metadata = texts.get<std::map<std::string, std::string>>();
    for (const auto& [name, entry] : header.members())
      if (name != "__metadata__") result.tensors_[name] = read_tensor(entry, data, name, source);
  } catch (const JsonError&) {
    damaged("its header cannot be understood", source);
  }
  result.metadata.erase(checksum_key);
  return result;
}

}  // namespace zithercraft
