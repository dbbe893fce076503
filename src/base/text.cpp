#include "zithercraft/base/text.hpp"

#include <algorithm>
#include <numeric>

namespace zithercraft {
namespace {

// Levenshtein distance, one row at a time.
std::size_t edits(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i + 1;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t swapped = diagonal + (a[i] == b[j] ? 0 : 1);
      diagonal = row[j + 1];
      row[j + 1] = std::min({row[j] + 1, row[j + 1] + 1, swapped});
    }
  }
  return row.back();
}

}  // namespace

std::string nearest(std::string_view word, std::span<const std::string> candidates) {
  const auto best = std::min_element(
      candidates.begin(), candidates.end(),
      [&](const auto& a, const auto& b) { return edits(word, a) < edits(word, b); });
  return best == candidates.end() ? std::string{} : *best;
}

std::string listed(std::span<const std::string> words) {
  std::string line;
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (i > 0) line += i + 1 == words.size() ? " and " : ", ";
    line += words[i];
  }
  return line;
}

std::string advice(std::string_view word, std::span<const std::string> candidates) {
  if (candidates.empty()) return "none are known here";
  const std::string near = nearest(word, candidates);
  if (edits(word, near) <= std::max<std::size_t>(2, word.size() / 2))
    return "did you mean '" + near + "'?";
  return "known are " + listed(candidates);
}

}  // namespace zithercraft
