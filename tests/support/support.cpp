#include "support.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <sstream>

#include "zithercraft/game/load.hpp"

namespace zithercraft::test {
namespace {

int start(std::vector<std::string> words, const std::string& out, const std::string& err) {
  std::vector<char*> raw;
  for (auto& word : words) raw.push_back(word.data());
  raw.push_back(nullptr);
  const int process = ::fork();
  if (process != 0) return process;
  const int to_out = ::open(out.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  const int to_err = ::open(err.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  ::dup2(to_out, STDOUT_FILENO);
  ::dup2(to_err, STDERR_FILENO);
  ::execvp(raw[0], raw.data());
  ::_exit(127);
}

std::vector<std::string> with_tool(const std::vector<std::string>& arguments) {
  std::vector<std::string> words{tool()};
  words.insert(words.end(), arguments.begin(), arguments.end());
  return words;
}

}  // namespace

std::string tool() { return ZITHERCRAFT_BINARY "/zithercraft"; }

TemporaryFolder::TemporaryFolder() {
  std::string name = (std::filesystem::temp_directory_path() / "zithercraft-test-XXXXXX").string();
  path_ = ::mkdtemp(name.data());
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code code;
  std::filesystem::remove_all(path_, code);
}

std::filesystem::path project_folder() { return ZITHERCRAFT_SOURCE; }

GameSpec mooring() { return load_game(project_folder() / "demos/mooring.toml"); }

GameSpec duck_pond() {
  return parse_game(R"(
    name = "duck_pond"
    [arena]
    zones = [{ name = "jetty", shape = { kind = "disc", radius = 1.5 }, place = { region = [-6, -6, 6, 6] } }]
    walls = [{ name = "bank", points = [[-9, -9], [9, -9], [9, 9], [-9, 9]], closed = true }]
    [[arena.bodies]]
    name = "duck"
    motion = "free"
    mover = { kind = "boat", thrust = 2.0, rudder_wash = 3.0 }
    place = { region = [-6, -6, 6, 6], heading = [-180, 180] }
    [[roles]]
    name = "duck"
    senses = [{ kind = "compass", to = "jetty", reach = 20 }, { kind = "own_motion" },
              { kind = "ray_fan", rays = 5, arc = 180, reach = 6, sees = ["bank"] }]
    [[roles.controls]]
    kind = "choice"
    name = "paddle"
    drives = "throttle"
    options = [{ name = "rest", value = 0.0 }, { name = "go", value = 1.0 }]
    [[roles.controls]]
    kind = "choice"
    name = "turn"
    drives = "rudder"
    options = [{ name = "left", value = 1.0 }, { name = "straight", value = 0.0 }, { name = "right", value = -1.0 }]
    [[roles.rewards]]
    name = "nearer"
    progress = { to = "jetty" }
    [[roles.rewards]]
    name = "home"
    when = { inside = "jetty" }
    ends = "success"
    [[roles.rewards]]
    name = "hurry"
    weight = -0.01
    each_step = "always"
    [cutoffs]
    steps = 60
  )",
                    "duck_pond");
}

std::string mooring_with(const std::string& from, const std::string& to) {
  std::string text = read_file(project_folder() / "demos/mooring.toml");
  const auto at = text.find(from);
  EXPECT_NE(at, std::string::npos) << "the demo has no '" << from << "'";
  return at == std::string::npos ? text : text.replace(at, from.size(), to);
}

ToolResult run_tool(const std::vector<std::string>& arguments) {
  return run_program(with_tool(arguments));
}

ToolResult run_program(const std::vector<std::string>& words) {
  const TemporaryFolder folder;
  ToolResult result;
  result.status = wait_for(start(words, (folder / "out").string(), (folder / "err").string()));
  result.out = read_file(folder / "out");
  result.err = read_file(folder / "err");
  return result;
}

int start_tool(const std::vector<std::string>& arguments) {
  return start_program(with_tool(arguments));
}
int start_program(const std::vector<std::string>& words) {
  return start(words, "/dev/null", "/dev/null");
}

int start_tool(const std::vector<std::string>& arguments, const std::filesystem::path& out,
               const std::filesystem::path& err) {
  return start(with_tool(arguments), out.string(), err.string());
}

int wait_for(int process) {
  int status = 0;
  if (::waitpid(process, &status, 0) != process) return -1;
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

std::string read_file(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

void write_file(const std::filesystem::path& path, const std::string& content) {
  std::ofstream(path, std::ios::binary) << content;
}

void expect_licences(const std::string& page) {
  for (const char* text : {"three.js authors", "Chart.js Contributors",
                           "Permission is hereby granted", "The above copyright notice"})
    EXPECT_NE(page.find(text), std::string::npos) << text;
}

}  // namespace zithercraft::test
