#pragma once

#include <string>
#include <string_view>

#include "base/json.hpp"

namespace zithercraft::show_internal {

/// Compressed as gzip (RFC 1952).
std::string gzipped(std::string_view bytes);

/// A page's template with a mark replaced; the mark must be in it.
std::string fill_in(std::string page, const std::string& mark, std::string_view value);
/// Text for use between tags, and JSON for use in a script element.
std::string escaped(const std::string& text);
std::string script_json(const Json& data);

/// The viewer page. `start` says what to show; `data` is inserted as it is.
std::string viewer_page(const Json& start, std::string_view data = {});

}  // namespace zithercraft::show_internal
