#include "zithercraft/net/policy.hpp"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <utility>

#include "../base/signature_json.hpp"
#include "network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/normaliser.hpp"

namespace zithercraft {

using nlohmann::json;

namespace {

constexpr std::size_t tile = 64;  // rows decided at a time

template <class Item>
std::string list_difference(const std::string& what, const std::vector<Item>& wanted, const std::vector<Item>& found) {
  for (std::size_t i = 0; i < std::max(wanted.size(), found.size()); ++i) {
    const std::string at = what + " " + std::to_string(i + 1) + " ";
    if (i >= found.size()) return at + "'" + wanted[i].name + "' is in the game but not in the checkpoint";
    if (i >= wanted.size()) return at + "'" + found[i].name + "' is in the checkpoint but not in the game";
    if (wanted[i].name != found[i].name)
      return at + "is '" + wanted[i].name + "' in the game and '" + found[i].name + "' in the checkpoint";
    if (!(wanted[i] == found[i])) return at + "'" + wanted[i].name + "' has another unit, range or options";
  }
  return {};
}

std::string widths_text(const std::vector<std::size_t>& widths) {
  std::string text;
  for (const std::size_t w : widths) text += (text.empty() ? "" : " x ") + std::to_string(w);
  return text.empty() ? "none" : text;
}

}  // namespace

void PolicySignature::store(TensorFile& file) const {
  file.metadata["role"] = role;
  file.metadata["columns"] = json(columns).dump();
  file.metadata["controls"] = json(controls).dump();
  file.metadata["policy_widths"] = json(policy_widths).dump();
  file.metadata["value_widths"] = json(value_widths).dump();
}

PolicySignature PolicySignature::from(const TensorFile& file) {
  try {
    PolicySignature s;
    s.role = file.text("role");
    s.columns = json::parse(file.text("columns")).get<std::vector<Column>>();
    s.controls = json::parse(file.text("controls")).get<std::vector<ControlInfo>>();
    s.policy_widths = json::parse(file.text("policy_widths")).get<std::vector<std::size_t>>();
    s.value_widths = json::parse(file.text("value_widths")).get<std::vector<std::size_t>>();
    return s;
  } catch (const json::exception&) {
    throw Error(Fault::file, "the signature of the policy cannot be understood", "checkpoint",
                "take another checkpoint");
  }
}

std::string first_difference(const PolicySignature& wanted, const PolicySignature& found) {
  if (auto d = list_difference("column", wanted.columns, found.columns); !d.empty()) return d;
  if (auto d = list_difference("control", wanted.controls, found.controls); !d.empty()) return d;
  if (wanted.policy_widths != found.policy_widths)
    return "the policy network's hidden layers are " + widths_text(wanted.policy_widths) + " here and " +
           widths_text(found.policy_widths) + " in the checkpoint";
  if (wanted.value_widths != found.value_widths)
    return "the value network's hidden layers are " + widths_text(wanted.value_widths) + " here and " +
           widths_text(found.value_widths) + " in the checkpoint";
  if (wanted.role != found.role)
    return "the role is '" + wanted.role + "' in the game and '" + found.role + "' in the checkpoint";
  return {};
}

struct Policy::Weights {
  PolicySignature signature;
  Heads heads;
  Mlp<float> policy, value;
  AlignedBuffer<float> policy_parameters, value_parameters;
  std::vector<float> log_spread;
  Normaliser normaliser;
};

struct Policy::Room {
  explicit Room(const Weights& w)
      : senses(tile * w.signature.columns.size()),
        policy(w.policy.workspace(tile)),
        value(w.value.workspace(tile)),
        decision(w.signature.controls.size()) {}
  AlignedBuffer<float> senses;
  Mlp<float>::Workspace policy, value;
  std::vector<float> decision;
};

Policy Policy::load(const std::filesystem::path& checkpoint) { return from(TensorFile::load(checkpoint)); }

Policy Policy::from(const TensorFile& file) {
  auto w = std::make_shared<Weights>();
  w->signature = PolicySignature::from(file);
  const auto& s = w->signature;
  w->heads = Heads(s.controls);
  w->policy = Mlp<float>(widths_of(s.columns.size(), s.policy_widths, w->heads.outputs()));
  w->value = Mlp<float>(widths_of(s.columns.size(), s.value_widths, 1));
  w->policy_parameters = AlignedBuffer<float>(w->policy.parameters());
  w->value_parameters = AlignedBuffer<float>(w->value.parameters());
  fetch_network(file, "policy", w->policy, w->policy_parameters.span());
  fetch_network(file, "value", w->value, w->value_parameters.span());
  w->log_spread.resize(w->heads.dials());
  if (!w->log_spread.empty()) file.get("policy.log_spread", w->log_spread);
  w->normaliser = Normaliser(file.doubles("normaliser.count").at(0), file.doubles("normaliser.mean"),
                             file.doubles("normaliser.deviation"));
  if (w->normaliser.columns() != s.columns.size())
    throw Error(Fault::file, "the normaliser does not fit the columns", "checkpoint", "take another checkpoint");
  return Policy(std::move(w));
}

Policy::Policy(std::shared_ptr<const Weights> weights)
    : weights_(std::move(weights)), room_(std::make_unique<Room>(*weights_)) {}
Policy::Policy(const Policy& other) : Policy(other.weights_) {}
Policy::Policy(Policy&&) noexcept = default;
Policy& Policy::operator=(Policy other) noexcept {
  std::swap(weights_, other.weights_);
  std::swap(room_, other.room_);
  return *this;
}
Policy::~Policy() = default;

const PolicySignature& Policy::signature() const noexcept { return weights_->signature; }

template <class Decide>
void Policy::each_tile(std::span<const float> senses, std::span<float> controls, Decide decide) {
  const Weights& w = *weights_;
  const std::size_t in = columns(), out = this->controls(), rows = senses.size() / in;
  if (senses.size() != rows * in || controls.size() != rows * out)
    throw Error(Fault::usage,
                std::to_string(senses.size()) + " senses and " + std::to_string(controls.size()) +
                    " controls do not fit a policy of " + std::to_string(in) + " columns and " + std::to_string(out) +
                    " controls",
                "Policy::decide", "give whole rows, as many of one as of the other");
  for (std::size_t first = 0; first < rows; first += tile) {
    const std::size_t n = std::min(tile, rows - first);
    w.normaliser.apply(senses.subspan(first * in, n * in), room_->senses.span().first(n * in));
    const auto outputs = w.policy.forward(w.policy_parameters.span(), room_->senses.span(), n, room_->policy);
    for (std::size_t r = 0; r < n; ++r) {
      decide(outputs.subspan(r * w.heads.outputs(), w.heads.outputs()), room_->decision);
      w.heads.controls_of(room_->decision, controls.subspan((first + r) * out, out));
    }
  }
}

void Policy::decide(std::span<const float> senses, std::span<float> controls) {
  each_tile(senses, controls, [&](std::span<const float> outputs, std::span<float> decision) {
    weights_->heads.greedy(outputs, decision);
  });
}

void Policy::decide(std::span<const float> senses, std::span<float> controls, RandomStream& random) {
  each_tile(senses, controls, [&](std::span<const float> outputs, std::span<float> decision) {
    weights_->heads.sample(outputs, weights_->log_spread, random, decision);
  });
}

void Policy::values(std::span<const float> senses, std::span<float> values) {
  const Weights& w = *weights_;
  const std::size_t in = columns(), rows = senses.size() / in;
  if (senses.size() != rows * in || values.size() != rows)
    throw Error(Fault::usage, "the spans do not fit", "Policy::values", "give whole rows and one value for each");
  for (std::size_t first = 0; first < rows; first += tile) {
    const std::size_t n = std::min(tile, rows - first);
    w.normaliser.apply(senses.subspan(first * in, n * in), room_->senses.span().first(n * in));
    const auto outputs = w.value.forward(w.value_parameters.span(), room_->senses.span(), n, room_->value);
    std::copy_n(outputs.begin(), n, values.begin() + static_cast<std::ptrdiff_t>(first));
  }
}

void Policy::odds(std::span<const float> senses, std::span<float> odds) {
  const Weights& w = *weights_;
  const std::size_t in = columns(), rows = senses.size() / in, out = odds_of(w.signature.controls);
  if (senses.size() != rows * in || odds.size() != rows * out)
    throw Error(Fault::usage, "the spans do not fit", "Policy::odds", "give whole rows and their odds' room");
  for (std::size_t first = 0; first < rows; first += tile) {
    const std::size_t n = std::min(tile, rows - first);
    w.normaliser.apply(senses.subspan(first * in, n * in), room_->senses.span().first(n * in));
    const auto outputs = w.policy.forward(w.policy_parameters.span(), room_->senses.span(), n, room_->policy);
    for (std::size_t r = 0; r < n; ++r)
      w.heads.odds(outputs.subspan(r * w.heads.outputs(), w.heads.outputs()), w.log_spread,
                   odds.subspan((first + r) * out, out));
  }
}

}  // namespace zithercraft
