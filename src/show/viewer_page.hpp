#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace zithercraft {

/// Compressed as gzip (RFC 1952).
std::string gzipped(std::string_view bytes);

/// A page's template with a mark replaced; the mark must be in it.
std::string fill_in(std::string page, const std::string& mark, std::string_view value);
/// Text that can stand between tags, and JSON that can stand in a script element.
std::string escaped(const std::string& text);
std::string script_json(const nlohmann::json& data);

/// The viewer page. `start` tells it what to show; `data` is put into it as it is.
std::string viewer_page(const nlohmann::json& start, std::string_view data = {});

}  // namespace zithercraft
