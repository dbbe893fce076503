#include "zithercraft/base/error.hpp"

#include <gtest/gtest.h>

#include <array>

#include "zithercraft/base/text.hpp"

namespace zithercraft {
namespace {

TEST(Error, JoinsWhereWhatAndFixInOneLine) {
  const Error error(ErrorKind::spec, "unknown key 'raus'", "game.toml:7 (roles[0])",
                    "did you mean 'rays'?");
  EXPECT_STREQ(error.what(), "game.toml:7 (roles[0]): unknown key 'raus'; did you mean 'rays'?");
  EXPECT_EQ(error.kind(), ErrorKind::spec);
  EXPECT_STREQ(Error(ErrorKind::file, "no space").what(), "no space");
}

TEST(Text, NamesTheNearestWord) {
  const std::array<std::string, 3> words{"rays", "reach", "thickness"};
  EXPECT_EQ(nearest("raus", words), "rays");
  EXPECT_EQ(nearest("thicknes", words), "thickness");
  EXPECT_EQ(advice("raech", words), "did you mean 'reach'?");
  EXPECT_EQ(advice("colour", words), "known are rays, reach and thickness");
}

}  // namespace
}  // namespace zithercraft
