#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace zithercraft::config {

/// One step of a key path: a word, or a number in brackets.
struct KeyStep {
  std::string word;
  std::int64_t index = -1;  // of a list; -1 for a word
};

/// Takes "bodies.hull.place.region[0]" apart. Throws Error (spec), naming `where`, if a bracket
/// holds no number.
std::vector<KeyStep> key_steps(const std::string& path, const std::string& where);

}  // namespace zithercraft::config
