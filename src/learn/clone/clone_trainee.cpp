#include "learn/clone/clone_trainee.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

// Held-out steps that are looked at, evenly spread.
constexpr std::size_t most_held_out = 20'000;
constexpr std::size_t aligned = 16;  // numbers of 64 bytes

PolicySignature clone_signature(const Role& role, const CloneSettings& s) {
  const NetworkKind kind = network_kind_of(s.continued_by);
  const Imitation imitation(kind.kind, role.controls, role.columns);
  if (kind.kind == PolicyKind::values && imitation.heads().dials() > 0)
    throw Error(ErrorKind::refused, "dqn learns choices, and the role has a dial",
                "role '" + role.name + "'", "set continued_by to sac, td3 or ppo");
  if (kind.kind == PolicyKind::pointed && imitation.heads().combinations() > 1)
    throw Error(ErrorKind::refused, s.continued_by + " learns dials, and the role has choices too",
                "role '" + role.name + "'", "set continued_by to sac or ppo");
  NetworkPlan plan =
      plan_fronts(role, {s.pictures, s.picture_least, s.crowd_width, s.crowd_queries});
  if (s.activation) plan.activation = *s.activation;
  plan.hidden = {s.policy_layers->begin(), s.policy_layers->end()};
  plan.outputs = imitation.outputs();
  PolicySignature signature{role.name, role.columns, role.controls, std::move(plan)};
  signature.rates = kind.kind == PolicyKind::values;
  signature.squashed = kind.kind == PolicyKind::squashed || kind.kind == PolicyKind::pointed;
  return signature;
}

OffPolicyLayout clone_layout(const Role& role, const CloneSettings& s) {
  PolicySignature signature = clone_signature(role, s);
  const std::size_t inputs = Network<float>(signature.policy).input_stride();
  return {.signature = std::move(signature), .inputs = inputs};
}

std::size_t up_to_line(std::size_t numbers) { return (numbers + aligned - 1) / aligned * aligned; }

}  // namespace

CloneTrainee::Room::Room(const CloneTrainee& t, std::size_t rows)
    : net(t.net_.workspace(rows)),
      gradient(rows * t.net_.output_stride()),
      inputs(rows * t.input_stride_),
      senses(rows * t.role().columns.size()),
      allowed(rows * t.heads_.masks()),
      kept(2 * t.net_.outputs()),
      greedy(t.heads_.controls()),
      no_deviations(t.heads_.dials()) {}

CloneTrainee::CloneTrainee(TrainingContext& context, std::vector<std::size_t> roles,
                           const CloneSettings& settings)
    : OffPolicy(context, roles, off_policy_settings(settings),
                clone_layout(context.game.roles()[roles[0]], settings)),
      clone_(settings),
      imitation_(network_kind_of(settings.continued_by).kind, role().controls, role().columns),
      net_(signature_.policy) {
  const std::array<std::size_t, 1> ends{net_.parameters() + up_to_line(imitation_.deviations())};
  make_room(ends, net_.prepared());
  RandomStream random(seed(), 0, 0, Purpose::initialise);
  constexpr double last_gain = 0.01;  // nothing is preferred at first
  net_.initialise(parameters_.span().first(net_.parameters()), random, last_gain);
  constexpr float first_stddev = 0.5f;
  std::fill_n(parameters_.begin() + static_cast<std::ptrdiff_t>(net_.parameters()),
              imitation_.deviations(), std::log(first_stddev));
  net_.prepare(parameters_.span(), prepared_.span());
  best_ = parameters_;
  for (std::size_t worker = 0; worker < context.pool.threads(); ++worker)
    rooms_.emplace_back(*this, most_network_rows());
  portion_sums_.resize(portions());
  hold_out();
}

// Every tenth episode, say, is not learned from.
void CloneTrainee::hold_out() {
  const auto all = demonstrations_of(context_.demonstrations, roles_);
  if (all.empty()) return;
  teacher_success_ = context_.demonstrations->success(roles_);
  std::vector<const Demonstration*> held, rest;
  double due = 0.0;
  for (const Demonstration* one : all) {
    due += clone_.held_out;
    const bool out = due >= 1.0;
    if (out) due -= 1.0;
    (out ? held : rest).push_back(one);
  }
  if (held.empty() && clone_.held_out > 0.0 && rest.size() > 1) {
    held.push_back(rest.back());
    rest.pop_back();
  }
  shown_ = experience_of(rest, role(), heads_, *settings_.discount, {}, true);
  if (held.empty()) return;
  held_out_ = experience_of(held, role(), heads_, *settings_.discount, {}, true);
  for (std::size_t place = 0; place < held_out_->places(); ++place)
    if (held_out_->learnable(place)) held_out_places_.push_back(place);
  const std::size_t each = (held_out_places_.size() + most_held_out - 1) / most_held_out;
  if (each < 2) return;
  for (std::size_t i = 0; i * each < held_out_places_.size(); ++i)
    held_out_places_[i] = held_out_places_[i * each];
  held_out_places_.resize((held_out_places_.size() + each - 1) / each);
}

CloneTrainee::Sums& CloneTrainee::Sums::operator+=(const Sums& other) {
  loss += other.loss;
  agreement += other.agreement;
  count += other.count;
  return *this;
}

// ---- playing

void CloneTrainee::choose(const Deciding& d) {
  Room& room = rooms_[d.worker];
  const auto outputs =
      net_.forward(parameters_.span(), prepared_.span(), d.inputs, {1, d.rows, {}, {}}, room.net);
  const std::size_t masks = heads_.masks(), controls = heads_.controls();
  for (std::size_t i = 0; i < d.rows; ++i) {
    const auto row = outputs.subspan(i * net_.output_stride(), heads_.outputs());
    heads_.forbid<float>(d.allowed.subspan(i * masks, masks), row);
    const auto action = d.actions.subspan(i * controls, controls);
    heads_.greedy(row, action);
    if (signature_.squashed) heads_.squash(action);
  }
}

// ---- learning

void CloneTrainee::add_transitions(const TransitionRows& rows, std::span<float> gradient) {
  Room& room = rooms_[rows.worker];
  Sums& sums = portion_sums_[rows.portion] = {};
  const std::size_t n = rows.transitions.size(), stride = net_.output_stride(),
                    masks = heads_.masks();
  const Network<float>::Order order{1, n, {}, {}};
  const auto outputs =
      net_.forward(parameters_.span(), prepared_.span(), rows.inputs, order, room.net);
  const auto by_output = room.gradient.span().first(n * stride);
  std::fill(by_output.begin(), by_output.end(), 0.0f);
  for (std::size_t i = 0; i < n; ++i) {
    const auto row = outputs.subspan(i * stride, net_.outputs());
    heads_.forbid<float>(rows.allowed.subspan(i * masks, masks), row.first(heads_.outputs()));
    const auto action = source_of(rows.transitions[i]).action(rows.transitions[i].place);
    sums.loss += static_cast<double>(
        imitation_.loss(row, deviations(parameters_.span()), action, rows.scale, room.kept.span(),
                        by_output.subspan(i * stride, net_.outputs()),
                        gradient.subspan(net_.parameters(), imitation_.deviations())));
    sums.agreement += static_cast<double>(imitation_.agreement(row, action, room.greedy.span()));
    sums.count += 1.0;
  }
  const float decay = rows.scale * static_cast<float>(n) * static_cast<float>(clone_.weight_decay);
  for (std::size_t i = 0; i < net_.parameters(); ++i) gradient[i] += decay * parameters_[i];
  net_.backward(parameters_.span(), prepared_.span(), rows.inputs, order, by_output, room.net,
                gradient.first(net_.parameters()));
}

void CloneTrainee::after_step() {
  for (const Sums& sums : portion_sums_) sums_ += sums;
  unseen_ += static_cast<double>(transitions_.size());
}

// Demonstrations and what was advised are drawn as if they were one.
std::size_t CloneTrainee::shown_transitions() const {
  const double shown = shown_ ? static_cast<double>(shown_->transitions()) : 0.0,
               played = static_cast<double>(experience_.transitions());
  return static_cast<std::size_t>(std::llround(static_cast<double>(transitions_.size()) * shown /
                                               std::max(1.0, shown + played)));
}

double CloneTrainee::rate() const {
  const double fallen = std::pow(3.0, -static_cast<double>(falls_));
  return clone_.learning_rate * fallen * (1.0 - 0.9 * done());
}

CloneTrainee::Sums CloneTrainee::judge_some(std::size_t first, std::size_t count,
                                            Room& room) const {
  const std::size_t columns = role().columns.size(), masks = heads_.masks(),
                    stride = net_.output_stride();
  for (std::size_t i = 0; i < count; ++i) {
    const auto senses =
        held_out_->senses(held_out_places_[first + i], room.senses.span().first(columns));
    heads_.read_masks(senses, room.allowed.span().subspan(i * masks, masks));
    normaliser_.apply(senses, room.inputs.span().subspan(i * input_stride_), input_stride_);
  }
  const auto outputs = net_.forward(parameters_.span(), prepared_.span(), room.inputs.span(),
                                    {1, count, {}, {}}, room.net);
  Sums sums;
  for (std::size_t i = 0; i < count; ++i) {
    const auto row = outputs.subspan(i * stride, net_.outputs());
    heads_.forbid<float>(room.allowed.span().subspan(i * masks, masks),
                         row.first(heads_.outputs()));
    const auto action = held_out_->action(held_out_places_[first + i]);
    // The gradient goes nowhere.
    sums.loss += static_cast<double>(
        imitation_.loss(row, deviations(parameters_.span()), action, 0.0f, room.kept.span(),
                        room.gradient.span().first(net_.outputs()), room.no_deviations.span()));
    sums.agreement += static_cast<double>(imitation_.agreement(row, action, room.greedy.span()));
    sums.count += 1.0;
  }
  return sums;
}

CloneTrainee::Sums CloneTrainee::judge_held_out() {
  constexpr std::size_t each = transitions_per_portion;
  std::vector<Sums> portions((held_out_places_.size() + each - 1) / each);
  context_.pool.run(portions.size(), [&](std::size_t portion, std::size_t worker) {
    const std::size_t first = portion * each;
    portions[portion] =
        judge_some(first, std::min(each, held_out_places_.size() - first), rooms_[worker]);
  });
  Sums all;
  for (const Sums& sums : portions) all += sums;
  return all;
}

// What is played is the policy that does best with what it has not learned from. Where it plays
// itself, other states count than those of the demonstrations: it is then the present one.
void CloneTrainee::look_at_held_out() {
  held_out_sums_ = judge_held_out();
  const double loss = held_out_sums_.loss / std::max(1.0, held_out_sums_.count);
  ++looks_;
  if (clone_.interactive) return;
  if (looks_ == 1 || loss < best_loss_) {
    best_loss_ = loss;
    best_ = parameters_;
    stalls_ = 0;
    return;
  }
  if (clone_.patience == 0 || ++stalls_ < clone_.patience) return;
  stalls_ = 0;
  ++falls_;
  parameters_ = best_;
  prepare(parameters_.span(), prepared_.span());
}

void CloneTrainee::end_improvement() {
  const double pass = shown_ ? static_cast<double>(shown_->transitions()) : 0.0;
  if (!held_out_places_.empty() && unseen_ >= pass) {
    unseen_ = 0.0;
    look_at_held_out();
  }
  if (clone_.interactive || held_out_places_.empty()) best_ = parameters_;
}

void CloneTrainee::add_metrics(std::vector<Metric>& metrics) const {
  const double count = std::max(1.0, sums_.count), held = std::max(1.0, held_out_sums_.count);
  metrics.insert(metrics.end(), {{"imitation_loss", sums_.loss / count},
                                 {"agreement", sums_.agreement / count},
                                 {"teacher_success", teacher_success_}});
  if (held_out_sums_.count > 0.0)
    metrics.insert(metrics.end(), {{"held_out_loss", held_out_sums_.loss / held},
                                   {"held_out_agreement", held_out_sums_.agreement / held}});
}

std::string CloneTrainee::standing() const {
  const auto percent = [](const Sums& sums) {
    return std::to_string(std::llround(100.0 * sums.agreement / std::max(1.0, sums.count)));
  };
  if (held_out_sums_.count == 0.0) return "agreement " + percent(sums_) + "%";
  return "agreement " + percent(sums_) + "%, held out " + percent(held_out_sums_) + "%";
}

// ---- keeping

void CloneTrainee::store_networks(TensorFile& file, std::span<const float>) const {
  store_network(file, "policy", net_, best_.span());
  std::vector<float> spread(heads_.dials(), std::log(0.2f));
  const auto own = deviations(best_.span());
  std::copy(own.begin(), own.end(), spread.begin());
  file.put("policy.log_stddev", {spread.size()}, spread);
}

void CloneTrainee::fetch_networks(const TensorFile& file, std::span<float> parameters) const {
  fetch_network(file, "policy", net_, parameters);
  if (imitation_.deviations() > 0)
    file.get("policy.log_stddev", parameters.subspan(net_.parameters(), imitation_.deviations()));
}

void CloneTrainee::store(TensorFile& file) const {
  OffPolicy::store(file);
  store_network(file, "student", net_, parameters_.span());
  file.put("student.log_stddev", {imitation_.deviations()}, deviations(parameters_.span()));
  const std::array<std::int64_t, 3> counts{looks_, stalls_, falls_};
  file.put("clone.counts", std::span<const std::int64_t>(counts));
  const std::array<double, 2> numbers{best_loss_, unseen_};
  file.put("clone.numbers", std::span<const double>(numbers));
}

void CloneTrainee::restore(const TensorFile& file) {
  OffPolicy::restore(file);
  best_ = parameters_;
  fetch_network(file, "student", net_, parameters_.span());
  file.get("student.log_stddev",
           parameters_.span().subspan(net_.parameters(), imitation_.deviations()));
  prepare(parameters_.span(), prepared_.span());
  const auto counts = file.integers("clone.counts");
  const auto numbers = file.doubles("clone.numbers");
  if (counts.size() != 3 || numbers.size() != 2 ||
      *std::min_element(counts.begin(), counts.end()) < 0)
    throw Error(ErrorKind::refused, "the checkpoint lacks what the clone counts", "checkpoint",
                "resume a run of this method");
  looks_ = counts[0];
  stalls_ = counts[1];
  falls_ = counts[2];
  best_loss_ = numbers[0];
  unseen_ = numbers[1];
}

Continuation CloneTrainee::continue_from(const TensorFile& file) {
  Continuation taken = OffPolicy::continue_from(file);
  best_ = parameters_;
  return taken;
}

}  // namespace zithercraft::learn_internal
