// Whatever is wrong, the tool says so in one line on standard error and ends with the documented
// status.

#include <gtest/gtest.h>

#include <algorithm>

#include "support.hpp"

namespace zithercraft {
namespace {

using test::run_tool;

void expect_error(const std::vector<std::string>& arguments, int status,
                  const std::string& message) {
  const auto result = run_tool(arguments);
  std::string call;
  for (const auto& word : arguments) call += word + " ";
  EXPECT_EQ(result.status, status) << call << "\n" << result.err;
  EXPECT_NE(result.err.find(message), std::string::npos) << call << "\n" << result.err;
  EXPECT_EQ(result.err.rfind("zithercraft: error: ", 0), 0u) << result.err;
  EXPECT_EQ(std::count(result.err.begin(), result.err.end(), '\n'), 1) << result.err;
  EXPECT_EQ(result.out, "");
}

TEST(BadCommandLine, HasStatus2) {
  expect_error({}, 2, "A subcommand is required");
  expect_error({"trian"}, 2, "there is no command 'trian'; did you mean 'train'?");
  expect_error({"show"}, 2, "GAME is required");
  expect_error({"show", "morring"}, 2, "there is no game 'morring'; did you mean 'mooring'?");
  expect_error({"train", "mooring"}, 2, "--run is required");
  expect_error({"train", "mooring", "--run", "x", "--steps", "-5"}, 2, "--steps");
  expect_error({"train", "mooring", "--run", "x", "--lanes", "many"}, 2, "--lanes");
  expect_error({"train", "mooring", "--run", "x", "--resume", "--fresh"}, 2, "--resume");
  expect_error({"train", "mooring", "--run", "x", "--colour", "red"}, 2, "--colour");
  const std::pair<const char*, const char*> settings[] = {
      {"memry=3", "the learner has no setting 'memry'; did you mean 'memory'?"},
      {"memory=3.5", "expected a whole number, found the number 3.5"},
      {"memory=[", "expected a whole number, found the text '['"},
      {"memory", "write it like memory=64"},
      {"activation=softplus", "unknown value 'softplus'; known are tanh, relu and silu"},
      {"memory=4\nlanes=3", "give one value"},
      {"clip=-1", "clip"}};
  for (const auto& [setting, message] : settings)
    expect_error({"train", "mooring", "--run", "x", "--learner", setting}, 3, message);
  expect_error({"evaluate", "x", "--against", "nobody"}, 2, "nobody");
}

TEST(BadGameFile, HasStatus3AndNamesTheLine) {
  const test::TemporaryFolder folder;
  const std::string path = (folder / "game.toml").string();
  const auto expect = [&](const std::string& from, const std::string& to,
                          const std::string& message) {
    test::write_file(path, test::mooring_with(from, to));
    expect_error({"show", path}, 3, path + message);
    expect_error({"train", path, "--run", (folder / "run").string()}, 3, path + message);
  };
  expect(
      "clearance", "claerance",
      ":19 (arena.zones[0].place.claerance): unknown key 'claerance'; did you mean 'clearance'?");
  expect("count = 8", "count = \"eight\"",
         ":23 (arena.bodies[0].count): expected a whole number, found the text 'eight'");
  expect("length = 2.4", "length = -2.4",
         ":30 (arena.bodies[1].shape.length): -2.4 is too small; give a number above 0");
  expect("to = \"berth\"", "to = \"birth\"",
         ":42 (roles[0].senses[1].to): nothing in the arena bears the tag 'birth'; did you mean "
         "'berth'?");
  expect("[\"hull\", \"quay\"]", "[\"hull\", \"rock\"]",
         ":78 (roles[0].rewards[2].on.with[1]): nothing in the arena bears the tag 'rock'");
  expect("steer_home", "steer_hone",
         " (roles[0].script): no script is named 'steer_hone'; did you mean 'steer_home'?");
  EXPECT_FALSE(std::filesystem::exists(folder / "run"));
  test::write_file(path, test::mooring_with("count = 8", "count = 80"));
  expect_error({"train", path, "--run", (folder / "run").string()}, 3,
               "'hull' finds no free place in its region");
}

TEST(BadFiles, HaveStatus4) {
  const test::TemporaryFolder folder;
  expect_error({"show", "none.toml"}, 4,
               "none.toml: cannot read the file: No such file or directory");
  expect_error({"evaluate", (folder / "none").string()}, 4, "there is no such run");
  expect_error({"replay", (folder / "none.zrep").string()}, 4, "cannot read the file");
  test::write_file(folder / "file", "x");
  expect_error({"train", "mooring", "--run", (folder / "file/run").string()}, 4,
               "cannot create the folder");
  expect_error({"show", "mooring", "--png", (folder / "no/a.png").string()}, 4,
               "cannot write the file");
  expect_error({"replay", (folder / "file").string()}, 4, "this is not a replay");
}

TEST(ExistingRun, IsRefusedWithStatus5) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string();
  ASSERT_EQ(run_tool({"train", "mooring", "--run", run, "--steps", "3000", "--lanes", "16"}).status,
            0);
  expect_error({"train", "mooring", "--run", run}, 5,
               "the folder holds a run already; use --resume to continue it, --fresh");
  expect_error({"train", "mooring", "--run", run, "--resume", "--seed", "8"}, 5,
               "seed: 8 here, 1 there");
  expect_error({"train", "mooring", "--run", (folder / "other").string(), "--resume"}, 5,
               "there is no run to resume");
  const std::string game = (folder / "game.toml").string();
  test::write_file(game, test::mooring_with("rays = 24", "rays = 20"));
  expect_error({"train", game, "--run", run, "--resume"}, 5,
               "roles[0].senses[0].rays: 20 here, 24 there");

  // A checkpoint from another game in the run's place is refused by its senses.
  ASSERT_EQ(run_tool({"train", game, "--run", (folder / "twenty").string(), "--steps", "3000",
                      "--lanes", "16"})
                .status,
            0);
  std::filesystem::copy_file(folder / "twenty/checkpoints/last.safetensors",
                             folder / "run/checkpoints/last.safetensors",
                             std::filesystem::copy_options::overwrite_existing);
  expect_error({"evaluate", run}, 5,
               "column 81 is 'rays[20].quay' in the game and 'compass.ahead' in the checkpoint");
  expect_error({"train", "mooring", "--run", run, "--resume", "--steps", "9000"}, 5,
               "column 81 is 'rays[20].quay' in the game");

  // Damage has status 4.
  const auto checkpoint = folder / "twenty/checkpoints/last.safetensors";
  const std::string bytes = test::read_file(checkpoint);
  test::write_file(checkpoint, bytes.substr(0, bytes.size() / 2));
  expect_error({"evaluate", (folder / "twenty").string()}, 4,
               "last.safetensors: the file is damaged");
  std::string flipped = bytes;
  flipped[flipped.size() - 9] = static_cast<char>(flipped[flipped.size() - 9] ^ 16);
  test::write_file(checkpoint, flipped);
  expect_error({"record", (folder / "twenty").string(), "--out", (folder / "a.zrep").string()}, 4,
               "its checksum does not match");
  expect_error(
      {"train", game, "--run", (folder / "twenty").string(), "--resume", "--steps", "9000"}, 4,
      "its checksum does not match");
}

TEST(BadReplay, HasStatus4WhenDamaged) {
  const test::TemporaryFolder folder;
  const std::string run = (folder / "run").string(), replay = (folder / "a.zrep").string();
  ASSERT_EQ(run_tool({"train", "mooring", "--run", run, "--steps", "3000", "--lanes", "16"}).status,
            0);
  ASSERT_EQ(run_tool({"record", run, "--out", replay, "--episodes", "2"}).status, 0);
  std::string bytes = test::read_file(replay);
  bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 2);
  test::write_file(replay, bytes);
  expect_error({"replay", replay, "--check"}, 4, "the replay is damaged: the checksum of chunk");
  expect_error({"replay", replay}, 4, "the replay is damaged");
}

}  // namespace
}  // namespace zithercraft
