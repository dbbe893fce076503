#include "zithercraft/learn/demonstrations.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <string>

#include "zithercraft/base/error.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft {
namespace {

constexpr const char* file_format = "demonstrations 1";

bool is_of(const Demonstration& one, std::span<const std::size_t> roles) {
  return std::find(roles.begin(), roles.end(), one.role) != roles.end();
}

template <class Number>
void append_to(std::vector<Number>& all, std::span<const Number> more) {
  all.insert(all.end(), more.begin(), more.end());
}

[[noreturn]] void refuse_role(const std::string& role, const std::string& what) {
  throw Error(ErrorKind::refused, what, "demonstrations of the role '" + role + "'",
              "take demonstrations of this game");
}

[[noreturn]] void damaged(const std::string& role) {
  throw Error(ErrorKind::file, "the numbers make no sense",
              "demonstrations of the role '" + role + "'", "record the demonstrations again");
}

std::string names_of_columns(const Role& role) {
  std::string names;
  for (const Column& column : role.columns) names += column.name + "\n";
  return names;
}

std::string names_of_controls(const Role& role) {
  std::string names;
  for (const ControlInfo& control : role.controls) {
    names += control.name;
    for (const std::string& option : control.options) names += " " + option;
    names += "\n";
  }
  return names;
}

bool fits(const ControlInfo& control, float value) {
  if (!std::isfinite(value)) return false;
  if (!control.is_choice()) return true;
  return value >= 0.0f && value < static_cast<float>(control.options.size()) &&
         value == std::floor(value);
}

// Cuts the arrays of a role's episodes to pieces.
class Cutter {
 public:
  Cutter(const TensorFile& file, const Game& game, std::size_t role)
      : role_(role), name_(game.roles()[role].name), own_(game.roles()[role]) {
    episodes_ = file.integers(name_ + ".episodes");
    senses_ = get(file, "senses");
    controls_ = get(file, "controls");
    advice_ = get(file, "advice");
    rewards_ = get(file, "rewards");
    present_ = file.bytes(name_ + ".present");
  }

  void cut(std::vector<Demonstration>& list) {
    if (episodes_.size() % 2 != 0) damaged(name_);
    for (std::size_t e = 0; e < episodes_.size(); e += 2) list.push_back(next(e));
    if (sensed_ != senses_.size() || steps_ != rewards_.size() || steps_ != present_.size() ||
        steps_ * own_.controls.size() != controls_.size() || advice_.size() != controls_.size())
      damaged(name_);
  }

 private:
  std::vector<float> get(const TensorFile& file, const char* what) const {
    const std::string name = name_ + "." + what;
    std::size_t numbers = 1;
    for (const std::size_t side : file.shape(name)) numbers *= side;
    std::vector<float> all(numbers);
    file.get(name, all);
    if (!std::all_of(all.begin(), all.end(), [](float x) { return std::isfinite(x); }))
      damaged(name_);
    return all;
  }

  template <class Number>
  std::vector<Number> taken(const std::vector<Number>& all, std::size_t first,
                            std::size_t count) const {
    if (first > all.size() || count > all.size() - first) damaged(name_);
    const auto begin = all.begin() + static_cast<std::ptrdiff_t>(first);
    return {begin, begin + static_cast<std::ptrdiff_t>(count)};
  }

  Demonstration next(std::size_t e) {
    const std::int64_t steps = episodes_[e], outcome = episodes_[e + 1];
    if (steps < 0 || steps > static_cast<std::int64_t>(rewards_.size()) ||
        outcome < static_cast<std::int64_t>(Outcome::success) ||
        outcome > static_cast<std::int64_t>(Outcome::cutoff))
      damaged(name_);
    const auto n = static_cast<std::size_t>(steps);
    const std::size_t columns = own_.columns.size(), each = own_.controls.size();
    Demonstration one{role_, static_cast<Outcome>(outcome)};
    one.senses = taken(senses_, sensed_, (n + 1) * columns);
    one.controls = taken(controls_, steps_ * each, n * each);
    one.advice = taken(advice_, steps_ * each, n * each);
    one.rewards = taken(rewards_, steps_, n);
    for (const std::byte flag : taken(present_, steps_, n))
      one.present.push_back(flag == std::byte{0} ? 0 : 1);
    for (std::size_t i = 0; i < one.controls.size(); ++i)
      if (!fits(own_.controls[i % each], one.controls[i]) ||
          !fits(own_.controls[i % each], one.advice[i]))
        damaged(name_);
    sensed_ += one.senses.size();
    steps_ += n;
    return one;
  }

  std::size_t role_;
  std::string name_;
  const Role& own_;
  std::vector<std::int64_t> episodes_;
  std::vector<float> senses_, controls_, advice_, rewards_;
  std::vector<std::byte> present_;
  std::size_t sensed_ = 0, steps_ = 0;  // numbers and steps cut off so far
};

}  // namespace

std::size_t Demonstrations::steps(std::span<const std::size_t> roles) const {
  std::size_t sum = 0;
  for (const Demonstration& one : list) sum += is_of(one, roles) ? one.steps() : 0;
  return sum;
}

double Demonstrations::success(std::span<const std::size_t> roles) const {
  double all = 0.0, successes = 0.0;
  for (const Demonstration& one : list) {
    if (!is_of(one, roles)) continue;
    all += 1.0;
    successes += one.outcome == Outcome::success ? 1.0 : 0.0;
  }
  return successes / std::max(1.0, all);
}

void Demonstrations::append(Demonstrations others) {
  std::move(others.list.begin(), others.list.end(), std::back_inserter(list));
}

void Demonstrations::store(TensorFile& file, const Game& game) const {
  file.metadata["format"] = file_format;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    std::vector<std::int64_t> episodes;
    std::vector<float> senses, controls, advice, rewards;
    std::vector<std::byte> present;
    for (const Demonstration& one : list) {
      if (one.role != r) continue;
      episodes.push_back(static_cast<std::int64_t>(one.steps()));
      episodes.push_back(static_cast<std::int64_t>(one.outcome));
      append_to(senses, std::span(one.senses));
      append_to(controls, std::span(one.controls));
      append_to(advice, std::span(one.wanted()));
      append_to(rewards, std::span(one.rewards));
      append_to(present, std::as_bytes(std::span(one.present)));
    }
    if (episodes.empty()) continue;
    file.metadata[role.name + ".columns"] = names_of_columns(role);
    file.metadata[role.name + ".controls"] = names_of_controls(role);
    file.put(role.name + ".episodes", std::span<const std::int64_t>(episodes));
    file.put(role.name + ".senses", {senses.size() / role.columns.size(), role.columns.size()},
             senses);
    file.put(role.name + ".controls", {rewards.size(), role.controls.size()}, controls);
    file.put(role.name + ".advice", {rewards.size(), role.controls.size()}, advice);
    file.put(role.name + ".rewards", {rewards.size()}, rewards);
    file.put(role.name + ".present", std::span<const std::byte>(present));
  }
}

bool Demonstrations::are_in(const TensorFile& file) {
  const auto format = file.metadata.find("format");
  return format != file.metadata.end() && format->second == file_format;
}

Demonstrations Demonstrations::from(const TensorFile& file, const Game& game) {
  Demonstrations all;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    if (!file.has(role.name + ".episodes")) continue;
    if (file.text(role.name + ".columns") != names_of_columns(role))
      refuse_role(role.name, "the role senses something else in the demonstrations");
    if (file.text(role.name + ".controls") != names_of_controls(role))
      refuse_role(role.name, "the role has other controls in the demonstrations");
    Cutter(file, game, r).cut(all.list);
  }
  return all;
}

}  // namespace zithercraft
