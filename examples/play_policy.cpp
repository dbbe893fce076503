// A finished game asks a trained policy for its controls: policy runtime only, no trainer, no
// arena. Usage: play_policy CHECKPOINT

#include <cstdio>
#include <vector>

#include "zithercraft/base/error.hpp"
#include "zithercraft/net/policy.hpp"

namespace zc = zithercraft;

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: play_policy CHECKPOINT\n");
    return 2;
  }
  try {
    zc::Policy policy = zc::Policy::load(argv[1]);
    std::vector<float> senses(policy.columns()), controls(policy.controls());

    // Open water all around, the berth 10 m ahead and a little to port, at rest.
    const auto& columns = policy.signature().columns;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      if (columns[i].name.ends_with("].distance")) senses[i] = 1.0f;
      if (columns[i].name == "compass.ahead") senses[i] = 0.98f;
      if (columns[i].name == "compass.left") senses[i] = 0.2f;
      if (columns[i].name == "compass.distance")
        senses[i] = static_cast<float>(10.0 / columns[i].scale);
    }
    policy.decide(senses, controls);  // spans; no allocation, no trainer
    for (std::size_t i = 0; i < controls.size(); ++i)
      std::printf("%s = %.3f\n", policy.signature().controls[i].name.c_str(),
                  static_cast<double>(controls[i]));
  } catch (const zc::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return static_cast<int>(error.kind());
  }
}
