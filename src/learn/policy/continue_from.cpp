#include <algorithm>
#include <cmath>
#include <map>

#include "learn/policy/policy_learner.hpp"
#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"

// An old skill in a changed game. Every number of a network belongs to a row and a column that have
// names: senses, controls, or plain numbers inside. What has the same names in the old network is
// taken from there.

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

using Names = std::vector<std::string>;

Names numbered(std::size_t n, const std::string& prefix = "") {
  Names names;
  for (std::size_t i = 0; i < n; ++i) names.push_back(prefix + std::to_string(i));
  return names;
}

// What the first layer behind the fronts reads.
Names features_of(const NetworkPlan& plan, const Names& columns) {
  std::vector<bool> read(plan.columns);
  Names behind;
  for (const PictureFront& front : plan.pictures) {
    for (const std::uint32_t c : front.columns) read[c] = true;
    std::size_t height = front.height, width = front.width, filters = front.channels;
    for (const ConvolutionLayer& layer : front.layers) {
      height = after_convolution(height, layer);
      width = after_convolution(width, layer);
      filters = static_cast<std::size_t>(layer.filters);
    }
    // The size is part of the name: places of a picture of another size are other places.
    const Names own = numbered(height * width * filters, front.name + " " + std::to_string(height) +
                                                             "x" + std::to_string(width) + " ");
    behind.insert(behind.end(), own.begin(), own.end());
  }
  for (const CrowdFront& front : plan.crowds) {
    for (const std::uint32_t c : front.columns) read[c] = true;
    const Names own = numbered(front.width * front.queries, front.name + " ");
    behind.insert(behind.end(), own.begin(), own.end());
  }
  Names names;
  for (std::size_t c = 0; c < plan.columns; ++c)
    if (!read[c]) names.push_back(columns[c]);
  names.insert(names.end(), behind.begin(), behind.end());
  return names;
}

Names outputs_of(const std::vector<ControlInfo>& controls, std::size_t outputs) {
  Names names;
  for (const ControlInfo& control : controls) {
    if (!control.is_choice()) names.push_back(control.name);
    for (const auto& option : control.options) names.push_back(control.name + "." + option);
  }
  if (names.size() < outputs) names.push_back("value");
  return names;
}

template <class Item>
Names names_of(const std::vector<Item>& items) {
  Names names;
  for (const auto& item : items) names.push_back(item.name);
  return names;
}

// Names of rows and columns of the parts of one network.
struct Naming {
  static Naming of_policy(const PolicySignature& s) {
    return {s.policy, names_of(s.columns), outputs_of(s.controls, s.policy.outputs)};
  }
  static Naming of_value(const PolicySignature& s) {
    return {s.value, s.seen.empty() ? names_of(s.columns) : s.seen, {"value"}};
  }
  // Combinations of choices have no names of their own: they are the same if the choices are.
  static Naming of_credit(const PolicySignature& s) {
    std::string choices;
    for (const auto& name : outputs_of(s.controls, 0)) choices += name + " ";
    return {s.credit, s.seen, numbered(s.credit.outputs, choices)};
  }
  Naming(const NetworkPlan& plan_, const Names& columns, Names outputs_)
      : plan(plan_), features(features_of(plan, columns)), outputs(std::move(outputs_)) {}

  Names columns_of(const NetworkPart& part) const {
    const bool first = part.name == "hidden.0.weight" ||
                       (plan.hidden.empty() && is_sensed_weight(part.name)) ||
                       (plan.hidden.empty() && plan.memory == 0 && part.name == "output.weight");
    if (first) return features;
    if (part.name == "output.bias") return outputs;
    return numbered(part.width);
  }
  Names rows_of(const NetworkPart& part) const {
    return part.name == "output.weight" ? outputs : numbered(part.rows);
  }

  NetworkPlan plan;
  Names features, outputs;

 private:
  static bool is_sensed_weight(const std::string& name) {
    return name.starts_with("memory.") && name.ends_with(".weight");
  }
};

std::map<std::string, std::size_t> places_of(const Names& names) {
  std::map<std::string, std::size_t> places;
  for (std::size_t i = 0; i < names.size(); ++i) places.emplace(names[i], i);
  return places;
}

constexpr std::size_t nowhere = static_cast<std::size_t>(-1);

// For each of the new names where it stands among the old ones.
std::vector<std::size_t> matches(const Names& now, const Names& before) {
  const auto places = places_of(before);
  std::vector<std::size_t> found;
  for (const auto& name : now) {
    const auto at = places.find(name);
    found.push_back(at == places.end() ? nowhere : at->second);
  }
  return found;
}

void take_network(const TensorFile& file, const std::string& prefix, const Network<float>& net,
                  const Naming& now, const Naming& before, std::span<float> parameters,
                  Continuation& report) {
  const Network<float> old_net(before.plan);
  for (const NetworkPart& part : net.parts()) {
    report.parts.push_back(
        {prefix + "." + part.name, Continuation::Taken::none, 0, part.rows * part.width});
    Continuation::Part& taken = report.parts.back();
    const auto old = std::find_if(old_net.parts().begin(), old_net.parts().end(),
                                  [&](const NetworkPart& p) { return p.name == part.name; });
    if (old == old_net.parts().end()) continue;
    std::vector<float> numbers(old->rows * old->width);
    file.get(prefix + "." + part.name, numbers);
    const auto rows = matches(now.rows_of(part), before.rows_of(*old)),
               columns = matches(now.columns_of(part), before.columns_of(*old));
    for (std::size_t r = 0; r < part.rows; ++r)
      for (std::size_t c = 0; c < part.width; ++c) {
        if (rows[r] == nowhere || columns[c] == nowhere) continue;
        parameters[part.offset + r * part.stride + c] = numbers[rows[r] * old->width + columns[c]];
        ++taken.numbers;
      }
    taken.taken = taken.numbers == taken.of ? Continuation::Taken::all
                  : taken.numbers > 0       ? Continuation::Taken::part
                                            : Continuation::Taken::none;
  }
}

Names missing_in(const Names& names, const Names& others) {
  Names missing;
  const auto found = matches(names, others);
  for (std::size_t i = 0; i < names.size(); ++i)
    if (found[i] == nowhere) missing.push_back(names[i]);
  return missing;
}

Names dials_of(const std::vector<ControlInfo>& controls) {
  Names names;
  for (const auto& control : controls)
    if (!control.is_choice()) names.push_back(control.name);
  return names;
}

}  // namespace

Continuation PolicyLearner::continue_from(const TensorFile& file) {
  const PolicySignature before = PolicySignature::from(file);
  if (before.tabular)
    throw Error(ErrorKind::refused, "what was trained before is a table and has no network",
                "checkpoint", "continue it by q_table, or begin afresh");
  Continuation report;
  const Names columns = names_of(signature_.columns), old_columns = names_of(before.columns),
              controls = names_of(signature_.controls), old_controls = names_of(before.controls);
  report.new_columns = missing_in(columns, old_columns);
  report.lost_columns = missing_in(old_columns, columns);
  report.new_controls = missing_in(controls, old_controls);
  report.lost_controls = missing_in(old_controls, controls);
  if (report.new_columns.size() == columns.size() || report.new_controls.size() == controls.size())
    throw Error(
        ErrorKind::refused,
        "the checkpoint's policy has no " +
            std::string(report.new_columns.size() == columns.size() ? "column" : "control") +
            " in common with the game",
        "checkpoint", "continue a policy of a game that is more alike");

  take_network(file, "policy", nets_.policy, Naming::of_policy(signature_),
               Naming::of_policy(before), nets_.policy_part(parameters_.span()), report);
  if (!nets_.shared && before.value.columns > 0)
    take_network(file, "value", nets_.value, Naming::of_value(signature_), Naming::of_value(before),
                 nets_.value_part(parameters_.span()), report);
  if (nets_.credits && before.credit.columns > 0)
    take_network(file, "credit", nets_.credit, Naming::of_credit(signature_),
                 Naming::of_credit(before), nets_.credit_part(parameters_.span()), report);
  take_spread(file, before);
  take_value_scale(file);
  parameters_changed();
  take_statistics(file, before);
  return report;
}

// A policy that is sure of itself would not find what is new: dials begin at least half as spread
// as fresh ones.
void PolicyLearner::take_spread(const TensorFile& file, const PolicySignature& before) {
  const Names dials = dials_of(signature_.controls);
  const auto old_dials = matches(dials, dials_of(before.controls));
  std::vector<float> stddev(dials_of(before.controls).size());
  if (!stddev.empty()) file.get("policy.log_stddev", stddev);
  const auto least = static_cast<float>(std::log(0.5 * *settings_.first_stddev));
  for (std::size_t d = 0; d < dials.size(); ++d)
    if (old_dials[d] != nowhere)
      nets_.stddev_part(parameters_.span())[d] = std::max(least, stddev[old_dials[d]]);
}

void PolicyLearner::take_value_scale(const TensorFile& file) {
  const auto scale = file.doubles("value.scale");
  if (scale.size() != 4) return;
  if (settings_.normalise_returns) {
    value_scale_.restore(scale);
  } else if (!nets_.shared) {  // the last layer takes over what the scale did
    change_output(nets_.value.parts(), nets_.value_part(parameters_.span()), 0,
                  {scale[1], scale[0]});
    for (std::size_t output = 0; nets_.credits && output < nets_.credit.outputs(); ++output)
      change_output(nets_.credit.parts(), nets_.credit_part(parameters_.span()), output,
                    {scale[1], scale[0]});
  }
}

// The old senses' statistics count as one rollout's, so that what has changed is soon noticed; new
// columns begin with mean 0 and standard deviation 1.
void PolicyLearner::take_statistics(const TensorFile& file, const PolicySignature& before) {
  const Normaliser old = fetch_normaliser(file, before.policy);
  const auto found = matches(names_of(signature_.columns), names_of(before.columns));
  const double count = std::min(old.count(), static_cast<double>(rollout_.samples()));
  if (count <= 0.0) return;
  std::vector<double> mean(found.size()), deviation(found.size(), count);
  for (std::size_t c = 0; c < found.size(); ++c) {
    if (found[c] == nowhere) continue;
    mean[c] = old.mean()[found[c]];
    deviation[c] = old.deviation()[found[c]] / old.count() * count;
  }
  normaliser_.set(count, std::move(mean), std::move(deviation));
}

}  // namespace zithercraft::learn_internal
