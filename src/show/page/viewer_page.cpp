#include "show/page/viewer_page.hpp"

#include <zlib.h>

#include <array>
#include <utility>

#include "show/page/assets.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::show_internal {

std::string gzipped(std::string_view bytes) {
  z_stream stream{};
  constexpr int with_gzip_header = 16 + MAX_WBITS;
  if (deflateInit2(&stream, 6, Z_DEFLATED, with_gzip_header, 8, Z_DEFAULT_STRATEGY) != Z_OK)
    throw Error(ErrorKind::numbers, "there is no memory to compress", "the page",
                "close other programs");
  std::string out(deflateBound(&stream, bytes.size()), '\0');
  stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes.data()));
  stream.avail_in = static_cast<uInt>(bytes.size());
  stream.next_out = reinterpret_cast<Bytef*>(out.data());
  stream.avail_out = static_cast<uInt>(out.size());
  deflate(&stream, Z_FINISH);
  out.resize(stream.total_out);
  deflateEnd(&stream);
  return out;
}

std::string fill_in(std::string page, const std::string& mark, std::string_view value) {
  const auto at = page.find(mark);
  return page.replace(at, mark.size(), value);
}

std::string escaped(const std::string& text) {
  std::string out;
  for (const char c : text) c == '<' ? out += "&lt;" : c == '&' ? out += "&amp;" : out += c;
  return out;
}

// In a script element only "</" and "<!--" could end the data early or hide its end.
std::string script_json(const Json& data) {
  std::string text = data.dump();
  for (std::size_t at = 0; (at = text.find('<', at)) != std::string::npos; at += 6)
    text.replace(at, 1, "\\u003c");
  return text;
}

std::string viewer_page(const Json& start, std::string_view data) {
  std::string page(assets::viewer_html);
  page = fill_in(std::move(page), "@title@", escaped(start.at("title").get<std::string>()));
  const std::string first =
      "<script type=\"application/json\" id=\"start\">" + script_json(start) + "</script>\n";
  page = fill_in(std::move(page), "@data@", first + std::string(data));
  const std::array<std::pair<const char*, std::string_view>, 16> parts{
      {{"@third_party@", assets::third_party},
       {"@common_css@", assets::common_css},
       {"@viewer_css@", assets::viewer_css},
       {"@common_js@", assets::common_js},
       {"@chart_library@", assets::chart_library},
       {"@three_library@", assets::three_library},
       {"@orbit_library@", assets::orbit_library},
       {"@matches_js@", assets::matches_js},
       {"@arena_view_js@", assets::arena_view_js},
       {"@overlays_js@", assets::overlays_js},
       {"@network_js@", assets::network_js},
       {"@table_row_js@", assets::table_row_js},
       {"@panel_js@", assets::panel_js},
       {"@playback_js@", assets::playback_js},
       {"@driving_js@", assets::driving_js},
       {"@watching_js@", assets::watching_js}}};
  for (const auto& [mark, text] : parts) page = fill_in(std::move(page), mark, text);
  return fill_in(std::move(page), "@viewer_js@", assets::viewer_js);
}

}  // namespace zithercraft::show_internal
