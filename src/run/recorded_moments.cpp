#include "run/recorded_moments.hpp"

#include <stdlib.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>

#include "config/data_file.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/record/replay.hpp"

namespace zithercraft::run_internal {
using namespace config;
namespace {

// A replay that is held inside a game is laid down in a file of its own while it is read.
class ReplayFile {
 public:
  ReplayFile(const std::string& name, const std::string& where) : path_(name) {
    if (!is_data_url(name)) return;
    const auto bytes = read_data(name, where);
    std::string name_of_own =
        (std::filesystem::temp_directory_path() / "zithercraft-XXXXXX").string();
    const int file = ::mkstemp(name_of_own.data());
    if (file < 0)
      throw Error(ErrorKind::file, "no temporary file can be made for the replay held in the game",
                  where, "make room in the folder for temporary files");
    ::close(file);
    path_ = name_of_own;
    temporary_ = true;
    write_atomically(path_,
                     std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  }
  ~ReplayFile() {
    std::error_code code;
    if (temporary_) std::filesystem::remove(path_, code);
  }
  ReplayFile(const ReplayFile&) = delete;
  ReplayFile& operator=(const ReplayFile&) = delete;
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
  bool temporary_ = false;
};

}  // namespace

std::vector<std::vector<std::byte>> recorded_moments(const RecordedStart& start,
                                                     const std::string& where) {
  const ReplayFile file(start.replay, where + ".replay");
  Replay replay(file.path());
  const auto episode = static_cast<std::size_t>(start.episode);
  if (episode >= replay.episodes().size())
    throw Error(
        ErrorKind::spec,
        "the replay has " + std::to_string(replay.episodes().size()) + " episodes, counted from 0",
        where + ".episode", "choose one of them");
  const std::uint32_t moments = replay.episodes()[episode].moments;
  // The last moment is an episode's end, from which nothing continues.
  const std::int64_t last = start.to > 0 ? start.to : static_cast<std::int64_t>(moments) - 2;
  if (last > static_cast<std::int64_t>(moments) - 2 || start.from > last)
    throw Error(ErrorKind::spec,
                "the episode has " + std::to_string(moments - 1) + " steps, and moments from " +
                    std::to_string(start.from) + " to " + std::to_string(last) + " were asked for",
                where, "choose `from` and `to` within it");
  constexpr std::int64_t most = 1024;  // beyond that, evenly spread ones do
  const std::int64_t stride = std::max<std::int64_t>(1, (last - start.from + 1) / most);
  std::vector<std::vector<std::byte>> states;
  for (std::int64_t step = start.from; step <= last; step += stride)
    states.push_back(replay.moment(episode, static_cast<std::uint32_t>(step)).state);
  return states;
}

}  // namespace zithercraft::run_internal
