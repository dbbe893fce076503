#include "config/data_file.hpp"

#include <nettle/base64.h>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft::config {
namespace {

constexpr std::string_view url_start = "data:application/octet-stream;base64,";
constexpr std::size_t most_bytes = std::size_t{64} << 20;

std::string decode(std::string_view text, const std::string& where) {
  base64_decode_ctx state;
  nettle_base64_decode_init(&state);
  std::string bytes(BASE64_DECODE_LENGTH(text.size()), '\0');
  std::size_t size = bytes.size();
  if (nettle_base64_decode_update(&state, &size, reinterpret_cast<std::uint8_t*>(bytes.data()),
                                  text.size(), text.data()) != 1 ||
      nettle_base64_decode_final(&state) != 1)
    throw Error(ErrorKind::spec, "the data URL is no base64", where,
                "give a file, or the content in base64");
  bytes.resize(size);
  return bytes;
}

}  // namespace

bool is_data_url(const std::string& name) { return name.starts_with("data:"); }

std::string shown(const std::string& name) {
  return is_data_url(name) ? "data URL of " + std::to_string(name.size()) + " characters" : name;
}

std::string read_data(const std::string& name, const std::string& where) {
  if (is_data_url(name)) {
    if (!name.starts_with(url_start))
      throw Error(ErrorKind::spec, "this kind of data URL is not known", where,
                  "begin it with " + std::string(url_start));
    if (name.size() > 2 * most_bytes)
      throw Error(ErrorKind::spec, "the data URL holds more than 64 MB", where,
                  "use something smaller");
    return decode(std::string_view(name).substr(url_start.size()), where);
  }
  std::error_code code;
  const std::filesystem::path path(name);
  if (std::filesystem::exists(path, code) && !std::filesystem::is_regular_file(path, code))
    throw Error(ErrorKind::file, "this is no file", name, "name a file");
  if (std::filesystem::file_size(path, code) > most_bytes && !code)
    throw Error(ErrorKind::file, "the file holds more than 64 MB", name, "use something smaller");
  return read_text(path);
}

std::string data_url(const std::string& bytes) { return std::string(url_start) + base64(bytes); }

std::string base64(std::string_view bytes) {
  std::string text(BASE64_ENCODE_RAW_LENGTH(bytes.size()), '\0');
  nettle_base64_encode_raw(text.data(), bytes.size(),
                           reinterpret_cast<const std::uint8_t*>(bytes.data()));
  return text;
}

}  // namespace zithercraft::config
