// Ground, meshes and blocks from files, whole and damaged.

#include <gtest/gtest.h>
#include <png.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>

#include "config/data_file.hpp"
#include "worlds.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"

namespace zithercraft {
using namespace config;
namespace {

using test::World;

template <class T>
std::string bytes_of(const std::vector<T>& values) {
  std::string bytes(values.size() * sizeof(T), '\0');
  std::memcpy(bytes.data(), values.data(), bytes.size());
  return bytes;
}

std::string npy(const std::string& type, const std::string& shape, const std::string& data) {
  std::string header =
      "{'descr': '" + type + "', 'fortran_order': False, 'shape': (" + shape + "), }";
  header.resize((header.size() + 10 + 64) / 64 * 64 - 11, ' ');
  header += '\n';
  std::string file("\x93NUMPY\x01\x00", 8);
  file += static_cast<char>(header.size() & 255);
  file += static_cast<char>(header.size() >> 8);
  return file + header + data;
}

std::string png(std::uint32_t width, std::uint32_t height,
                const std::vector<std::uint16_t>& values) {
  std::string file;
  png_structp out = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(out);
  png_set_write_fn(
      out, &file,
      [](png_structp p, png_bytep data, std::size_t size) {
        static_cast<std::string*>(png_get_io_ptr(p))->append(reinterpret_cast<char*>(data), size);
      },
      nullptr);
  png_set_IHDR(out, info, width, height, 16, PNG_COLOR_TYPE_GRAY, PNG_INTERLACE_NONE,
               PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  png_write_info(out, info);
  std::vector<std::uint8_t> row(2 * width);
  for (std::uint32_t y = 0; y < height; ++y) {
    for (std::uint32_t x = 0; x < width; ++x) {
      row[2 * x] = static_cast<std::uint8_t>(values[y * width + x] >> 8);
      row[2 * x + 1] = static_cast<std::uint8_t>(values[y * width + x] & 255);
    }
    png_write_row(out, row.data());
  }
  png_write_end(out, info);
  png_destroy_write_struct(&out, &info);
  return file;
}

// A table of 4 x 2 m, 1 m high, in the file's axes (y up), and a step beside it that is tagged
// "step".
std::string gltf_json(const std::string& buffer) {
  return R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"mesh":0,"children":[1],"translation":[1,1,0]},
         {"mesh":0,"translation":[0,-0.5,5],"scale":[0.5,1,0.5],"extras":{"tag":"step"}}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3","min":[-2,0,-1],"max":[2,0,1]},
             {"bufferView":1,"componentType":5123,"count":6,"type":"SCALAR"}],
"bufferViews":[{"buffer":0,"byteOffset":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":12}],
"buffers":[{"byteLength":60)" +
         buffer + "}]}";
}

std::string gltf_buffer() {
  return bytes_of<float>({-2, 0, -1, 2, 0, -1, 2, 0, 1, -2, 0, 1}) +
         bytes_of<std::uint16_t>({0, 2, 1, 0, 3, 2});
}

std::string gltf() { return gltf_json(",\"uri\":\"" + data_url(gltf_buffer()) + "\""); }

std::string glb() {
  std::string json = gltf_json("");
  json.resize((json.size() + 3) / 4 * 4, ' ');
  const std::string data = gltf_buffer();
  const auto number = [](std::size_t n) {
    return bytes_of<std::uint32_t>({static_cast<std::uint32_t>(n)});
  };
  return "glTF" + number(2) + number(28 + json.size() + data.size()) + number(json.size()) +
         "JSON" + json + number(data.size()) + std::string("BIN\0", 4) + data;
}

ArenaSpec with_ground(const std::string& file) {
  ArenaSpec spec;
  spec.heights = Heights{};
  spec.ground = GroundSpec{
      .file = data_url(file), .origin = {-2, -2}, .spacing = 2.0, .scale = 1.5, .lift = 1.0};
  spec.bodies = {{.name = "crew", .motion = Motion::free, .shape = Disc{0.3}, .mover = Walker{}}};
  return spec;
}

ArenaSpec with_mesh(const std::string& file) {
  ArenaSpec spec;
  spec.heights = Heights{.floor = Floor{}};
  spec.meshes = {{.name = "table", .file = data_url(file)}};
  spec.bodies = {{.name = "crew", .motion = Motion::free, .shape = Disc{0.3}, .mover = Walker{}}};
  return spec;
}

ArenaSpec with_blocks(const std::string& file) {
  ArenaSpec spec;
  spec.heights = Heights{};
  spec.blocks = BlocksSpec{.kinds = {{.name = "sand"}, {.name = "rock"}}, .file = data_url(file)};
  spec.bodies = {{.name = "crew", .motion = Motion::free, .shape = Disc{0.3}, .mover = Walker{}}};
  spec.bodies[0].place.region = {1, 1, 2, 2};
  return spec;
}

std::string ground_npy() {
  return npy("<f4", "3, 4", bytes_of<float>({0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2}));
}
std::string ground_png() { return png(3, 2, {65535, 65535, 65535, 0, 0, 0}); }
std::string blocks_npy() {
  std::vector<std::uint8_t> blocks(4 * 5 * 6, 0);
  std::fill_n(blocks.begin(), 30, std::uint8_t{2});
  std::fill_n(blocks.begin() + 30, 30, std::uint8_t{1});
  return npy("|u1", "4, 5, 6", std::string(blocks.begin(), blocks.end()));
}

TEST(Files, GroundFromNumPyRisesAlongItsRows) {
  World world(with_ground(ground_npy()));
  world.arena.put(world.state(), 0, 1.0f, -1.0f, 0, 20);
  world.ticks(100);
  EXPECT_NEAR(world.pose(0).z, 1.0 + 1.5 * 0.5, 1e-4);  // half-way between the first rows
  for (const std::string type : {"<f8", ">f4", "<i2", "|u1", "<u4"}) {
    std::string data;
    for (const int value : {0, 1, 2, 3}) {
      if (type == "<f8") data += bytes_of<double>({static_cast<double>(value)});
      if (type == "<i2") data += bytes_of<std::int16_t>({static_cast<std::int16_t>(value)});
      if (type == "|u1") data += static_cast<char>(value);
      if (type == "<u4") data += bytes_of<std::uint32_t>({static_cast<std::uint32_t>(value)});
      if (type == ">f4") {
        std::string swapped = bytes_of<float>({static_cast<float>(value)});
        std::reverse(swapped.begin(), swapped.end());
        data += swapped;
      }
    }
    const Arena arena(with_ground(npy(type, "2, 2", data)));
    EXPECT_EQ(arena.triangles().front().corner[1].z, 2.5) << type;
    EXPECT_EQ(arena.triangles().front().corner[2].z, 5.5) << type;
  }
}

TEST(Files, GroundFromAPictureBeginsAtItsTop) {
  World world(with_ground(ground_png()));
  world.arena.put(world.state(), 0, 0.0f, -1.5f, 0, 20);
  world.ticks(100);
  EXPECT_NEAR(world.pose(0).z, 1.0 + 1.5 * 0.25, 1e-4);
}

TEST(Files, MeshesStandWithTheirYAxisUpAndTheirTags) {
  for (const std::string& file : {gltf(), glb()}) {
    World world(with_mesh(file));
    const auto at = [&](float x, float y) {
      world.arena.put(world.state(), 0, x, y, 0, 6);
      world.ticks(60);
      return world.pose(0).z;
    };
    EXPECT_FLOAT_EQ(at(2.5f, 0.5f), 1.0f);
    EXPECT_EQ(world.arena.stands_on(world.state(), EntityId(0)),
              EntityId(world.arena.bodies_named("x").size() + 2));
    EXPECT_FLOAT_EQ(at(3.5f, 0.0f), 0.0f);
    EXPECT_FLOAT_EQ(at(1.5f, -5.0f), 0.5f);  // the file's z = 5 is our y = -5
    EXPECT_EQ(world.arena.tags()[world.arena.entity(world.arena.stands_on(world.state(), 0)).tag],
              "step");
  }
}

TEST(Files, BlocksFromNumPyLieLayerByLayer) {
  World world(with_blocks(blocks_npy()));
  EXPECT_EQ(world.arena.block_count().columns, 6u);
  EXPECT_EQ(world.arena.block_count().rows, 5u);
  EXPECT_EQ(world.arena.block_count().layers, 4u);
  EXPECT_EQ(world.pose(0).z, 2.0f);
  EXPECT_EQ(world.arena.entity(world.arena.block_at(world.state(), 3, 3, 0)).name, "rock");
  EXPECT_EQ(world.arena.entity(world.arena.block_at(world.state(), 3, 3, 1)).name, "sand");
  EXPECT_EQ(world.arena.block_at(world.state(), 3, 3, 2), EntityId(-1));
}

TEST(Files, MistakesInFilesAreNamed) {
  const auto problem = [](const ArenaSpec& spec) -> std::string {
    try {
      const Arena arena(spec);
    } catch (const Error& error) {
      return error.problem();
    }
    return "";
  };
  EXPECT_EQ(problem(with_ground("nonsense")), "this is no .npy file");
  EXPECT_EQ(problem(with_ground(npy("<f4", "2, 2", "short"))),
            "the .npy file is cut off or too long");
  EXPECT_EQ(problem(with_ground(npy("<f4", "99999999, 99999999", ""))),
            "the .npy array is empty or has more than 4 million numbers");
  EXPECT_EQ(problem(with_ground(npy("<c8", "1, 1", "12345678"))),
            "the .npy file does not hold plain numbers");
  EXPECT_EQ(problem(with_ground(blocks_npy())), "the ground's array has 3 dimensions");
  EXPECT_EQ(
      problem(with_ground(
          npy("<f4", "2, 2", bytes_of<float>({0, 1, std::numeric_limits<float>::quiet_NaN(), 2})))),
      "a level is not a number, or farther than 1,000 km from 0");
  EXPECT_EQ(problem(with_ground(ground_png().substr(0, 40))),
            "the PNG cannot be read: damaged, or more than 2048 pixels along a side");
  EXPECT_EQ(problem(with_mesh("nonsense")), "this is no glTF 2.0 file with its buffers inside");
  EXPECT_EQ(problem(with_mesh(gltf_json(",\"uri\":\"table.bin\""))),
            "this is no glTF 2.0 file with its buffers inside");
  EXPECT_EQ(problem(with_blocks(npy("|u1", "1, 1, 2", "\x01\x03"))),
            "a block is of a kind that does not exist");
  ArenaSpec spec = with_ground(ground_npy());
  spec.ground->file = "data:text/plain,1";
  EXPECT_EQ(problem(spec), "this kind of data URL is not known");
  spec.ground->file = "data:application/octet-stream;base64,@@@@";
  EXPECT_EQ(problem(spec), "the data URL is no base64");
  spec.ground->file = "/nowhere/harbour.npy";
  EXPECT_TRUE(problem(spec).starts_with("cannot read the file")) << problem(spec);
  spec.ground->file = "/dev/zero";
  EXPECT_EQ(problem(spec), "this is no file");
}

class Damaged : public ::testing::TestWithParam<int> {};

// Each is a clear error or an arena that can be begun and looked at.
TEST_P(Damaged, FilesAreErrorsOrArenas) {
  constexpr std::uint32_t per_part = 2500;
  const std::array<std::string, 5> whole{ground_npy(), blocks_npy(), ground_png(), gltf(), glb()};
  std::size_t arenas = 0, errors = 0;
  for (std::uint32_t i = 0; i < per_part; ++i) {
    const std::uint32_t number = static_cast<std::uint32_t>(GetParam()) * per_part + i;
    RandomStream random(41, number, 0, Purpose::user);
    const std::size_t which = number % whole.size();
    std::string file = whole[which];
    for (std::uint32_t n = 1 + random.below(4); n > 0 && !file.empty(); --n) {
      const std::size_t at = random.below(static_cast<std::uint32_t>(file.size()));
      switch (random.below(5)) {
        case 0: file[at] = static_cast<char>(random.below(256)); break;
        case 1: file[at] = "0123456789-.,[]{}\""[random.below(18)]; break;
        case 2: file.erase(at, 1 + random.below(8)); break;
        case 3:
          file.insert(at, file.substr(random.below(static_cast<std::uint32_t>(file.size())),
                                      1 + random.below(8)));
          break;
        default: file.resize(random.below(4) == 0 ? at : file.size());
      }
    }
    try {
      World world(which == 1   ? with_blocks(file)
                  : which >= 3 ? with_mesh(file)
                               : with_ground(file));
      world.ticks(3);
      test::cast(world, 0.1f, 0.2f, 30.0, 20.0f);
      ++arenas;
    } catch (const Error& error) {
      ++errors;
      EXPECT_FALSE(error.fix().empty()) << error.what();
    } catch (const std::exception& other) {
      FAIL() << "file " << number << ": " << other.what();
    }
  }
  EXPECT_EQ(arenas + errors, per_part);
  EXPECT_GT(arenas, per_part / 20);
  EXPECT_GT(errors, per_part / 4);
}

INSTANTIATE_TEST_SUITE_P(TwentyThousand, Damaged, ::testing::Range(0, 8));

}  // namespace
}  // namespace zithercraft
