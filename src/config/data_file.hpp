#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace zithercraft::config {

/// The bytes that a spec names: a file, or the content itself as a `data:` URL (RFC 2397) in
/// base64. `where` is the key that names it. Throws Error (file) if they cannot be had, or are more
/// than 64 MB.
std::string read_data(const std::string& name, const std::string& where);

/// Whether the name is a `data:` URL.
bool is_data_url(const std::string& name);

/// The same bytes as a `data:` URL, so that a spec holds all it needs.
std::string data_url(const std::string& bytes);

/// Bytes in base64 (RFC 4648).
std::string base64(std::string_view bytes);

/// How the name is shown in errors.
std::string shown(const std::string& name);

}  // namespace zithercraft::config
