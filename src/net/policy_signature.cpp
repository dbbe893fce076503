#include <algorithm>

#include "base/json.hpp"
#include "base/signature_json.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/policy.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {

namespace {

template <class Item>
std::string list_difference(const std::string& what, const std::vector<Item>& wanted,
                            const std::vector<Item>& found) {
  for (std::size_t i = 0; i < std::max(wanted.size(), found.size()); ++i) {
    const std::string at = what + " " + std::to_string(i + 1) + " ";
    if (i >= found.size())
      return at + "'" + wanted[i].name + "' is in the game but not in the checkpoint";
    if (i >= wanted.size())
      return at + "'" + found[i].name + "' is in the checkpoint but not in the game";
    if (wanted[i].name != found[i].name)
      return at + "is '" + wanted[i].name + "' in the game and '" + found[i].name +
             "' in the checkpoint";
    if (!(wanted[i] == found[i]))
      return at + "'" + wanted[i].name + "' has another unit, range or options";
  }
  return {};
}

bool fits(const PolicySignature& s) {
  const bool shared = s.value.columns == 0;
  const Heads heads(s.controls, s.columns);
  const std::size_t outputs = heads.outputs();
  if (s.tabular && !s.rates) return false;
  if (s.rates || s.squashed) {
    const bool spread = s.policy.outputs == outputs + heads.dials();
    return !(s.rates && (s.squashed || heads.dials() > 0)) && !s.grown && s.seen.empty() &&
           s.value.columns == 0 && s.credit.columns == 0 && s.policy.columns == s.columns.size() &&
           (s.policy.outputs == outputs || (s.squashed && spread));
  }
  const bool guesses = s.policy.outputs == outputs + 1;
  if (s.policy.columns != s.columns.size() || (s.policy.outputs != outputs && !guesses))
    return false;
  if (s.grown) return shared && !guesses && s.seen.empty();
  if (guesses && !shared && s.seen.empty()) return false;
  if (!shared && s.value.outputs != 1) return false;
  if (s.seen.empty())
    return (shared || s.value.columns == s.columns.size()) && s.credit.columns == 0;
  return s.value.columns > s.columns.size() && s.value.columns <= s.seen.size() &&
         (s.credit.columns == 0 || s.credit.columns == s.seen.size());
}

}  // namespace

PolicySignature PolicySignature::without_judges() const {
  PolicySignature alone = *this;
  alone.value = alone.credit = {};
  alone.seen.clear();
  return alone;
}

void PolicySignature::store(TensorFile& file) const {
  file.metadata["role"] = role;
  file.metadata["columns"] = Json(columns).sorted().dump();
  file.metadata["controls"] = Json(controls).sorted().dump();
  file.metadata["policy"] = policy.to_json();
  if (value.columns > 0) file.metadata["value"] = value.to_json();
  if (credit.columns > 0) file.metadata["credit"] = credit.to_json();
  if (grown) file.metadata["grown"] = "true";
  if (sampled) file.metadata["sampled"] = "true";
  if (rates) file.metadata["rates"] = "true";
  if (tabular) file.metadata["tabular"] = "true";
  if (squashed) file.metadata["squashed"] = "true";
  if (!seen.empty()) file.metadata["seen"] = Json(seen).dump();
}

PolicySignature PolicySignature::from(const TensorFile& file) {
  try {
    PolicySignature s;
    s.role = file.text("role");
    s.columns = Json::parse(file.text("columns")).get<std::vector<Column>>();
    s.controls = Json::parse(file.text("controls")).get<std::vector<ControlInfo>>();
    s.policy = NetworkPlan::from_json(file.text("policy"));
    if (file.metadata.contains("value")) s.value = NetworkPlan::from_json(file.text("value"));
    if (file.metadata.contains("credit")) s.credit = NetworkPlan::from_json(file.text("credit"));
    if (file.metadata.contains("seen"))
      s.seen = Json::parse(file.text("seen")).get<std::vector<std::string>>();
    s.grown = file.metadata.contains("grown");
    s.rates = file.metadata.contains("rates");
    s.squashed = file.metadata.contains("squashed");
    s.tabular = file.metadata.contains("tabular");
    s.sampled = file.metadata.contains("sampled");
    if (fits(s)) return s;
  } catch (const JsonError&) {
  }
  throw Error(ErrorKind::file, "the signature of the policy cannot be understood", "checkpoint",
              "take another checkpoint");
}

std::string first_difference(const PolicySignature& wanted, const PolicySignature& found) {
  if (auto d = list_difference("column", wanted.columns, found.columns); !d.empty()) return d;
  if (auto d = list_difference("control", wanted.controls, found.controls); !d.empty()) return d;
  if (wanted.grown != found.grown)
    return std::string("the policy network has grown ") +
           (wanted.grown ? "here" : "in the checkpoint") + " only";
  if (wanted.rates != found.rates)
    return std::string("the policy rates options ") +
           (wanted.rates ? "here" : "in the checkpoint") + " only";
  if (wanted.tabular != found.tabular)
    return std::string("the policy is a table ") + (wanted.tabular ? "here" : "in the checkpoint") +
           " only";
  if (wanted.squashed != found.squashed)
    return std::string("the policy squashes its dials ") +
           (wanted.squashed ? "here" : "in the checkpoint") + " only";
  if (auto d = first_difference(wanted.policy, found.policy); !d.empty())
    return "the policy network: " + d;
  if ((wanted.value.columns == 0) != (found.value.columns == 0))
    return std::string("policy and value share a network ") +
           (wanted.value.columns == 0 ? "here" : "in the checkpoint") + " only";
  if (auto d = first_difference(wanted.value, found.value); !d.empty())
    return "the value network: " + d;
  for (std::size_t i = 0; i < std::max(wanted.seen.size(), found.seen.size()); ++i)
    if (i >= wanted.seen.size() || i >= found.seen.size() || wanted.seen[i] != found.seen[i])
      return "the value network sees others differently, from column " + std::to_string(i + 1) +
             " on";
  if (auto d = first_difference(wanted.credit, found.credit); !d.empty())
    return "the credit network: " + d;
  if (wanted.role != found.role)
    return "the role is '" + wanted.role + "' in the game and '" + found.role +
           "' in the checkpoint";
  return {};
}

}  // namespace zithercraft
