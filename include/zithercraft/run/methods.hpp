#pragma once

#include <string>
#include <vector>

#include "zithercraft/learn/method.hpp"

namespace zithercraft {

/// All methods of learning that trainings can name, in the order in which they are listed.
const std::vector<LearningMethod>& learning_methods();
/// The method of a name. Throws Error (usage), with advice, if there is none.
const LearningMethod& learning_method(const std::string& name);
/// Adds a method of one's own: trainings, studies, reports and the tool then know it by its name.
/// To be called before the first training, by one thread. Throws Error (usage) if the name is taken
/// or the method is not complete.
void add_learning_method(LearningMethod method);

}  // namespace zithercraft
