#include "run/training.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <thread>

#include "base/json.hpp"
#include "run/recorded_moments.hpp"
#include "run/teaching.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/game/custom_batch.hpp"
#include "zithercraft/game/environment.hpp"
#include "zithercraft/net/tensor_file.hpp"
#include "zithercraft/run/methods.hpp"
#include "zithercraft/run/player_source.hpp"

namespace zithercraft::run_internal {
namespace {

// Spread evenly over the training, beside the last one.
constexpr std::int64_t kept_checkpoints = 10;

// Processes on one machine share its processors.
std::size_t threads_for(const TrainOptions& options, const Game& game) {
  // Threads that wait for games cost nothing: lanes that are played together have one each.
  constexpr std::size_t lanes_each = 32, most = 32;
  if (const auto copies = copies_of(game); copies && options.threads == 0)
    return std::min(most, std::max<std::size_t>((*copies + lanes_each - 1) / lanes_each,
                                                std::thread::hardware_concurrency()));
  if (options.threads != 0 || options.processes == nullptr) return options.threads;
  return std::max<std::size_t>(1, std::thread::hardware_concurrency() / options.processes->here());
}

std::unique_ptr<Learner> learner_for(const Run& run, const Game& game, Budget budget,
                                     const TrainOptions& options,
                                     const Demonstrations* demonstrations, WorkerPool& pool) {
  const RunSettings& settings = run.settings();
  const LearningMethod& method = learning_method(settings.learner.method());
  const LearnerContext context{
      game, settings.learner,  settings.seed,          budget,        role_players(game, settings),
      pool, options.processes, options.custom_fitness, demonstrations};
  if (method.forecast && options.on_note && is_first(options))
    for (const std::string& line : method.forecast(context)) options.on_note(line);
  return method.make(context);
}

// Steps that are kept to be learned from would fill a disk with every checkpoint that is kept.
TensorFile without_experience(const TensorFile& file) {
  bool any = false;
  TensorFile light = file.with([&](const std::string& name) {
    const bool experience =
        name.starts_with("experience.") || name.find("/experience.") != std::string::npos;
    any = any || experience;
    return !experience;
  });
  if (any) light.metadata["left_out"] = "experience";
  forget_pieces(light);
  return light;
}

// Means over the episodes of a role, into a row of metrics.
template <class Row>
void add_episodes(std::size_t role, const std::vector<std::string>& terms,
                  const std::vector<EpisodeResult>& episodes, Row& row) {
  row.episodes = std::count_if(episodes.begin(), episodes.end(),
                               [&](const EpisodeResult& e) { return e.role == role; });
  for (const std::string& term : terms) row.terms.emplace_back(term, 0.0);
  const double n = std::max(1.0, static_cast<double>(row.episodes));
  for (const EpisodeResult& e : episodes) {
    if (e.role != role) continue;
    row.mean_return += e.episode_return / n;
    row.success += (e.outcome == Outcome::success ? 1.0 : 0.0) / n;
    for (std::size_t t = 0; t < row.terms.size(); ++t) row.terms[t].second += e.ledger[t] / n;
  }
}

// Of all threads, in those phases of an update that the method has timed.
double seconds_worked(const std::vector<MetricInfo>& infos, const std::vector<Metric>& metrics) {
  double sum = 0.0;
  for (const MetricInfo& info : infos)
    if (info.chart == time_chart) sum += metric_in(metrics, info.name).value_or(0.0);
  return sum;
}

}  // namespace

Training::Training(Run run, const TrainOptions& options)
    : run_(std::move(run)),
      options_(options),
      game_(run_.game()),
      budget_{run_.settings().steps, run_.settings().generations},
      pool_(threads_for(options, game_)),
      demonstrations_(demonstrations_of(run_, game_, role_players(game_, run_.settings()), pool_)),
      learner_(learner_for(run_, game_, budget_, options,
                           demonstrations_ ? &*demonstrations_ : nullptr, pool_)),
      pieces_(run_.checkpoints() / "pieces") {
  if (const auto& custom = game_.spec().custom; custom && custom->host.function())
    host_ = custom->host.function()();
  while (!learner_->policy_of(first_role_)) ++first_role_;
  if (is_first(options))
    metrics_.emplace(run_.metrics(), learning_method(run_.settings().learner.method()).metrics);
  for (std::size_t stage = 0; stage < game_.stages(); ++stage)
    stage_names_.push_back(game_.stage_name(stage));
  for (std::size_t stage = 0; stage + 1 < game_.stages(); ++stage)
    if (const auto& start = game_.spec().stages[stage].start)
      learner_->set_starts(stage,
                           recorded_moments(*start, "stages[" + std::to_string(stage) + "].start"),
                           start->share);
}

void Training::begin(const Beginning& beginning) {
  if (beginning.how == Beginning::continued) {
    const Continuation taken =
        learner_->continue_from(TensorFile::parse(beginning.checkpoint, run_.settings().from));
    continued_ = true;
    if (options_.on_continuation && !taken.parts.empty()) options_.on_continuation(taken);
  } else if (beginning.how == Beginning::resumed) {
    TensorFile file = TensorFile::parse(beginning.checkpoint, beginning.source.empty()
                                                                  ? run_.checkpoints().string()
                                                                  : beginning.source);
    pieces_.link(file);
    learner_->restore(file);
    recent_.restore(file);
    if (file.metadata.contains("left_out") && options_.on_note && is_first(options_))
      options_.on_note(
          "this checkpoint keeps no steps to learn from: the training learns from what is played "
          "from now on, and differs from one that did not stop");
    if (is_first(options_) && !std::filesystem::exists(run_.last_checkpoint()))
      write_atomically(run_.last_checkpoint(), beginning.checkpoint);
  }
  // Those of a checkpoint that was never finished are not what will be played now.
  if (is_first(options_)) pieces_.tidy();
  if (!metrics_) return;
  metrics_->forget_after(beginning.how == Beginning::resumed ? learner_->steps() : -1);
  if (const auto newest = metrics_->newest()) seconds_before_ = newest->seconds;
}

double Training::done() const { return budget_.done(learner_->steps(), learner_->updates()); }

void Training::go() {
  // Keeps what was continued from, so that nothing depends on that file any more.
  if (continued_) {
    learner_->begin();
    save(0.0);
  }
  begun_ = Clock::now();
  last_update_ = begun_;
  std::int64_t saved = learner_->steps();
  double saved_done = done();
  while (done() < 1.0 && !learner_->ended() && !stopped()) {
    update();
    // Multiples of the interval, not time since the last one: the same checkpoints whether resumed
    // or not.
    const std::int64_t every = run_.settings().checkpoint_every, now = learner_->steps();
    if (now / every != saved / every || done() >= 1.0 || learner_->milestone() ||
        learner_->ended()) {
      save(saved_done);
      saved = now;
      saved_done = done();
    }
  }
  if (saved != learner_->steps()) save(saved_done);
}

// All processes stop after the same update.
bool Training::stopped() const {
  const bool here = options_.stop != nullptr && options_.stop->load();
  if (options_.processes == nullptr) return here;
  const std::byte own{here ? std::uint8_t{1} : std::uint8_t{0}};
  const auto all = options_.processes->gather({&own, 1});
  return std::find(all.begin(), all.end(), std::byte{1}) != all.end();
}

MetricsRow Training::row_of(const CollectReport& played, const LearnerReport& learned) const {
  const auto roles = game_.roles();
  MetricsRow row{.steps = learner_->steps(), .stage = played.stage};
  add_episodes(first_role_, roles[first_role_].terms, played.episodes, row);
  for (const EpisodeResult& e : played.episodes)
    if (e.role == first_role_)
      row.mean_length += static_cast<double>(e.length) / static_cast<double>(row.episodes);
  for (const PolicyMetrics& policy : learned.policies) {
    if (policy.role == first_role_) {
      row.learner = policy.metrics;
      continue;
    }
    RoleMetrics& own = row.roles.emplace_back(RoleMetrics{.role = roles[policy.role].name});
    own.learner = policy.metrics;
    add_episodes(policy.role, roles[policy.role].terms, played.episodes, own);
  }
  return row;
}

void Training::update() {
  const auto begun = Clock::now();
  const CollectReport played = learner_->collect();
  learner_->improve();
  const LearnerReport learned = learner_->report();
  MetricsRow row = row_of(played, learned);
  row.wall_seconds = seconds_since(begun);
  row.busy_share =
      seconds_worked(learning_method(run_.settings().learner.method()).metrics, row.learner) /
      (row.wall_seconds * static_cast<double>(pool_.threads()));
  row.seconds = seconds_before_ + seconds_since(begun_);
  row.steps_per_second = static_cast<double>(played.steps) / seconds_since(last_update_);
  last_update_ = Clock::now();
  for (const EpisodeResult& e : played.episodes)
    if (e.role == first_role_ && e.stage == row.stage) recent_.add(e);
  row.recent_success = recent_.mean(0);
  if (row.episodes > 0) plateau_.see(row.steps, recent_.mean(1));
  if (metrics_) metrics_->add(row);
  report(row, learned);
  if (learner_->stage() != row.stage) {
    recent_.clear();
    plateau_ = {};
  }
}

// A file beside the run's others says who plays, about once a second.
std::string Training::report_games() {
  if (!host_) return {};
  const HostReport report = host_->report();
  if (seconds_since(games_told_) > 1.0) {
    games_told_ = Clock::now();
    Json games = Json::array();
    for (const HostedGame& game : report.games)
      games.push_back({{"number", game.number},
                       {"program", game.program},
                       {"copies", game.copies},
                       {"steps", game.steps},
                       {"steps_per_second", game.steps_per_second}});
    const Json file{{"games", games}, {"dropped", report.dropped}, {"last_drop", report.last_drop}};
    write_atomically(run_.games(), file.dump(2) + "\n");
  }
  std::string text =
      fmt::format("{} {}", report.games.size(), report.games.size() == 1 ? "game" : "games");
  return report.dropped == 0 ? text : fmt::format("{}, {} dropped", text, report.dropped);
}

void Training::report(const MetricsRow& row, const LearnerReport& learned) {
  // A speed smoothed over some seconds makes the time left readable.
  speed_ = speed_ == 0.0 ? row.steps_per_second : 0.9 * speed_ + 0.1 * row.steps_per_second;
  std::string games = report_games();
  if (!options_.on_progress) return;
  // The steps of later generations are unknown: they are taken to be like those before.
  const std::int64_t total =
      budget_.updates > 0 ? static_cast<std::int64_t>(static_cast<double>(row.steps) / done())
                          : budget_.steps;
  TrainingProgress p{.steps = row.steps, .total = total};
  p.seconds = seconds_since(begun_);
  p.steps_per_second = speed_;
  p.seconds_left = static_cast<double>(std::max<std::int64_t>(0, total - row.steps)) / speed_;
  p.success = recent_.mean(0);
  p.mean_return = recent_.mean(1);
  p.mean_length = recent_.mean(2);
  p.episodes = recent_.count();
  p.stage = row.stage;
  p.stages = stage_names_.size();
  p.stage_name = stage_names_[row.stage];
  p.wall_seconds = row.wall_seconds;
  p.busy_share = row.busy_share;
  p.plateau_since = plateau_.since(row.steps, total);
  p.learner = row.learner;
  p.games = std::move(games);
  p.note = learned.note;
  p.warnings = learned.warnings;
  options_.on_progress(p);
}

void Training::save(double previous) {
  TensorFile file;
  if (!is_first(options_)) return learner_->store(file);
  pieces_.store(file, [&](TensorFile& all) { learner_->store(all); });
  recent_.store(file);
  file.metadata["made_with"] = library_version();
  if (learner_->ended()) file.metadata["ended"] = "true";
  const auto tenth = [](double share) {
    return static_cast<std::int64_t>(share * kept_checkpoints + 1e-9);
  };
  if (tenth(done()) != tenth(previous) || learner_->milestone() || learner_->ended())
    without_experience(file).save(run_.checkpoints() /
                                  fmt::format("at-{:012d}.safetensors", learner_->steps()));
  file.save(run_.last_checkpoint());
  pieces_.tidy();
}

}  // namespace zithercraft::run_internal
