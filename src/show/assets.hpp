#pragma once

#include <string_view>

// Files that were embedded when the library was built.
namespace zithercraft::assets {

extern const std::string_view report_html, report_js, chart_library;

}  // namespace zithercraft::assets
