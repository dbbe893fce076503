#include "learn/sac/sac_trainee.hpp"

#include <algorithm>
#include <cmath>

#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/match/plan_fronts.hpp"
#include "zithercraft/net/tensor_file.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

constexpr std::size_t most_critic_outputs = 256;

void check_controls(const Role& role, const ActorCriticSettings& s) {
  const std::string where = "role '" + role.name + "'";
  const Heads heads(role.controls, role.columns);
  if (s.actor == ActorKind::deterministic && heads.combinations() > 1)
    throw Error(ErrorKind::refused, s.method + " learns dials, and the role has choices too", where,
                "train by sac or ppo, or by dqn if it has choices alone");
  if (heads.combinations() > most_critic_outputs)
    throw Error(ErrorKind::refused,
                s.method +
                    " has a value for each combination of options, and these are more than " +
                    std::to_string(most_critic_outputs),
                where, "train by ppo, or give the role fewer choices");
}

FrontSettings front_settings(const ActorCriticSettings& s) {
  return {s.pictures, s.picture_least, s.crowd_width, s.crowd_queries};
}

NetworkPlan fronts_for(const Role& role, const ActorCriticSettings& s) {
  NetworkPlan plan = plan_fronts(role, front_settings(s));
  plan.activation = s.activation;
  return plan;
}

PolicySignature squashed_signature(const Role& role, const ActorCriticSettings& s) {
  check_controls(role, s);
  NetworkPlan plan = fronts_for(role, s);
  plan.hidden = {s.policy_layers.begin(), s.policy_layers.end()};
  if (s.actor == ActorKind::sampled) plan.outputs += Heads(role.controls).dials();
  PolicySignature signature{role.name, role.columns, role.controls, std::move(plan)};
  signature.squashed = true;
  return signature;
}

NetworkPlan critic_for(const Role& role, const TeamView& view, const ActorCriticSettings& s) {
  const Heads heads(role.controls, role.columns);
  NetworkPlan plan = fronts_for(role, s);
  if (view.sees_others()) plan = view.widened(std::move(plan), true);
  plan.columns += heads.dials();
  plan.hidden = {s.value_layers.begin(), s.value_layers.end()};
  plan.outputs = heads.combinations();
  plan.pointers.clear();
  return plan;
}

OffPolicyLayout layout_for(const TrainingContext& context, const std::vector<std::size_t>& roles,
                           const ActorCriticSettings& s) {
  const Role& role = context.game.roles()[roles[0]];
  return {.signature = squashed_signature(role, s),
          .inputs = Network<float>(fronts_for(role, s)).input_stride(),
          .view = TeamView(context, roles, s.value_sees, front_settings(s))};
}

}  // namespace

SacTrainee::Room::Room(const SacTrainee& t, std::size_t rows)
    : policy(t.policy_.workspace(rows)),
      judged(rows * t.critic_.input_stride()),
      policy_gradient(rows * t.policy_.output_stride()),
      critic_gradient(rows * t.critic_.output_stride()),
      judged_gradient(rows * t.critic_.input_stride()),
      by_dial(rows * t.dials_.size()),
      worth(t.combinations_),
      targets(rows),
      said(t.critics_),
      no_spread(t.dials_.size()) {
  for (std::size_t c = 0; c < t.critics_; ++c) critics.push_back(t.critic_.workspace(rows));
  random.reserve(rows);
  drawn.dials = drawn.noise = drawn.stddev = by_dial;
  drawn.log_density = targets;
  drawn.logs.resize(rows * t.heads_.outputs());
  drawn.shares = drawn.logs;
  drawn.combined.resize(rows * t.combinations_);
  if (!t.cautious()) return;
  tried.resize(t.draws() * rows * t.dials_.size());
  densities.resize(t.draws() * rows);
  tried_values.resize(t.draws() * rows * t.combinations_);
}

SacTrainee::SacTrainee(TrainingContext& context, const std::vector<std::size_t>& roles,
                       const ActorCriticSettings& settings)
    : OffPolicy(context, roles, settings, layout_for(context, roles, settings)),
      actor_critic_(settings),
      policy_(signature_.policy),
      critic_(critic_for(role(), view_, settings)),
      critics_(static_cast<std::size_t>(settings.critics)),
      combinations_(heads_.combinations()) {
  std::size_t output = 0;
  for (std::size_t c = 0; c < role().controls.size(); ++c) {
    const std::size_t options = role().controls[c].options.size();
    (options == 0 ? dials_ : choices_).push_back({c, output, options});
    output += std::max<std::size_t>(1, options);
    if (options > 0)
      wanted_choice_entropy_ +=
          static_cast<float>(settings.choice_entropy * std::log(static_cast<double>(options)));
  }
  wanted_dial_entropy_ =
      static_cast<float>(settings.dial_entropy * static_cast<double>(dials_.size()));
  constexpr std::size_t aligned = 16;  // numbers of 64 bytes
  temperatures_offset_ = policy_.parameters();
  critics_offset_ = temperatures_offset_ + aligned;
  std::vector<std::size_t> ends{temperatures_offset_, critics_offset_};
  for (std::size_t c = 0; c < critics_; ++c) ends.push_back(ends.back() + critic_.parameters());
  make_room(ends, policy_.prepared() + critics_ * critic_.prepared());
  take_demonstrations();
  if (samples_dials()) {  // the policy itself says what it would do
    target_first_ = critics_offset_;
    target_prepared_first_ = policy_.prepared();
  }
  RandomStream random(seed(), 0, 0, Purpose::initialise);
  constexpr double last_gain = 0.01;  // nothing is preferred at first
  policy_.initialise(policy_part(parameters_.span()), random, last_gain);
  for (std::size_t c = 0; c < critics_; ++c)
    critic_.initialise(critic_part(parameters_.span(), c), random, 1.0);
  for (const Temperature which : {of_dials, of_choices})
    parameters_[temperatures_offset_ + which] = static_cast<float>(std::log(settings.temperature));
  prepare(parameters_.span(), prepared_.span());
  std::copy(parameters_.begin(), parameters_.end(), target_.begin());
  prepare(target_.span(), target_prepared_.span());
  for (std::size_t worker = 0; worker < context.pool.threads(); ++worker)
    rooms_.emplace_back(*this, most_network_rows());
  portion_sums_.resize(portions());
}

void SacTrainee::prepare(std::span<const float> parameters, std::span<float> prepared) const {
  policy_.prepare(policy_part(parameters), prepared_policy(prepared));
  for (std::size_t c = 0; c < critics_; ++c)
    critic_.prepare(critic_part(parameters, c), prepared_critic(prepared, c));
}

float SacTrainee::temperature(Temperature which) const {
  return std::exp(parameters_[temperatures_offset_ + which]);
}

bool SacTrainee::part_learns(std::size_t part) const {
  const bool now = minibatches_ % actor_critic_.policy_every == 0;
  if (part == 0) return now && !rests();
  if (part == 1) return now && !rests() && samples_dials() && actor_critic_.learn_temperature;
  return true;
}

SacTrainee::Sums& SacTrainee::Sums::operator+=(const Sums& other) {
  value_loss += other.value_loss;
  value += other.value;
  count += other.count;
  dial_entropy += other.dial_entropy;
  choice_entropy += other.choice_entropy;
  drawn += other.drawn;
  return *this;
}

// ---- playing

void SacTrainee::draw_dials(std::size_t row, std::span<const float> output, bool blurred,
                            RandomStream& random, Drawn& drawn) const {
  constexpr float half_log_two_pi = 0.918938533f, tiny = 1e-6f;
  float density = 0.0f;
  for (std::size_t d = 0; d < dials_.size(); ++d) {
    const std::size_t at = row * dials_.size() + d;
    const float mean = output[dials_[d].output];
    if (!samples_dials()) {
      float noise = 0.0f;
      if (blurred) {
        const auto limit = static_cast<float>(actor_critic_.target_noise_limit);
        noise = std::clamp(static_cast<float>(actor_critic_.target_noise) * random.normal(), -limit,
                           limit);
      }
      drawn.dials[at] = std::clamp(std::tanh(mean) + noise, -1.0f, 1.0f);
      drawn.noise[at] = drawn.stddev[at] = 0.0f;
      continue;
    }
    const float log = std::clamp(output[heads_.outputs() + d], Heads::least_log_stddev,
                                 Heads::most_log_stddev),
                z = random.normal(), stddev = std::exp(log);
    const float action = std::tanh(mean + stddev * z);
    drawn.dials[at] = action;
    drawn.noise[at] = z;
    drawn.stddev[at] = stddev;
    density -= z * z / 2 + log + half_log_two_pi + std::log(1.0f - action * action + tiny);
  }
  drawn.log_density[row] = density;
}

void SacTrainee::draw_choices(std::size_t row, std::span<const float> output, Drawn& drawn) const {
  for (const Place& choice : choices_) {
    const float* const logits = output.data() + choice.output;
    const float top = *std::max_element(logits, logits + choice.options);
    float sum = 0.0f;
    for (std::size_t o = 0; o < choice.options; ++o) sum += std::exp(logits[o] - top);
    for (std::size_t o = 0; o < choice.options; ++o) {
      const std::size_t at = row * heads_.outputs() + choice.output + o;
      drawn.logs[at] = std::max(-80.0f, logits[o] - top - std::log(sum));
      drawn.shares[at] = std::exp(logits[o] - top) / sum;
    }
  }
  heads_.combination_probabilities(
      output, std::span(drawn.combined).subspan(row * combinations_, combinations_));
}

void SacTrainee::draw(std::span<float> outputs, std::span<const float> allowed, bool blurred,
                      std::span<RandomStream> random, Drawn& drawn) const {
  const std::size_t stride = policy_.output_stride(), masks = heads_.masks();
  for (std::size_t row = 0; row < random.size(); ++row) {
    const auto output = outputs.subspan(row * stride, policy_.outputs());
    heads_.forbid<float>(allowed.subspan(row * masks, masks), output.first(heads_.outputs()));
    draw_dials(row, output, blurred, random[row], drawn);
    draw_choices(row, output, drawn);
  }
}

void SacTrainee::choose(const Deciding& d) {
  Room& room = rooms_[d.worker];
  const std::size_t stride = policy_.output_stride(), masks = heads_.masks(),
                    controls = heads_.controls();
  const auto parameters = d.past != nullptr ? d.past->parameters.span() : parameters_.span();
  const auto prepared = d.past != nullptr ? d.past->prepared.span() : prepared_.span();
  const auto outputs = policy_.forward(policy_part(parameters), prepared_policy(prepared), d.inputs,
                                       {1, d.rows, {}, {}}, room.policy);
  const bool any = d.explores() && warming_up() && !cloned_;
  const std::vector<float>& dials = room.drawn.dials;
  for (std::size_t i = 0; i < d.rows; ++i) {
    const auto output = outputs.subspan(i * stride, policy_.outputs());
    if (any) std::fill(output.begin(), output.end(), 0.0f);
    const auto heads = output.first(heads_.outputs());
    heads_.forbid<float>(d.allowed.subspan(i * masks, masks), heads);
    const auto action = d.actions.subspan(i * controls, controls);
    draw_dials(i, output, false, d.random[i], room.drawn);
    heads_.sample(heads, room.no_spread, d.random[i], action);
    for (std::size_t k = 0; k < dials_.size(); ++k) {
      float& dial = action[dials_[k].control];
      dial = dials[i * dials_.size() + k];
      if (any)
        dial = 2.0f * d.random[i].uniform() - 1.0f;
      else if (!samples_dials() && d.explores())
        dial = std::clamp(
            dial + static_cast<float>(actor_critic_.explore_noise) * d.random[i].normal(), -1.0f,
            1.0f);
    }
  }
}

// ---- keeping

void SacTrainee::rescale(double factor) {
  for (std::size_t c = 0; c < critics_; ++c)
    for (std::size_t output = 0; output < combinations_; ++output) {
      change_output(critic_.parts(), critic_part(parameters_.span(), c), output, {factor, 0.0});
      change_output(critic_.parts(), critic_part(target_.span(), c), output, {factor, 0.0});
    }
  for (const Temperature which : {of_dials, of_choices})
    parameters_[temperatures_offset_ + which] += static_cast<float>(std::log(factor));
}

void SacTrainee::store_networks(TensorFile& file, std::span<const float> parameters) const {
  store_network(file, "policy", policy_, policy_part(parameters));
  std::vector<float> spread(
      dials_.size(), static_cast<float>(std::log(std::max(1e-6, actor_critic_.explore_noise))));
  file.put("policy.log_stddev", {dials_.size()}, spread);
  for (std::size_t c = 0; c < critics_; ++c)
    store_network(file, "critic." + std::to_string(c), critic_, critic_part(parameters, c));
  file.put("temperatures", {2}, parameters.subspan(temperatures_offset_, 2));
}

void SacTrainee::fetch_networks(const TensorFile& file, std::span<float> parameters) const {
  fetch_network(file, "policy", policy_, policy_part(parameters));
  for (std::size_t c = 0; c < critics_; ++c)
    fetch_network(file, "critic." + std::to_string(c), critic_, critic_part(parameters, c));
  file.get("temperatures", parameters.subspan(temperatures_offset_, 2));
}

void SacTrainee::take_clone(const TensorFile& file) {
  fetch_network(file, "policy", policy_, policy_part(parameters_.span()));
}

void SacTrainee::store_target(TensorFile& file) const {
  store_network(file, "target.policy", policy_, policy_part(target_.span()));
  for (std::size_t c = 0; c < critics_; ++c)
    store_network(file, "target.critic." + std::to_string(c), critic_,
                  critic_part(target_.span(), c));
}

void SacTrainee::fetch_target(const TensorFile& file) {
  fetch_network(file, "target.policy", policy_, policy_part(target_.span()));
  for (std::size_t c = 0; c < critics_; ++c)
    fetch_network(file, "target.critic." + std::to_string(c), critic_,
                  critic_part(target_.span(), c));
}

}  // namespace zithercraft::learn_internal
