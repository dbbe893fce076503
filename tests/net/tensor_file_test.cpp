#include "zithercraft/net/tensor_file.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cstring>
#include <nlohmann/json.hpp>

#include "support.hpp"

namespace zithercraft {
namespace {

TensorFile example() {
  TensorFile file;
  file.metadata["role"] = "skiff \"A\"";
  const std::array<float, 6> weights{1, 2, 3, 4, 5, 6.5f};
  const std::array<double, 2> mean{0.1, 1e300};
  const std::array<std::int64_t, 1> steps{-7};
  file.put("weight", {2, 3}, weights);
  file.put("mean", mean);
  file.put("steps", steps);
  return file;
}

TEST(TensorFile, ComesBackAsItWas) {
  const test::TemporaryFolder folder;
  example().save(folder / "a.safetensors");
  const TensorFile file = TensorFile::load(folder / "a.safetensors");
  std::array<float, 6> weights{};
  file.get("weight", weights);
  EXPECT_EQ(weights[5], 6.5f);
  EXPECT_EQ(file.shape("weight"), (std::vector<std::size_t>{2, 3}));
  EXPECT_EQ(file.doubles("mean"), (std::vector<double>{0.1, 1e300}));
  EXPECT_EQ(file.integers("steps"), std::vector<std::int64_t>{-7});
  EXPECT_EQ(file.text("role"), "skiff \"A\"");
  std::array<float, 5> wrong{};
  EXPECT_NE(test::error_of([&] { file.get("weight", wrong); }).problem().find("6 elements where 5"),
            std::string::npos);
  EXPECT_EQ(test::error_of([&] { file.doubles("weight"); }).kind(), ErrorKind::file);
}

// Readers of the format need no more than this: a length, a JSON header, and the data it points
// into.
TEST(TensorFile, KeepsToTheOpenFormat) {
  const test::TemporaryFolder folder;
  example().save(folder / "a.safetensors");
  const std::string bytes = test::read_file(folder / "a.safetensors");
  std::uint64_t length = 0;
  std::memcpy(&length, bytes.data(), 8);
  EXPECT_EQ(length % 8, 0u);
  const auto header = nlohmann::json::parse(bytes.substr(8, length));
  EXPECT_EQ(header["weight"]["dtype"], "F32");
  const std::size_t begin = header["weight"]["data_offsets"][0];
  float third = 0;
  std::memcpy(&third, bytes.data() + 8 + length + begin + 2 * sizeof(float), sizeof third);
  EXPECT_EQ(third, 3.0f);
  for (const auto& [key, value] : header["__metadata__"].items())
    EXPECT_TRUE(value.is_string()) << key;
}

TEST(TensorFile, EveryFlippedBitAndEveryTruncationIsNoticed) {
  const test::TemporaryFolder folder;
  const auto path = folder / "a.safetensors";
  example().save(path);
  const std::string good = test::read_file(path);
  for (std::size_t i = 0; i < good.size(); ++i) {
    std::string bad = good;
    bad[i] = static_cast<char>(bad[i] ^ (1 << (i % 8)));
    test::write_file(path, bad);
    const Error error = test::error_of([&] { TensorFile::load(path); });
    ASSERT_EQ(error.kind(), ErrorKind::file) << "byte " << i << ": " << error.what();
    test::write_file(path, good.substr(0, i));
    ASSERT_NE(test::error_of([&] { TensorFile::load(path); }).problem().find("damaged"),
              std::string::npos)
        << "cut at " << i;
  }
}

TEST(TensorFile, AHeaderNestedWithoutEndIsRefused) {
  const test::TemporaryFolder folder;
  const std::uint64_t length = 1 << 20;
  std::string file(sizeof length + length, '[');
  std::memcpy(file.data(), &length, sizeof length);
  test::write_file(folder / "deep.safetensors", file);
  for (const auto load : {+[](const std::filesystem::path& p) { TensorFile::load(p); },
                          +[](const std::filesystem::path& p) { TensorFile::load_metadata(p); }})
    EXPECT_EQ(test::error_of([&] { load(folder / "deep.safetensors"); }).problem(),
              "the file is damaged: its header cannot be understood");
}

}  // namespace
}  // namespace zithercraft
