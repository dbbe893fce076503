// The tool with one more method of learning: a learner that plays and never learns anything.

#include "zithercraft/cli/main.hpp"
#include "zithercraft/game/lanes.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/zithercraft.hpp"

namespace {

using namespace zithercraft;

class Idle final : public Learner {
 public:
  explicit Idle(LearnerContext context)
      : pool_(context.pool),
        lanes_(context.game, static_cast<std::size_t>(lanes_of(context.settings)),
               context.pool.threads()),
        seed_(context.seed),
        // The policy of a learner that has not learned yet.
        policy_file_(first_policy(context)) {
    lanes_.begin_all(pool_, seed_);
  }

  void set_starts(std::size_t, std::vector<std::vector<std::byte>>, double) override {}
  Continuation continue_from(const TensorFile&) override { return {}; }

  CollectReport collect() override {
    CollectReport report;
    for (int time = 0; time < 8; ++time) {
      lanes_.step_all(pool_);
      report.steps += static_cast<std::int64_t>(lanes_.rows(0));
      for (std::size_t lane = 0; lane < lanes_.count(); ++lane)
        if (lanes_.outcome(lane) != Outcome::running)
          report.episodes.push_back(episode_result(lanes_, 0, lane));
      lanes_.renew_all(pool_);
    }
    counters_.steps += report.steps;
    return report;
  }
  void improve() override { ++counters_.updates; }
  LearnerReport report() const override {
    return {.policies = {{0, {{"laziness", 1.0 / static_cast<double>(counters_.updates)}}}},
            .note = "idle"};
  }

  std::int64_t steps() const noexcept override { return counters_.steps; }
  std::int64_t updates() const noexcept override { return counters_.updates; }
  std::size_t stage() const noexcept override { return 0; }
  std::optional<std::size_t> policy_of(std::size_t role) const noexcept override {
    return role == 0 ? std::optional<std::size_t>(0) : std::nullopt;
  }
  Policy policy(std::size_t) const override { return Policy::from(policy_file_); }
  void store(TensorFile& file) const override {
    file.put_part("", policy_file_);
    counters_.store(file);
  }
  void restore(const TensorFile& file) override {
    counters_ = Counters::of(file.metadata, "checkpoint");
  }

 private:
  static std::int64_t lanes_of(const LearnerSettings& settings) {
    return std::get<std::int64_t>(settings.values().at("lanes").held);
  }
  static TensorFile first_policy(const LearnerContext& c) {
    Ppo untaught(c.game, {.lanes = 1, .horizon = 32}, c.seed, 1, c.pool);
    untaught.begin();
    TensorFile file;
    untaught.store(file);
    return file;
  }

  WorkerPool& pool_;
  Lanes lanes_;
  std::uint64_t seed_;
  TensorFile policy_file_;
  Counters counters_{};
};

}  // namespace

int main(int argc, char** argv) {
  add_learning_method(
      {.name = "idle",
       .about = "does nothing",
       .controls = "all",
       .senses = "all",
       .settings = LearnerSettings("idle", {{"lanes", 4}, {"dream", "of herring"}}),
       .metrics = {{"laziness", "", "how little it does", "laziness"}},
       .charts = {{.name = "laziness", .title = "Laziness, from 1 down", .live = true}},
       .make = [](LearnerContext c) -> std::unique_ptr<Learner> {
         return std::make_unique<Idle>(std::move(c));
       }});
  return zithercraft_main(argc, argv);
}
