#include "zithercraft/net/policy.hpp"

#include <algorithm>
#include <optional>
#include <utility>

#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/normaliser.hpp"
#include "zithercraft/net/state_table.hpp"

namespace zithercraft {
using namespace net_internal;

namespace {

constexpr std::size_t tile = 64;  // rows decided at a time

}  // namespace

struct Policy::Weights {
  PolicySignature signature;
  Heads heads;
  Network<float> policy, value;
  // In place of the policy network, one of these.
  std::optional<NetworkGraph> graph;
  std::optional<StateTable> table;
  GraphProgram program;
  bool shared = false;
  AlignedBuffer<float> policy_parameters, policy_prepared, value_parameters, value_prepared;
  std::vector<float> log_stddev;
  Normaliser normaliser;
  float value_mean = 0.0f, value_stddev = 1.0f;

  // Standard deviations of sampled dials; squashed ones may have others in each row.
  std::span<const float> spread(std::span<const float> outputs, std::span<float> room) const {
    if (!signature.squashed || outputs.size() == heads.outputs()) return log_stddev;
    for (std::size_t d = 0; d < heads.dials(); ++d)
      room[d] =
          std::clamp(outputs[heads.outputs() + d], Heads::least_log_stddev, Heads::most_log_stddev);
    return room;
  }
  // What each option is worth in a row of the table: its best combination with options of the other
  // choices that are allowed. All options of the best combination of all are the best ones of their
  // choices.
  void read_row(std::size_t number, std::span<const float> senses, std::span<float> allowed,
                std::span<float> row, std::span<float> options) const {
    if (number == StateTable::none)
      std::fill(row.begin(), row.end(), table->first_value());
    else
      table->mean_row(number, row);
    heads.read_masks(senses, allowed);
    std::fill(options.begin(), options.end(), 0.0f);
    heads.forbid<float>(allowed, options);
    heads.read_combinations(row, options);
  }
  bool own_value() const {
    return !shared && signature.value.columns > 0 && signature.seen.empty();
  }
  bool network() const { return !graph && !table; }
  std::size_t policy_memory() const {
    return graph ? program.memory(0) : table ? 0 : policy.memory_stride();
  }
  std::size_t value_memory() const {
    return shared ? policy.memory_stride() : own_value() ? value.memory_stride() : 0;
  }
};

struct Policy::Room {
  explicit Room(const Weights& w)
      : senses(w.network() ? tile * w.policy.input_stride() : w.signature.columns.size()),
        graph(w.program.scratch_size()),
        action(w.signature.controls.size()),
        allowed(w.heads.masks()),
        memory(tile * std::max(w.policy_memory(), w.value_memory())),
        outputs(w.network() ? 0 : w.signature.policy.outputs),
        log_stddev(w.heads.dials()) {
    if (w.network()) policy = w.policy.workspace(tile);
    if (w.table) {
      key.resize(w.table->words());
      row.resize(w.table->combinations());
    }
    if (w.own_value()) value = w.value.workspace(tile);
  }
  AlignedBuffer<float> senses;
  Network<float>::Workspace policy, value;
  std::vector<float> graph, action, allowed;
  AlignedBuffer<float> memory;
  std::vector<float> outputs, log_stddev, row;
  std::vector<std::uint64_t> key;
};

Policy Policy::load(const std::filesystem::path& checkpoint) {
  return from(TensorFile::load(checkpoint));
}

std::optional<std::string> find_policy_place(const TensorFile& checkpoint, const std::string& role,
                                             const std::string& or_role) {
  const std::string first = PolicySignature::from(checkpoint).role;
  for (const std::string& name : {role, or_role}) {
    if (name.empty()) continue;
    if (name == first) return std::string{};
    if (std::string place = policy_place(name); checkpoint.has_part(place)) return place;
  }
  return std::nullopt;
}

std::string policy_place(const TensorFile& checkpoint, const std::string& role,
                         const std::string& or_role, const std::string& source) {
  if (auto place = find_policy_place(checkpoint, role, or_role)) return *std::move(place);
  throw Error(ErrorKind::refused, "the checkpoint has no policy for the role '" + role + "'",
              source, "take one that was trained with the role learning");
}

namespace {

Policy policy_of(const TensorFile& file, const std::string& role, const std::string& or_role,
                 const std::string& source) {
  return Policy::from(file.part(policy_place(file, role, or_role, source)));
}

}  // namespace

Policy Policy::load(const std::filesystem::path& checkpoint, const std::string& role,
                    const std::string& or_role) {
  return policy_of(TensorFile::load(checkpoint), role, or_role, checkpoint.string());
}

Policy Policy::from(const TensorFile& file, const std::string& role, const std::string& or_role) {
  return policy_of(file, role, or_role, "checkpoint");
}

Policy Policy::from(const TensorFile& file) {
  auto w = std::make_shared<Weights>();
  w->signature = PolicySignature::from(file);
  const auto& s = w->signature;
  w->heads = Heads(s.controls, s.columns);
  // Of a value network that saw what others sensed there is no use here; the policy network may
  // guess the value too.
  w->shared = !s.squashed && s.policy.outputs > w->heads.outputs();
  const auto fetch = [&](const std::string& prefix, const NetworkPlan& plan, Network<float>& net,
                         AlignedBuffer<float>& parameters, AlignedBuffer<float>& prepared) {
    net = Network<float>(plan);
    parameters = AlignedBuffer<float>(net.parameters());
    prepared = AlignedBuffer<float>(net.prepared());
    fetch_network(file, prefix, net, parameters.span());
    net.prepare(parameters.span(), prepared.span());
  };
  if (s.tabular) {
    w->table = StateTable::from(file, s.columns.size(), w->heads.combinations());
  } else if (s.grown) {
    w->graph = fetch_graph(file, s.policy);
    w->program.add(*w->graph);
  } else {
    fetch("policy", s.policy, w->policy, w->policy_parameters, w->policy_prepared);
  }
  if (w->own_value()) fetch("value", s.value, w->value, w->value_parameters, w->value_prepared);
  w->log_stddev.resize(w->heads.dials());
  if (!w->log_stddev.empty()) file.get("policy.log_stddev", w->log_stddev);
  if (!s.tabular) w->normaliser = fetch_normaliser(file, s.policy);
  const auto scale = file.doubles("value.scale");
  if (scale.size() < 2)
    throw Error(ErrorKind::file, "the values' scale is missing", "checkpoint",
                "take another checkpoint");
  w->value_mean = static_cast<float>(scale[0]);
  w->value_stddev = static_cast<float>(scale[1]);
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
const NetworkGraph* Policy::graph() const noexcept {
  return weights_->graph ? &*weights_->graph : nullptr;
}
const StateTable* Policy::table() const noexcept {
  return weights_->table ? &*weights_->table : nullptr;
}
bool Policy::knows_values() const noexcept {
  return weights_->shared || weights_->own_value() || weights_->signature.rates;
}

std::size_t Policy::memory() const noexcept {
  return weights_->policy_memory() + weights_->value_memory();
}

// Calls `use` with each row's number, what was sensed, and what the network says of it.
template <class Use>
void Policy::each_row(std::span<const float> senses, std::span<float> memory, bool value,
                      const char* asked, Use use) {
  const Weights& w = *weights_;
  const bool own = value && !w.shared;
  const Network<float>& net = own ? w.value : w.policy;
  const std::size_t in = columns(), rows = senses.size() / in, all = this->memory(),
                    width = net.memory_stride(), begin = value ? w.policy_memory() : 0;
  if (senses.size() != rows * in || memory.size() != rows * all)
    throw Error(ErrorKind::usage,
                std::to_string(senses.size()) + " senses and " + std::to_string(memory.size()) +
                    " numbers of memory do not fit a policy of " + std::to_string(in) +
                    " columns that remembers " + std::to_string(all) + " numbers",
                asked, "give whole rows of senses, and its memory for each");
  Room& room = *room_;
  for (std::size_t row = 0; w.graph && row < rows; ++row) {
    const auto sensed = senses.subspan(row * in, in);
    w.normaliser.apply(sensed, room.senses.span());
    w.program.decide(0, room.senses.span(), room.outputs, memory.subspan(row * all, all),
                     room.graph);
    use(row, sensed, std::span(room.outputs));
  }
  for (std::size_t row = 0; w.table && row < rows; ++row) {
    const auto sensed = senses.subspan(row * in, in);
    w.table->key(sensed, room.key);
    w.read_row(w.table->find(room.key), sensed, room.allowed, room.row, room.outputs);
    use(row, sensed, std::span(room.outputs));
  }
  if (!w.network()) return;
  for (std::size_t first = 0; first < rows; first += tile) {
    const std::size_t n = std::min(tile, rows - first);
    w.normaliser.apply(senses.subspan(first * in, n * in), room.senses.span(), net.input_stride());
    for (std::size_t r = 0; r < n && width > 0; ++r)
      std::copy_n(memory.begin() + static_cast<std::ptrdiff_t>((first + r) * all + begin), width,
                  room.memory.begin() + r * width);
    const auto outputs = net.forward(
        (own ? w.value_parameters : w.policy_parameters).span(),
        (own ? w.value_prepared : w.policy_prepared).span(), room.senses.span(),
        {1, n, {}, room.memory.span().first(n * width)}, own ? room.value : room.policy);
    for (std::size_t r = 0; r < n; ++r) {
      if (width > 0)
        std::copy_n(room.memory.begin() + r * width, width,
                    memory.begin() + static_cast<std::ptrdiff_t>((first + r) * all + begin));
      use(first + r, senses.subspan((first + r) * in, in),
          outputs.subspan(r * net.output_stride(), net.outputs()));
    }
  }
}

template <class Use>
void Policy::each_step(std::span<const float> senses, std::span<float> out, std::size_t width,
                       std::span<float> memory, const char* asked, Use use) {
  const Heads& heads = weights_->heads;
  if (out.size() * columns() != senses.size() * width)
    throw Error(ErrorKind::usage,
                std::to_string(senses.size()) + " senses and room for " +
                    std::to_string(out.size()) + " numbers do not fit a policy of " +
                    std::to_string(columns()) + " columns and " + std::to_string(controls()) +
                    " controls",
                asked, "give whole rows, as many of one as of the other");
  each_row(senses, memory, false, asked,
           [&](std::size_t row, std::span<const float> sensed, std::span<float> outputs) {
             heads.read_masks(sensed, room_->allowed);
             heads.forbid<float>(room_->allowed, outputs.first(heads.outputs()));
             const auto spread = weights_->spread(outputs, room_->log_stddev);
             use(outputs.first(heads.outputs()), spread, out.subspan(row * width, width));
           });
}

void Policy::decide(std::span<const float> senses, std::span<float> controls,
                    std::span<float> memory) {
  const Heads& heads = weights_->heads;
  each_step(senses, controls, this->controls(), memory, "Policy::decide",
            [&](std::span<const float> outputs, std::span<const float>, std::span<float> out) {
              heads.greedy(outputs, room_->action);
              if (weights_->signature.squashed) heads.squash(room_->action);
              heads.controls_of(room_->action, out);
            });
}

void Policy::decide(std::span<const float> senses, std::span<float> controls, RandomStream& random,
                    std::span<float> memory) {
  const Heads& heads = weights_->heads;
  each_step(
      senses, controls, this->controls(), memory, "Policy::decide",
      [&](std::span<const float> outputs, std::span<const float> spread, std::span<float> out) {
        heads.sample(outputs, spread, random, room_->action);
        if (weights_->signature.squashed) heads.squash(room_->action);
        heads.controls_of(room_->action, out);
      });
}

void Policy::values(std::span<const float> senses, std::span<float> values,
                    std::span<float> memory) {
  if (values.size() * columns() != senses.size())
    throw Error(ErrorKind::usage, "the spans do not fit", "Policy::values",
                "give whole rows and one value for each");
  if (!knows_values())
    throw Error(ErrorKind::usage, "the policy knows no values", "Policy::values",
                "train by ppo with value_sees = 'own', or by dqn, to have some");
  const Weights& w = *weights_;
  if (w.signature.rates)
    return each_step(
        senses, values, 1, memory, "Policy::values",
        [&](std::span<const float> outputs, std::span<const float>, std::span<float> value) {
          value[0] = w.value_mean + w.value_stddev * w.heads.best(outputs);
        });
  each_row(senses, memory, true, "Policy::values",
           [&](std::size_t row, std::span<const float>, std::span<const float> outputs) {
             values[row] = w.value_mean + w.value_stddev * outputs.back();
           });
}

std::vector<Policy::Part> Policy::parts() const {
  const Weights& w = *weights_;
  std::vector<Part> list;
  if (!w.network()) return list;
  for (const NetworkPart& part : w.policy.parts()) {
    Part& own = list.emplace_back(Part{part.name, part.rows, part.width});
    for (std::size_t r = 0; r < part.rows; ++r) {
      const auto row =
          w.policy_parameters.span().subspan(part.offset + r * part.stride, part.width);
      own.numbers.insert(own.numbers.end(), row.begin(), row.end());
    }
  }
  return list;
}

std::vector<float> Policy::node_values(std::span<const float> senses, std::span<float> memory) {
  if (senses.size() != columns())
    throw Error(ErrorKind::usage, "the senses are not one row", "Policy::node_values",
                "give as many as there are columns");
  const Weights& w = *weights_;
  Room& room = *room_;
  std::vector<float> values;
  each_row(senses, memory, false, "Policy::node_values",
           [&](std::size_t, std::span<const float>, std::span<const float>) {});
  if (w.graph) {
    for (const std::size_t place : w.program.places(0))
      values.push_back(place < room.graph.size() ? room.graph[place] : 0.0f);
    return values;
  }
  if (w.table) {
    values.assign(senses.begin(), senses.end());
    values.insert(values.end(), room.outputs.begin(), room.outputs.end());
    return values;
  }
  const bool fronts = !signature().policy.pictures.empty() || !signature().policy.crowds.empty();
  if (!fronts) values.assign(room.senses.begin(), room.senses.begin() + columns());
  for (std::size_t layer = 0; layer < w.policy.layers(); ++layer) {
    const auto given = w.policy.layer_values(room.policy, layer);
    values.insert(values.end(), given.begin(), given.end());
  }
  return values;
}

void Policy::probabilities(std::span<const float> senses, std::span<float> probabilities,
                           std::span<float> memory) {
  each_step(
      senses, probabilities, probability_count(weights_->signature.controls), memory,
      "Policy::probabilities",
      [&](std::span<const float> outputs, std::span<const float> spread, std::span<float> out) {
        if (weights_->signature.squashed)
          weights_->heads.squashed_probabilities(outputs, spread, out);
        else
          weights_->heads.probabilities(outputs, spread, out);
      });
}

}  // namespace zithercraft
