#pragma once

// What it costs a policy to differ from its teacher, for each kind of policy network.

#include <span>
#include <string>
#include <vector>

#include "zithercraft/base/signature.hpp"
#include "zithercraft/learn/clone.hpp"
#include "zithercraft/net/heads.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft::learn_internal {

/// Kinds of policy networks by what their outputs say.
enum class PolicyKind : std::uint8_t {
  gaussian,  // means of dials, and a standard deviation of each that is the same everywhere
  squashed,  // means and standard deviations of dials before the hyperbolic tangent
  pointed,   // dials before the hyperbolic tangent
  values     // what each option is worth
};

/// The kind of network that a method goes on with, and its usual layers. Throws Error (spec) if it
/// goes on with none.
struct NetworkKind {
  PolicyKind kind = PolicyKind::gaussian;
  std::vector<std::int64_t> layers{};
  std::optional<Activation> activation{};  // none: as the plan has it
};
NetworkKind network_kind_of(const std::string& method);

/// Outputs of a policy network, and what imitation makes of them.
class Imitation {
 public:
  Imitation(PolicyKind kind, std::span<const ControlInfo> controls,
            std::span<const Column> columns);

  const Heads& heads() const { return heads_; }
  PolicyKind kind() const { return kind_; }
  /// Of the network.
  std::size_t outputs() const {
    return heads_.outputs() + (kind_ == PolicyKind::squashed ? heads_.dials() : 0);
  }
  /// Logarithms of standard deviations that are parameters.
  std::size_t deviations() const { return kind_ == PolicyKind::gaussian ? heads_.dials() : 0; }
  /// How unlikely the teacher's action is; adds the gradient, times `scale`. `outputs` have options
  /// forbidden. `kept` has room for twice the outputs.
  float loss(std::span<const float> outputs, std::span<const float> deviations,
             std::span<const float> action, float scale, std::span<float> kept,
             std::span<float> gradient, std::span<float> deviation_gradient) const;
  /// The share of controls in which the greedy action is like the teacher's: the same option, or a
  /// dial that is off by less than a twentieth of its range.
  float agreement(std::span<const float> outputs, std::span<const float> action,
                  std::span<float> greedy) const;

 private:
  struct Place {
    std::size_t control = 0, output = 0, options = 0;
  };
  float choice_loss(const Place& choice, std::span<const float> outputs, std::size_t taken,
                    float scale, std::span<float> gradient) const;

  PolicyKind kind_;
  Heads heads_;
  std::vector<Place> dials_, choices_;
};

}  // namespace zithercraft::learn_internal
