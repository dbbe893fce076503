#pragma once

#include <string>
#include <vector>

#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/player_source.hpp"
#include "zithercraft/run/run.hpp"

namespace zithercraft {

/// What plays of a run's checkpoint, without what training needs: a small file that `Policy::load`
/// reads. The latest policies, or the average ones; of a mixture the latest and all past ones, as
/// `past_members` reads them. `checkpoint`: "last" or a kept one's name. Throws Error (usage, file)
/// if there is no such checkpoint, (refused) if it has no past policies where they are asked for.
TensorFile exported_policies(const Run& run, const std::string& checkpoint = "last",
                             TrainedAs as = TrainedAs::latest);

/// All policies that a checkpoint holds, that of the first role first.
std::vector<Policy> policies_in(const TensorFile& checkpoint);

}  // namespace zithercraft
