#include "zithercraft/base/files.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <thread>

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

TEST(Files, LinksAreFollowedAndStay) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "kept", "old");
  std::filesystem::create_symlink("kept", folder / "link");
  std::filesystem::create_symlink(folder / "link", folder / "second");
  std::filesystem::create_symlink("new", folder / "dangling");
  std::filesystem::permissions(folder / "kept", std::filesystem::perms(0600));
  write_atomically(folder / "second", std::string_view("through two links"));
  write_atomically(folder / "dangling", std::string_view("made"));
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "second"));
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "dangling"));
  EXPECT_EQ(test::read_file(folder / "kept"), "through two links");
  EXPECT_EQ(test::read_file(folder / "new"), "made");
  EXPECT_EQ(std::filesystem::status(folder / "kept").permissions(), std::filesystem::perms(0600));
  std::filesystem::create_symlink("b", folder / "a");
  std::filesystem::create_symlink("a", folder / "b");
  EXPECT_EQ(
      test::error_of([&] { write_atomically(folder / "a", std::string_view("x")); }).problem(),
      "the links form a cycle");
}

TEST(Files, PipesAndDevicesAreWrittenStraight) {
  const test::TemporaryFolder folder;
  const auto pipe = folder / "pipe";
  ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
  std::string heard;
  std::thread reader([&] { heard = read_text(pipe); });
  write_atomically(pipe, std::string_view("by pipe"));
  reader.join();
  EXPECT_EQ(heard, "by pipe");
  EXPECT_TRUE(std::filesystem::is_fifo(pipe));
  // A link keeps the machine's own device safe, should the test fail.
  std::filesystem::create_symlink("/dev/full", folder / "full");
  const Error full =
      test::error_of([&] { write_atomically(folder / "full", std::string_view("x")); });
  EXPECT_EQ(full.problem(), "cannot write the file: No space left on device");
  EXPECT_TRUE(std::filesystem::is_character_file("/dev/full"));
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "full"));
}

TEST(Files, PartsArePublishedOrLeaveTheOldContent) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "a", "old");
  {
    OutputPlace place(folder / "a");
    test::write_file(place.part(), "new");
    EXPECT_EQ(test::read_file(folder / "a"), "old");
    place.publish();
  }
  EXPECT_EQ(test::read_file(folder / "a"), "new");
  {
    OutputPlace place(folder / "a");
    test::write_file(place.part(), "newer");
    place.discard();
  }
  EXPECT_EQ(test::read_file(folder / "a"), "new");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);
  EXPECT_EQ(test::error_of([&] { OutputPlace(folder.path()); }).problem(),
            "this is a folder, not a file");
}

TEST(Files, AreComparedByWhereTheyLead) {
  const test::TemporaryFolder folder;
  test::write_file(folder / "a", "x");
  std::filesystem::create_symlink("a", folder / "link");
  std::filesystem::create_hard_link(folder / "a", folder / "hard");
  EXPECT_TRUE(same_file(folder / "a", folder / "link"));
  EXPECT_TRUE(same_file(folder / "a", folder / "hard"));
  EXPECT_TRUE(same_file(folder / "none", folder / "../" / folder.path().filename() / "none"));
  EXPECT_FALSE(same_file(folder / "a", folder / "none"));
  EXPECT_TRUE(same_file("-", "-"));
  EXPECT_FALSE(same_file("", ""));
}

}  // namespace
}  // namespace zithercraft
