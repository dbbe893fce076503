#include <algorithm>
#include <map>
#include <memory>
#include <utility>

#include "learn/policy/student.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/learn/past_policies.hpp"
#include "zithercraft/match/player.hpp"

namespace zithercraft {
using namespace learn_internal;
namespace {

constexpr std::size_t lanes = 64;

// The roles that each policy of a checkpoint plays, by the place of the policy.
std::map<std::string, std::vector<std::size_t>> roles_by_place(const Game& game,
                                                               const TensorFile& checkpoint) {
  std::map<std::string, std::vector<std::size_t>> all;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role &own = game.roles()[r], &like = game.roles()[own.mirrors];
    if (const auto place = find_policy_place(checkpoint, own.name, like.name))
      all[*place].push_back(r);
  }
  return all;
}

// Mixtures play in many lanes, and students watch.
class Imitation {
 public:
  Imitation(const Game& game, const TensorFile& checkpoint, std::uint64_t seed)
      : seed_(derived_seed(seed, "average")), environment_(make_environment(game, lanes, 1)) {
    for (std::size_t r = 0; r < game.roles().size(); ++r)
      players_.push_back(usual_player(game, r, seed_));
    for (auto& [place, roles] : roles_by_place(game, checkpoint)) {
      for (const std::size_t r : roles) {
        seats_ += environment_->seats(r);
        players_[r] = past_mixture(game, r, checkpoint, ActionMode::sampled,
                                   derived_seed(seed_, game.roles()[r].name));
      }
      places_.push_back(place);
      students_.emplace_back(*environment_, std::move(roles), checkpoint.part(place), seed_);
    }
    if (students_.empty())
      throw Error(ErrorKind::refused, "the checkpoint has no policy for any role of the game",
                  "checkpoint", "take one that was trained in this game");
    for (std::uint32_t lane = 0; lane < lanes; ++lane) starts_.push_back({lane, {seed_, 0, lane}});
    environment_->begin_lanes(starts_);
    for (std::size_t lane = 0; lane < lanes; ++lane) all_.push_back(lane);
  }

  void give(std::int64_t steps) {
    const auto each = static_cast<double>(lanes * seats_ * Student::span);
    const auto portions =
        static_cast<std::int64_t>(std::max(1.0, static_cast<double>(steps) / each));
    for (std::int64_t i = 0; i < portions; ++i) {
      for (std::size_t time = 0; time < Student::span; ++time) step(time);
      const double left = 1.0 - static_cast<double>(i) / static_cast<double>(portions);
      constexpr double learning_rate = 2e-3;
      for (Student& student : students_) student.learn(learning_rate * left);
    }
  }

  TensorFile result() const {
    TensorFile file;
    for (std::size_t i = 0; i < students_.size(); ++i) {
      TensorFile part;
      students_[i].store(part);
      file.put_part(places_[i], part);
    }
    return file;
  }

 private:
  void step(std::size_t time) {
    for (std::size_t role = 0; role < players_.size(); ++role)
      players_[role]->decide(*environment_, role, 0, lanes);
    for (Student& student : students_) student.watch(*environment_, time);
    environment_->step_lanes(all_);
    starts_.clear();
    for (const std::size_t lane : all_) {
      if (environment_->outcome(lane) == Outcome::running) continue;
      EpisodeKey next = environment_->key(lane);
      next.episode += static_cast<std::uint32_t>(lanes);
      starts_.push_back({lane, next});
    }
    environment_->begin_lanes(starts_);
  }

  std::uint64_t seed_;
  std::unique_ptr<Environment> environment_;
  std::vector<std::unique_ptr<Player>> players_;  // of each role
  std::vector<std::string> places_;               // of the students
  std::vector<Student> students_;
  std::vector<LaneStart> starts_;
  std::vector<std::size_t> all_;  // lanes
  std::size_t seats_ = 0;         // that are watched, in a lane
};

}  // namespace

TensorFile average_policies(const Game& game, const TensorFile& checkpoint,
                            const AverageSettings& settings) {
  if (settings.steps < 1)
    throw Error(ErrorKind::usage, "there is no step to learn an average policy from",
                "average policy", "give at least 1");
  Imitation imitation(game, checkpoint, settings.seed);
  imitation.give(settings.steps);
  return imitation.result();
}

}  // namespace zithercraft
