#include "run/checkpoint_pieces.hpp"

#include <algorithm>

#include "base/json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft::run_internal {
namespace {

constexpr const char* pieces_key = "pieces";

std::vector<std::string> places_in(const std::string& noted) {
  try {
    return Json::parse(noted).get<std::vector<std::string>>();
  } catch (const JsonError& error) {
    throw Error(ErrorKind::file, std::string("its list of pieces is damaged: ") + error.what(),
                "last.safetensors", "remove it to go on from a checkpoint that was kept");
  }
}

std::string file_name_of(std::string place) {
  std::replace(place.begin(), place.end(), '/', '.');
  return place + "safetensors";
}

}  // namespace

void CheckpointPieces::store(TensorFile& file, const std::function<void(TensorFile&)>& store) {
  std::map<std::string, std::filesystem::path> needed;
  file.set_keeper([&](const std::string& place, const std::function<TensorFile()>& make) {
    const auto path = folder_ / file_name_of(place);
    if (!needed_.contains(place)) {
      make_folder(folder_);
      make().save(path);
    }
    needed.emplace(place, path);
    return true;
  });
  store(file);
  file.set_keeper({});
  needed_ = std::move(needed);
  if (needed_.empty()) return;
  Json places = Json::array();
  for (const auto& [place, path] : needed_) places.push_back(place);
  file.metadata[pieces_key] = places.dump();
}

void CheckpointPieces::link(TensorFile& file) {
  needed_.clear();
  const auto noted = file.metadata.find(pieces_key);
  if (noted == file.metadata.end()) return;
  for (const std::string& place : places_in(noted->second)) {
    const auto path = folder_ / file_name_of(place);
    if (!std::filesystem::exists(path))
      throw Error(
          ErrorKind::file, "a piece of the checkpoint is missing", path.string(),
          "put it back, or remove last.safetensors to go on from a checkpoint that was kept");
    file.link_part(place, path);
    needed_.emplace(place, path);
  }
}

void CheckpointPieces::tidy() const {
  std::error_code code;
  for (const auto& entry : std::filesystem::directory_iterator(folder_, code)) {
    const bool needed = std::any_of(needed_.begin(), needed_.end(), [&](const auto& one) {
      return one.second.filename() == entry.path().filename();
    });
    if (!needed) std::filesystem::remove(entry.path(), code);
  }
}

void forget_pieces(TensorFile& file) { file.metadata.erase(pieces_key); }

}  // namespace zithercraft::run_internal
