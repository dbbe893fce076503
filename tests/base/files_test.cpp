#include "zithercraft/base/files.hpp"

#include <gtest/gtest.h>
#include <unistd.h>

#include "support.hpp"

namespace zithercraft {
namespace {

TEST(Files, ReplacesAtomicallyAndLeavesNothingBehind) {
  const test::TemporaryFolder folder;
  write_atomically(folder / "a", std::string_view("first"));
  write_atomically(folder / "a", std::string_view("second"));
  EXPECT_EQ(read_text(folder / "a"), "second");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);
}

TEST(Files, ErrorsNameFileAndFix) {
  const test::TemporaryFolder folder;
  const Error missing = test::error_of([&] { read_text(folder / "none"); });
  EXPECT_EQ(missing.kind(), ErrorKind::file);
  EXPECT_NE(std::string(missing.what())
                .find("none: cannot read the file: No such file or directory; check"),
            std::string::npos);
  const Error is_folder = test::error_of([&] { read_text(folder.path()); });
  EXPECT_EQ(is_folder.problem(), "this is a folder, not a file");
  const Error unwritable =
      test::error_of([&] { write_atomically(folder / "no/such/place", std::string_view("x")); });
  EXPECT_EQ(unwritable.kind(), ErrorKind::file);
  EXPECT_NE(unwritable.problem().find("cannot write"), std::string::npos);
  test::write_file(folder / "file", "x");
  EXPECT_EQ(test::error_of([&] { make_folder(folder / "file/below"); }).kind(), ErrorKind::file);
}

}  // namespace
}  // namespace zithercraft
