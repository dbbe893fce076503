#pragma once

#include <cstddef>
#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/signature.hpp"
#include "zithercraft/net/network_graph.hpp"
#include "zithercraft/net/network_plan.hpp"

namespace zithercraft {

class RandomStream;
class StateTable;
class TensorFile;

/// What a trained policy reads, writes and is made of.
struct PolicySignature {
  std::string role{};                   ///< whose it is
  std::vector<Column> columns{};        ///< of what it senses
  std::vector<ControlInfo> controls{};  ///< that it sets
  NetworkPlan policy{};                 ///< of the policy network
  NetworkPlan value{};   ///< of the value network; without columns if there is none, or if the
                         ///< policy network has one output more, which is the value
  NetworkPlan credit{};  ///< of the network behind a counterfactual baseline; without columns if
                         ///< there is none
  /// What the value and the credit network read if they see more than the policy; the value network
  /// reads as many of these as it has columns. Else empty.
  std::vector<std::string> seen{};
  /// the policy is a NetworkGraph; `policy` then has its columns and outputs alone
  bool grown = false;
  bool sampled = false;  ///< it was evolved to sample its actions
  bool rates = false;    ///< its outputs are the returns that it expects of each option
  /// it is a StateTable; `policy` then has its columns and outputs alone
  bool tabular = false;
  /// dials are brought into their range by the hyperbolic tangent; if the policy network has
  /// further outputs, they are the logarithms of their standard deviations before that
  bool squashed = false;
  bool operator==(const PolicySignature&) const = default;
  /// That of the policy alone, without what judged it in training.
  PolicySignature without_judges() const;

  /// Keeps it in a checkpoint.
  void store(TensorFile& file) const;
  /// Throws Error (file) if the file holds none.
  static PolicySignature from(const TensorFile& file);
};

/// The first difference between two signatures in plain words ("the column 'rays[3].hull' is new");
/// empty if equal.
std::string first_difference(const PolicySignature& wanted, const PolicySignature& found);

/// The place of a role's policy in a checkpoint whose first policy is another role's.
inline std::string policy_place(const std::string& role) { return "roles/" + role + "/"; }
/// Where a checkpoint keeps the policy of a role, or if it has none that of the other role, if one
/// is named; empty for the first policy, which is not in a part. Nothing if it has neither.
std::optional<std::string> find_policy_place(const TensorFile& checkpoint, const std::string& role,
                                             const std::string& or_role);
/// The same; throws Error (refused), naming `source`, if it has neither.
std::string policy_place(const TensorFile& checkpoint, const std::string& role,
                         const std::string& or_role, const std::string& source);

/// A trained policy, ready to be asked for steps. This class and what it needs are all that a
/// finished game links.
///
/// Copies share the weights; a copy has its own working memory, so give each thread one.
class Policy {
 public:
  /// Throws Error (file) if the checkpoint is missing or damaged.
  static Policy load(const std::filesystem::path& checkpoint);
  static Policy from(const TensorFile& checkpoint);
  /// The policy of a role, of those that a checkpoint holds; or if it has none, that of the other
  /// role, if one is named. Throws Error (refused) if it has neither.
  static Policy load(const std::filesystem::path& checkpoint, const std::string& role,
                     const std::string& or_role = {});
  /// The same of a checkpoint that was read.
  static Policy from(const TensorFile& checkpoint, const std::string& role,
                     const std::string& or_role = {});

  Policy(const Policy& other);
  Policy(Policy&&) noexcept;
  Policy& operator=(Policy) noexcept;
  ~Policy();

  /// What it takes and gives.
  const PolicySignature& signature() const noexcept;
  /// The network of a policy that has grown; else null.
  const NetworkGraph* graph() const noexcept;
  /// The table of a policy that is one; else null.
  const StateTable* table() const noexcept;
  /// One array of a fixed policy network: "hidden.0.weight", [rows][width] numbers.
  struct Part {
    std::string name{};               ///< as checkpoints name it
    std::size_t rows = 0, width = 0;  ///< of the array
    std::vector<float> numbers{};     ///< row by row
  };
  /// All arrays of its networks.
  std::vector<Part> parts() const;
  /// What every node of the policy network is after deciding for one row of senses, in the order of
  /// `map_of`. For looking at; allocates.
  std::vector<float> node_values(std::span<const float> senses, std::span<float> memory = {});
  /// Numbers that a row takes.
  std::size_t columns() const noexcept { return signature().columns.size(); }
  /// Numbers that a row gives.
  std::size_t controls() const noexcept { return signature().controls.size(); }

  /// How many numbers a policy with a memory keeps for an agent from step to step; 0 for others.
  /// Give `decide` and its like that many for each row, all 0 at an episode's beginning; they are
  /// brought up to date by each call.
  std::size_t memory() const noexcept;

  /// The most likely controls for `senses`: one row of columns, or many rows one after the other.
  /// Nothing is allocated. Throws Error (usage) if the spans do not fit the policy.
  void decide(std::span<const float> senses, std::span<float> controls,
              std::span<float> memory = {});
  /// Controls sampled from the policy's distribution.
  void decide(std::span<const float> senses, std::span<float> controls, RandomStream& random,
              std::span<float> memory = {});
  /// Whether it can estimate values: not if it was evolved, or only a value network could that saw
  /// in training what others sensed.
  bool knows_values() const noexcept;
  /// The value network's estimate of the return still to come, one per row. Throws Error (usage) if
  /// there is none.
  void values(std::span<const float> senses, std::span<float> values, std::span<float> memory = {});
  /// What it may decide: per row `probability_count(controls)` numbers, control by control.
  /// Remembers as `decide` does; `values` keeps a memory of its own in the same numbers.
  void probabilities(std::span<const float> senses, std::span<float> probabilities,
                     std::span<float> memory = {});

 private:
  struct Weights;
  struct Room;
  explicit Policy(std::shared_ptr<const Weights> weights);
  template <class Use>
  void each_row(std::span<const float> senses, std::span<float> memory, bool value,
                const char* asked, Use use);
  template <class Use>
  void each_step(std::span<const float> senses, std::span<float> out, std::size_t width,
                 std::span<float> memory, const char* asked, Use use);

  std::shared_ptr<const Weights> weights_;
  std::unique_ptr<Room> room_;
};

}  // namespace zithercraft
