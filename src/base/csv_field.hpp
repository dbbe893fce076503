#pragma once

#include <string>

namespace zithercraft::base_internal {

/// A text as a field of comma-separated values (RFC 4180): in quotes if it holds commas, quotes or
/// ends of lines.
inline std::string csv_field(const std::string& text) {
  if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) c == '"' ? out += "\"\"" : out += c;
  return out + '"';
}

}  // namespace zithercraft::base_internal
