#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <string>

#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::run_internal {

/// What a run's last checkpoint keeps in files of their own, because it is large and never changes:
/// steps that are learned from. So a checkpoint costs what is new since the one before.
class CheckpointPieces {
 public:
  /// `folder`: that of the pieces; it is made when there is one.
  explicit CheckpointPieces(std::filesystem::path folder) : folder_(std::move(folder)) {}

  /// Fills in a checkpoint by `store`, writes the pieces that are new, and notes which it needs.
  void store(TensorFile& file, const std::function<void(TensorFile&)>& store);
  /// Lets a checkpoint find its pieces. Throws Error (file) if one is missing.
  void link(TensorFile& file);
  /// Removes those that the checkpoint last stored or linked does not need.
  void tidy() const;

 private:
  std::filesystem::path folder_;
  std::map<std::string, std::filesystem::path> needed_{};  // by place in the checkpoint
};

/// Takes the note of what a checkpoint needs out of it.
void forget_pieces(TensorFile& file);

}  // namespace zithercraft::run_internal
