#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/signature.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft {

/// A bin of a column in words: "compass.distance 2.0 to 4.0 m", "window[1,0].bank yes".
std::string bin_text(const Column& column, std::span<const float> edges, std::size_t bin);
/// The same without the column's name: "2.0 to 4.0 m", "yes".
std::string range_text(const Column& column, std::span<const float> edges, std::size_t bin);
/// What the options of each combination are called: "ahead", or of several choices "left, fire".
std::vector<std::string> combination_names(const std::vector<ControlInfo>& controls);
/// A table's state in words, without the columns that tell nothing.
std::string state_text(const Policy& policy, std::size_t row);
/// The table of a policy that is one, as comma-separated values (RFC 4180): a line for each state,
/// those met most often first, with the bin of each column in words, how often something was
/// learned there, and what each combination of options is worth. Throws Error (usage) if the policy
/// has no table.
std::string table_csv(const Policy& policy);

}  // namespace zithercraft
