#pragma once

#include <string_view>

// Files that were embedded when the library was built.
namespace zithercraft::assets {

extern const std::string_view common_css, common_js, report_html, report_js, study_html,
    viewer_html, viewer_css, viewer_js, matches_js, arena_view_js, overlays_js, network_js,
    table_row_js, panel_js, playback_js, driving_js, watching_js, chart_library, three_library,
    orbit_library, third_party;

}  // namespace zithercraft::assets
