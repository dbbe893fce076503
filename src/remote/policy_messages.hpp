#pragma once

// The messages between a game that asks for controls and a server of policies, as
// docs/formats/remote.md specifies them.

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "remote/message.hpp"
#include "zithercraft/net/policy.hpp"

namespace zithercraft::remote_internal {

/// What a game says first.
struct PolicyRequest {
  std::string role{};  // empty: the first policy is meant
  Form form = Form::text;
};
/// What to decide for: seats of the game's own numbering.
struct Asking {
  std::vector<std::uint32_t> seats{};
  std::vector<std::uint8_t> begins{};  // of each: 1 where an episode begins
  std::vector<float> observations{};   // [seats][columns]
};

/// These throw BadMessage.
PolicyRequest read_request(std::span<const std::uint8_t> bytes, Form form);
Asking read_asking(std::span<const std::uint8_t> bytes, Form form, std::size_t columns);

std::string policy_message(Form form, const PolicySignature& signature);
std::string decided_message(Form form, std::span<const std::uint32_t> seats,
                            std::span<const float> controls);

}  // namespace zithercraft::remote_internal
