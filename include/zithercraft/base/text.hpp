#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// The candidate with the fewest edits from `word`; empty if there are no candidates.
std::string nearest(std::string_view word, std::span<const std::string> candidates);

/// "a, b and c".
std::string listed(std::span<const std::string> words);

/// Advice for an unknown word: "did you mean 'x'?" or "known are a, b and c" where nothing is near.
std::string advice(std::string_view word, std::span<const std::string> candidates);

}  // namespace zithercraft
