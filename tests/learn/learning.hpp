#pragma once

#include <string>

#include "support.hpp"
#include "zithercraft/learn/ppo.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::test {

/// Everything that a learner would keep in a checkpoint.
inline std::string bytes_of(const Learner& learner) {
  const TemporaryFolder folder;
  TensorFile file;
  learner.store(file);
  file.save(folder / "x");
  return read_file(folder / "x");
}

inline void update(Ppo& learner, int times) {
  for (int i = 0; i < times; ++i) {
    learner.collect();
    learner.improve();
  }
}

}  // namespace zithercraft::test
