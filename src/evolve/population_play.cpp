#include "evolve/population_play.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <chrono>
#include <utility>

#include "learn/packed_moments.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/pool.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/noise.hpp"
#include "zithercraft/game/episode.hpp"

namespace zithercraft::evolve_internal {
using namespace learn_internal;
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point& last) {
  const auto now = Clock::now();
  return std::chrono::duration<double>(now - std::exchange(last, now)).count();
}

}  // namespace

// What one worker needs.
struct PopulationPlay::Scratch {
  std::vector<std::size_t> running;  // its lanes that play, by the individual they play for
  std::vector<LaneStart> starts;     // of the episodes that they take up
  std::vector<std::uint32_t> job;    // of each of its lanes
  std::vector<std::uint32_t> places;
  std::vector<float> kept;  // what networks keep, [lanes][seats][memory]
  AlignedBuffer<float> inputs, kept_now;
  std::vector<float> action, allowed;
  std::vector<std::vector<std::unique_ptr<Player>>> lineups;
  std::int64_t steps = 0;
  double play_seconds = 0.0, decide_seconds = 0.0;
};

struct PopulationPlay::Call {
  NetworkBatch& batch;
  const Normaliser& normaliser;
  std::size_t first;
  std::span<const Encounter> encounters;
  const Wishes& wishes;
  std::span<EncounterResult> results;
  std::span<double> rewards;
};

PopulationPlay::PopulationPlay(const Game& game, std::vector<std::size_t> roles,
                               std::size_t workers, bool sampled)
    : game_(game),
      roles_(std::move(roles)),
      columns_(game.roles()[roles_[0]].columns.size()),
      controls_(game.roles()[roles_[0]].controls.size()),
      terms_(game.roles()[roles_[0]].terms.size()),
      heads_(game.roles()[roles_[0]].controls, game.roles()[roles_[0]].columns),
      log_stddev_(heads_.dials(), log_stddev_of_dials),
      sampled_(sampled),
      environment_(make_environment(game, lanes_each * workers, workers)) {
  for (const std::size_t role : roles_) seats_ += environment_->seats(role);
  for (std::size_t w = 0; w < workers; ++w) {
    auto& scratch = *scratch_.emplace_back(std::make_unique<Scratch>());
    scratch.job.resize(lanes_each);
    scratch.running.reserve(lanes_each);
    scratch.starts.reserve(lanes_each);
    scratch.places.reserve(most_rows());
    scratch.action.resize(controls_);
    scratch.allowed.resize(heads_.masks());
  }
}
PopulationPlay::~PopulationPlay() = default;

void PopulationPlay::play(NetworkBatch& batch, const Normaliser& normaliser, std::size_t first,
                          std::size_t count, std::span<const Encounter> encounters,
                          const std::vector<std::vector<std::unique_ptr<Player>>>& lineups,
                          const Wishes& wishes, std::span<EncounterResult> results,
                          std::span<double> rewards, WorkerPool& pool, ProcessGroup* processes) {
  // Networks that answer together play together, the same episode at the same time.
  jobs_.clear();
  for (std::size_t group = 0; group < count; group += batch.width())
    for (std::size_t t = 0; t < encounters.size(); ++t)
      for (std::size_t i = group; i < std::min(count, group + batch.width()); ++i)
        jobs_.push_back(static_cast<std::uint32_t>(i * encounters.size() + t));
  const auto begin_of = [&](std::size_t process) {
    return processes == nullptr ? process * jobs_.size()
                                : jobs_.size() * process / processes->count();
  };
  const std::size_t number = processes == nullptr ? 0 : processes->number();
  next_job_ = begin_of(number);
  last_job_ = begin_of(number + 1);
  notes_.resize(wishes.notes_every == 0
                    ? 0
                    : (first + count + wishes.notes_every - 1) / wishes.notes_every -
                          (first + wishes.notes_every - 1) / wishes.notes_every);
  for (auto& moments : notes_) moments.clear(columns_);
  for (auto& scratch : scratch_) {
    scratch->kept.assign(lanes_each * seats_ * batch.memory(), 0.0f);
    if (scratch->inputs.size() < most_rows() * batch.input_stride())
      scratch->inputs = AlignedBuffer<float>(most_rows() * batch.input_stride());
    if (scratch->kept_now.size() < most_rows() * batch.memory())
      scratch->kept_now = AlignedBuffer<float>(most_rows() * batch.memory());
    scratch->lineups.clear();
    for (const auto& lineup : lineups) {
      auto& own = scratch->lineups.emplace_back();
      for (const auto& player : lineup) own.push_back(player ? player->copy() : nullptr);
    }
    scratch->steps = 0;
    scratch->play_seconds = scratch->decide_seconds = 0.0;
  }
  const Call call{batch, normaliser, first, encounters, wishes, results, rewards};
  pool.run(scratch_.size(), [&](std::size_t, std::size_t worker) { work(call, worker); });
  steps_ = 0;
  play_seconds_ = decide_seconds_ = 0.0;
  for (const auto& scratch : scratch_) {
    steps_ += scratch->steps;
    play_seconds_ += scratch->play_seconds;
    decide_seconds_ += scratch->decide_seconds;
  }
  if (processes != nullptr) share(call, *processes);
}

// What each process has found out, for all. An episode was played by one of them.
void PopulationPlay::share(const Call& call, ProcessGroup& processes) {
  PackedNumbers own;
  const auto part = [&](std::size_t process) {
    const std::size_t begin = jobs_.size() * process / processes.count(),
                      end = jobs_.size() * (process + 1) / processes.count();
    return std::span(jobs_).subspan(begin, end - begin);
  };
  own.put(static_cast<double>(steps_));
  for (const std::uint32_t job : part(processes.number())) {
    const EncounterResult& r = call.results[job];
    for (const double number : {r.episode_return, r.success, r.length, r.custom_fitness})
      own.put(number);
    for (const float coordinate : r.place) own.put(static_cast<double>(coordinate));
    own.put(call.rewards.subspan(job * terms_, terms_));
  }
  for (const Normaliser::Moments& moments : notes_) put(own, moments);
  PackedNumbers all = own.gathered_by(&processes);
  steps_ = 0;
  Normaliser::Moments moments;
  for (std::size_t process = 0; process < processes.count(); ++process) {
    steps_ += all.get_as<std::int64_t>();
    for (const std::uint32_t job : part(process)) {
      EncounterResult& r = call.results[job];
      for (double* const number : {&r.episode_return, &r.success, &r.length, &r.custom_fitness})
        *number = all.get();
      for (float& coordinate : r.place) coordinate = all.get_as<float>();
      const auto rewards = all.get(terms_);
      std::copy(rewards.begin(), rewards.end(),
                call.rewards.begin() + static_cast<std::ptrdiff_t>(job * terms_));
    }
    for (Normaliser::Moments& note : notes_) {
      get(all, moments);
      if (moments.count > 0.0) note = moments;
    }
  }
}

bool PopulationPlay::take_next(const Call& call, Scratch& scratch, std::size_t lane) {
  const std::size_t next = next_job_.fetch_add(1), own = lane % lanes_each,
                    each = seats_ * call.batch.memory();
  if (next >= last_job_) return false;
  scratch.job[own] = jobs_[next];
  const Encounter& encounter = call.encounters[jobs_[next] % call.encounters.size()];
  std::fill_n(scratch.kept.begin() + static_cast<std::ptrdiff_t>(own * each), each, 0.0f);
  environment_->assign_stage(lane, encounter.stage);
  scratch.starts.push_back({lane, encounter.key});
  return true;
}

void PopulationPlay::finish(const Call& call, Scratch& scratch, std::size_t lane) {
  const std::uint32_t job = scratch.job[lane % lanes_each];
  EncounterResult& result = call.results[job];
  result = {};
  const auto rewards = call.rewards.subspan(job * terms_, terms_);
  std::fill(rewards.begin(), rewards.end(), 0.0);
  const double share = 1.0 / static_cast<double>(seats_);
  for (const std::size_t role : roles_)
    for (std::size_t seat = 0; seat < environment_->seats(role); ++seat) {
      const std::size_t row = lane * environment_->seats(role) + seat;
      Outcome outcome = environment_->outcome(lane);
      if (opposed(game_.roles()[0], game_.roles()[role]) && outcome != Outcome::cutoff)
        outcome = outcome == Outcome::success ? Outcome::failure : Outcome::success;
      result.episode_return += share * environment_->episode_return(role, row);
      result.success += outcome == Outcome::success ? share : 0.0;
      const auto ledger = environment_->ledger(role, row);
      for (std::size_t t = 0; t < terms_; ++t) rewards[t] += share * ledger[t];
      if (call.wishes.custom_fitness)
        result.custom_fitness += share * call.wishes.custom_fitness(*environment_, role, row);
      if (role == roles_[0] && seat == 0) result.place = environment_->place(role, row);
    }
  result.length = static_cast<double>(environment_->steps(lane));
}

void PopulationPlay::decide(const Call& call, Scratch& scratch, std::size_t worker) {
  const std::size_t in = call.batch.input_stride(), out = call.batch.output_stride(),
                    kept = call.batch.memory(), encounters = call.encounters.size();
  for (const std::size_t lane : scratch.running) {
    const auto& lineup =
        scratch.lineups[call.encounters[scratch.job[lane % lanes_each] % encounters].against];
    for (std::size_t role = 0; role < lineup.size(); ++role)
      if (lineup[role]) lineup[role]->decide(*environment_, role, lane, 1);
  }
  // Row by row: of each lane its seats.
  scratch.places.clear();
  std::size_t r = 0;
  for (const std::size_t lane : scratch.running) {
    const std::uint32_t job = scratch.job[lane % lanes_each],
                        individual = job / static_cast<std::uint32_t>(encounters);
    const std::size_t number = call.first + individual, every = call.wishes.notes_every;
    Normaliser::Moments* const notes =
        every > 0 && number % every == 0 && job % encounters == 0
            ? &notes_[number / every - (call.first + every - 1) / every]
            : nullptr;
    std::copy_n(
        scratch.kept.begin() + static_cast<std::ptrdiff_t>((lane % lanes_each) * seats_ * kept),
        seats_ * kept, scratch.kept_now.begin() + r * kept);
    for (const std::size_t role : roles_)
      for (std::size_t seat = 0; seat < environment_->seats(role); ++seat, ++r) {
        const auto sensed =
            environment_->observation(role, lane * environment_->seats(role) + seat);
        call.normaliser.apply(sensed, scratch.inputs.span().subspan(r * in, in), in);
        if (notes != nullptr) notes->add(sensed);
        scratch.places.push_back(individual);
      }
  }
  const auto answers =
      call.batch.decide(scratch.places, scratch.inputs.span(), scratch.kept_now.span(), worker);
  r = 0;
  for (const std::size_t lane : scratch.running) {
    std::copy_n(
        scratch.kept_now.begin() + r * kept, seats_ * kept,
        scratch.kept.begin() + static_cast<std::ptrdiff_t>((lane % lanes_each) * seats_ * kept));
    for (const std::size_t role : roles_)
      for (std::size_t seat = 0; seat < environment_->seats(role); ++seat, ++r) {
        const std::size_t row = lane * environment_->seats(role) + seat;
        const auto outputs = answers.subspan(r * out, heads_.outputs());
        if (heads_.masks() > 0) {
          heads_.read_masks(environment_->observation(role, row), scratch.allowed);
          heads_.forbid<float>(scratch.allowed, outputs);
        }
        if (sampled_) {
          const EpisodeKey key = environment_->key(lane);
          RandomStream random(mixed(key.seed, environment_->steps(lane), r % seats_), key.lane,
                              key.episode, Purpose::decide);
          heads_.sample(outputs, log_stddev_, random, scratch.action);
        } else {
          heads_.greedy(outputs, scratch.action);
        }
        heads_.controls_of(scratch.action, environment_->control(role, row));
      }
  }
  scratch.steps += static_cast<std::int64_t>(r);
}

// One step in all lanes that play. What goes wrong names the individual.
void PopulationPlay::step(const Call& call, const Scratch& scratch, std::size_t worker) {
  try {
    environment_->step_lanes(scratch.running, worker);
  } catch (const LaneError& error) {
    if (error.kind() != ErrorKind::numbers) throw;
    const std::size_t job = scratch.job[error.lane() % lanes_each];
    throw Error(ErrorKind::numbers,
                fmt::format("individual {}: {}", call.first + job / call.encounters.size(),
                            error.problem()),
                error.where(), error.fix());
  }
}

void PopulationPlay::work(const Call& call, std::size_t worker) {
  Scratch& scratch = *scratch_[worker];
  scratch.running.clear();
  scratch.starts.clear();
  Clock::time_point clock = Clock::now();
  for (std::size_t lane = worker * lanes_each; lane < (worker + 1) * lanes_each; ++lane)
    if (take_next(call, scratch, lane)) scratch.running.push_back(lane);
  environment_->begin_lanes(scratch.starts, worker);
  const auto by_individual = [&](std::size_t a, std::size_t b) {
    const std::size_t of_a = scratch.job[a % lanes_each] / call.encounters.size(),
                      of_b = scratch.job[b % lanes_each] / call.encounters.size();
    return of_a != of_b ? of_a < of_b : a < b;
  };
  std::sort(scratch.running.begin(), scratch.running.end(), by_individual);
  while (!scratch.running.empty()) {
    scratch.play_seconds += seconds_since(clock);
    decide(call, scratch, worker);
    scratch.decide_seconds += seconds_since(clock);
    step(call, scratch, worker);
    scratch.starts.clear();
    bool changed = false;
    std::erase_if(scratch.running, [&](std::size_t lane) {
      if (environment_->outcome(lane) == Outcome::running) return false;
      changed = true;
      finish(call, scratch, lane);
      return !take_next(call, scratch, lane);
    });
    if (!changed) continue;
    environment_->begin_lanes(scratch.starts, worker);
    std::sort(scratch.running.begin(), scratch.running.end(), by_individual);
  }
  scratch.play_seconds += seconds_since(clock);
}

}  // namespace zithercraft::evolve_internal
