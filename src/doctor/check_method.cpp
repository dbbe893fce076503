#include "doctor/checks.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/run/methods.hpp"

namespace zithercraft::doctor_internal {

// A method says itself what it cannot train, when a learner is made.
void check_method(const Examined& e, Findings& findings) {
  if (e.options.method.empty()) return;
  const LearningMethod& method = learning_method(e.options.method);
  constexpr std::int64_t steps = 100'000;
  WorkerPool pool(1);
  try {
    method.make({e.game, method.settings, 1, {.steps = steps}, usual_players(e.game, 1), pool});
  } catch (const Error& error) {
    if (error.kind() != ErrorKind::refused && error.kind() != ErrorKind::spec) return;
    findings.push_back({Severity::error, "method", "method '" + method.name + "'",
                        method.name + " cannot train this game: " + error.problem(),
                        "it takes " + method.controls + "; it reads " + method.senses,
                        error.fix()});
  }
}

}  // namespace zithercraft::doctor_internal
