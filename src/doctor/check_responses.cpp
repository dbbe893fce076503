#include <fmt/format.h>

#include "doctor/checks.hpp"
#include "zithercraft/evaluate/best_response.hpp"

namespace zithercraft::doctor_internal {

void check_responses(const Examined& e, const Run& run, Findings& findings) {
  if (e.options.best_response == 0) return;
  const Exploitability found =
      exploitability(run.game_spec(), PlayerSource::find(run.folder().string()),
                     {.steps = e.options.best_response,
                      .episodes = 200,
                      .seed = e.options.seed,
                      .threads = e.options.threads});
  for (const BestResponse& r : found.responses) {
    const bool gains = r.gain.low > 0.0;
    findings.push_back(
        {gains ? Severity::warning : Severity::note, "best response", "side '" + r.side + "'",
         gains ? "others can exploit the policies: who learns against them gains"
               : "who learns against the policies gains nothing for sure",
         fmt::format("a response trained for {} steps returns {:.3g}, the policies themselves "
                     "{:.3g}; the gain is {:+.3g} [{:+.3g}, {:+.3g}]",
                     e.options.best_response, r.return_against.mean, r.player_return.mean,
                     r.gain.mean, r.gain.low, r.gain.high),
         gains ? "play as the mixture or the average of the past policies (`--as`), train longer, "
                 "or raise `against_past`"
               : "train the response for longer to be surer"});
  }
}

}  // namespace zithercraft::doctor_internal
