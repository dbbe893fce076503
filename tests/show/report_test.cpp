#include "zithercraft/show/report.hpp"

#include <gtest/gtest.h>

#include <cstdio>
#include <memory>
#include <nlohmann/json.hpp>

#include "support.hpp"
#include "zithercraft/run/train.hpp"

namespace zithercraft {
namespace {

// Appended to a copy of the page: once it is drawn, the page says about itself what a person would
// look for.
constexpr const char* probe = R"html(<script>
window.addEventListener("error", (e) => { document.body.dataset.errors = (document.body.dataset.errors || "") + e.message; });
window.addEventListener("load", () => setTimeout(() => {
  const inked = (canvas) => {
    const pixels = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data;
    let n = 0;
    for (let i = 3; i < pixels.length; i += 4) n += pixels[i] > 0 ? 1 : 0;
    return n;
  };
  const report = {
    errors: document.body.dataset.errors || "",
    title: document.title,
    heading: document.getElementById("heading").textContent,
    rows: [...document.querySelectorAll("#score tbody tr")].map((r) => [...r.cells].map((c) => c.textContent.trim())),
    charts: [...document.querySelectorAll("canvas")].map((c) => inked(c)),
    labels: [...document.querySelectorAll("canvas")].map((c) => c.getAttribute("aria-label")),
    images: [...document.images].map((i) => i.naturalWidth),
    captions: [...document.querySelectorAll("figcaption")].map((f) => f.textContent),
    configuration: document.getElementById("configuration").textContent.length,
    fetched: performance.getEntriesByType("resource").map((r) => r.name).filter((n) => !n.startsWith("data:")),
    wide: document.documentElement.scrollWidth > window.innerWidth,
  };
  const out = document.createElement("pre");
  out.id = "probe";
  out.textContent = JSON.stringify(report);
  document.body.appendChild(out);
}, 300));
</script></body>)html";

std::string run_browser(const std::filesystem::path& page, const std::filesystem::path& profile) {
  const std::string command =
      "timeout 90 chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run "
      "--disable-background-networking --disable-component-update --disable-sync "
      "--window-size=1280,800 "
      "--virtual-time-budget=5000 --user-data-dir=" +
      profile.string() + " --dump-dom file://" + page.string() + " 2>/dev/null";
  const std::unique_ptr<FILE, int (*)(FILE*)> pipe(::popen(command.c_str(), "r"), &::pclose);
  std::string text;
  for (int c; (c = std::fgetc(pipe.get())) != EOF;) text += static_cast<char>(c);
  return text;
}

std::string unescaped(std::string text) {
  for (const auto& [from, to] :
       {std::pair<std::string, std::string>{"&lt;", "<"}, {"&gt;", ">"}, {"&amp;", "&"}})
    for (std::size_t at = 0; (at = text.find(from, at)) != std::string::npos; at += to.size())
      text.replace(at, from.size(), to);
  return text;
}

TEST(Report, ShowsEverythingInARealBrowserWithoutANetwork) {
  const test::TemporaryFolder folder;
  GameSpec game = test::mooring();
  game.about = "A skiff with </script> & <b>care</b>.";  // must not break the page
  const zithercraft::Run run = train(game, {.folder = folder / "run",
                                            .steps = 20'000,
                                            .learner = PolicyGradientSettings{.policy_layers = {16},
                                                                              .value_layers = {16},
                                                                              .lanes = 32,
                                                                              .horizon = 32,
                                                                              .minibatch = 512}});
  write_report(run, folder / "report.html", {.episodes = 100, .paths = 4});
  std::string page = test::read_file(folder / "report.html");
  test::expect_licences(page);
  const auto end = page.rfind("</body>");
  ASSERT_NE(end, std::string::npos);
  test::write_file(folder / "probed.html", page.replace(end, 7, probe));
  const std::string dom = run_browser(folder / "probed.html", folder / "profile");
  const auto begin = dom.find("<pre id=\"probe\">");
  ASSERT_NE(begin, std::string::npos) << "the page did not come up; is chromium installed?\n"
                                      << dom.substr(0, 300);
  const auto seen = nlohmann::json::parse(
      unescaped(dom.substr(begin + 16, dom.find("</pre>", begin) - begin - 16)));

  EXPECT_EQ(seen["errors"], "");
  EXPECT_NE(seen["heading"].get<std::string>().find("mooring"), std::string::npos);
  ASSERT_EQ(seen["rows"].size(), 3u);
  EXPECT_EQ(seen["rows"][0][0], "trained");
  EXPECT_EQ(seen["rows"][1][0], "random");
  EXPECT_EQ(seen["rows"][2][0], "script");
  EXPECT_EQ(seen["rows"][0].size(), 5u + 4);  // name, bar, share, return, length, four terms
  EXPECT_NE(seen["rows"][2][2].get<std::string>().find("%"), std::string::npos);
  ASSERT_EQ(seen["charts"].size(), 8u);
  for (std::size_t i = 0; i < 8; ++i)
    EXPECT_GT(seen["charts"][i].get<int>(), 3000) << seen["labels"][i];
  ASSERT_EQ(seen["images"].size(), 4u);
  for (const auto& width : seen["images"]) EXPECT_GT(width.get<int>(), 100);
  EXPECT_NE(seen["captions"][0].get<std::string>().find("Episode 0: "), std::string::npos);
  EXPECT_GT(seen["configuration"].get<int>(), 1000);
  EXPECT_EQ(seen["fetched"].size(), 0u);
  EXPECT_EQ(seen["wide"], false);  // no sideways scrolling at 1280 pixels
}

}  // namespace
}  // namespace zithercraft
