#include "learn/policy/team_view.hpp"

#include <algorithm>
#include <tuple>
#include <utility>

#include "net/network_tensors.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {
using namespace net_internal;
namespace {

bool same_side(const Role& a, const Role& b) { return !a.side.empty() && a.side == b.side; }

// In an order that is the same for roles that mirror each other.
std::vector<std::size_t> roles_seen_by(const Game& game, std::size_t role, Sight sight) {
  const auto roles = game.roles();
  // Whether of another side, what it mirrors, itself.
  std::vector<std::tuple<bool, std::size_t, std::size_t>> others;
  for (std::size_t r = 0; r < roles.size(); ++r) {
    const bool mate = same_side(roles[r], roles[role]);
    if (r != role && (mate || sight == Sight::everyone))
      others.emplace_back(!mate, roles[r].mirrors, r);
  }
  std::sort(others.begin(), others.end());
  std::vector<std::size_t> seen;
  if (roles[role].seats.size() > 1) seen.push_back(role);
  for (const auto& other : others) seen.push_back(std::get<2>(other));
  return seen;
}

std::string place_of(std::size_t kind) { return "seen/" + std::to_string(kind) + "/"; }

}  // namespace

std::size_t action_numbers(std::span<const ControlInfo> controls) {
  std::size_t numbers = 0;
  for (const ControlInfo& control : controls)
    numbers += std::max<std::size_t>(1, control.options.size());
  return numbers;
}

TeamView::TeamView(const TrainingContext& context, const std::vector<std::size_t>& roles,
                   Sight sight, const FrontSettings& fronts)
    : fronts_(fronts), roles_(roles) {
  if (sight == Sight::own) return;
  const auto all = context.game.roles();
  own_columns_ = all[roles[0]].columns.size();
  const auto shape = [&](std::size_t role, std::size_t seen) {
    return std::tuple(seen == role, all[seen].seats.size(), all[seen].columns.size(),
                      action_numbers(all[seen].controls));
  };
  const auto first_seen = roles_seen_by(context.game, roles[0], sight);
  for (const std::size_t seen : first_seen) {
    Kind& kind = kinds_.emplace_back();
    kind.mates = seen == roles[0];
    kind.own_policy = std::find(roles.begin(), roles.end(), seen) != roles.end();
    kind.seats = all[seen].seats.size() - (kind.mates ? 1 : 0);
    kind.columns = all[seen].columns.size();
    kind.action = action_numbers(all[seen].controls);
    kind.first_column = members_width_;
    members_width_ += kind.seats * (1 + kind.columns);
    kind.normaliser = normaliser_for(plan_fronts(all[seen], fronts));
    if (!kind.own_policy) kind.moments.resize(context.groups.size());
  }
  for (Kind& kind : kinds_) {
    kind.first_action = members_width_ + actions_width_;
    actions_width_ += kind.seats * kind.action;
    const std::size_t seen = first_seen[static_cast<std::size_t>(&kind - kinds_.data())];
    if (!kind.mates && !same_side(all[seen], all[roles[0]])) continue;
    for (std::size_t i = 0; i < kind.seats; ++i)
      mates_.push_back({seen, kind.first_column + i * (1 + kind.columns), kind.columns,
                        kind.first_action + i * kind.action, kind.action});
  }
  for (const std::size_t role : roles) {
    const auto seen = roles_seen_by(context.game, role, sight);
    bool alike = seen.size() == first_seen.size();
    for (std::size_t k = 0; alike && k < seen.size(); ++k) {
      alike = shape(role, seen[k]) == shape(roles[0], first_seen[k]);
      kinds_[k].roles.push_back(seen[k]);
    }
    if (!alike)
      throw Error(ErrorKind::spec,
                  "the roles '" + all[roles[0]].name + "' and '" + all[role].name +
                      "' share a policy, but the others that its value network would see differ",
                  "learner.value_sees", "let both sides have the same roles, or take 'own'");
  }
  if (kinds_.empty())
    throw Error(
        ErrorKind::spec,
        "there is no other seat that the value network of '" + all[roles[0]].name + "' could see",
        "learner.value_sees", all.size() > 1 ? "take 'everyone', or 'own'" : "take 'own'");
}

std::vector<std::string> TeamView::names(const Game& game) const {
  std::vector<std::string> names;
  if (!sees_others()) return names;
  for (const Column& column : game.roles()[roles_[0]].columns) names.push_back(column.name);
  const auto other = [&](const Kind& kind, std::size_t i) {
    return game.roles()[kind.roles[0]].name + "[" + std::to_string(i + (kind.mates ? 1 : 0)) + "].";
  };
  for (const Kind& kind : kinds_)
    for (std::size_t i = 0; i < kind.seats; ++i) {
      names.push_back(other(kind, i) + "here");
      for (const Column& column : game.roles()[kind.roles[0]].columns)
        names.push_back(other(kind, i) + column.name);
    }
  for (const Kind& kind : kinds_)
    for (std::size_t i = 0; i < kind.seats; ++i)
      for (const ControlInfo& control : game.roles()[kind.roles[0]].controls) {
        if (!control.is_choice()) names.push_back(other(kind, i) + control.name);
        for (const auto& option : control.options)
          names.push_back(other(kind, i) + control.name + "." + option);
      }
  return names;
}

NetworkPlan TeamView::widened(NetworkPlan plan, bool with_actions) const {
  plan.columns = with_actions ? credit_columns() : value_columns();
  if (fronts_.crowd_width == 0) return plan;
  for (std::size_t k = 0; k < kinds_.size(); ++k) {
    const Kind& kind = kinds_[k];
    CrowdFront front{.name = "others." + std::to_string(k),
                     .others = kind.seats,
                     .columns_each = 1 + kind.columns + (with_actions ? kind.action : 0),
                     .width = static_cast<std::size_t>(fronts_.crowd_width),
                     .queries = static_cast<std::size_t>(fronts_.crowd_queries)};
    for (std::size_t i = 0; i < kind.seats; ++i) {
      const std::size_t first = own_columns_ + kind.first_column + i * (1 + kind.columns);
      for (std::size_t c = 0; c < 1 + kind.columns; ++c)
        front.columns.push_back(static_cast<std::uint32_t>(first + c));
      for (std::size_t c = 0; with_actions && c < kind.action; ++c)
        front.columns.push_back(
            static_cast<std::uint32_t>(own_columns_ + kind.first_action + i * kind.action + c));
    }
    plan.crowds.push_back(std::move(front));
  }
  return plan;
}

// Calls `use` with each other's kind, its place in the kind, its role and its row in the lanes; not
// with those who are out of the arena.
template <class Use>
void TeamView::each_other(const TrainingContext& context, std::size_t played, std::size_t lane,
                          std::size_t seat, Use use) const {
  for (const Kind& kind : kinds_) {
    const std::size_t role = kind.roles[played];
    const std::size_t seats = context.environment->seats(role);
    std::size_t place = 0;
    for (std::size_t s = 0; s < seats; ++s) {
      if (kind.mates && s == seat) continue;
      if (context.environment->present(role, lane * seats + s))
        use(kind, place, role, lane * seats + s);
      ++place;
    }
  }
}

void TeamView::show(const TrainingContext& context, std::size_t played, std::size_t lane,
                    std::size_t seat, const Normaliser& own, std::span<float> row) const {
  const std::size_t role = roles_[played];
  own.apply(context.environment->observation(role, lane * context.environment->seats(role) + seat),
            row);
  const auto others = row.subspan(own_columns_);
  std::fill_n(others.begin(), members_width_, 0.0f);
  each_other(context, played, lane, seat,
             [&](const Kind& kind, std::size_t place, std::size_t other, std::size_t lane_row) {
               const auto to =
                   others.subspan(kind.first_column + place * (1 + kind.columns), 1 + kind.columns);
               to[0] = 1.0f;
               (kind.own_policy ? own : kind.normaliser)
                   .apply(context.environment->observation(other, lane_row), to.subspan(1));
             });
}

void TeamView::show_actions(const TrainingContext& context, std::size_t played, std::size_t lane,
                            std::size_t seat, std::span<float> row) const {
  write_actions(context, played, lane, seat, row.subspan(own_columns_));
}

void TeamView::take_down(const TrainingContext& context, std::size_t played, std::size_t lane,
                         std::size_t seat, std::span<float> others) const {
  std::fill_n(others.begin(), members_width_, 0.0f);
  each_other(context, played, lane, seat,
             [&](const Kind& kind, std::size_t place, std::size_t other, std::size_t lane_row) {
               const auto senses = context.environment->observation(other, lane_row);
               const auto to = others.subspan(kind.first_column + place * (1 + kind.columns));
               to[0] = 1.0f;
               std::copy(senses.begin(), senses.end(), to.begin() + 1);
             });
  write_actions(context, played, lane, seat, others);
}

void TeamView::normalise(const Normaliser& own, std::span<float> others) const {
  for (const Kind& kind : kinds_)
    for (std::size_t i = 0; i < kind.seats; ++i) {
      const auto one = others.subspan(kind.first_column + i * (1 + kind.columns), 1 + kind.columns);
      if (one[0] == 0.0f) continue;
      (kind.own_policy ? own : kind.normaliser).apply(one.subspan(1), one.subspan(1));
    }
}

void TeamView::write_actions(const TrainingContext& context, std::size_t played, std::size_t lane,
                             std::size_t seat, std::span<float> others) const {
  std::fill_n(others.begin() + static_cast<std::ptrdiff_t>(members_width_), actions_width_, 0.0f);
  each_other(context, played, lane, seat,
             [&](const Kind& kind, std::size_t place, std::size_t other, std::size_t lane_row) {
               const auto& controls = context.game.roles()[other].controls;
               const auto given = context.environment->given_controls(other).subspan(
                   lane_row * controls.size(), controls.size());
               std::size_t at = kind.first_action + place * kind.action;
               for (std::size_t c = 0; c < controls.size(); ++c) {
                 const ControlInfo& control = controls[c];
                 if (control.is_choice()) {
                   others[at + static_cast<std::size_t>(given[c])] = 1.0f;
                   at += control.options.size();
                 } else {
                   const double middle = 0.5 * (control.low + control.high),
                                half = 0.5 * (control.high - control.low);
                   others[at++] =
                       static_cast<float>((static_cast<double>(given[c]) - middle) / half);
                 }
               }
             });
}

void TeamView::begin_rollout(std::size_t group) {
  for (Kind& kind : kinds_)
    if (!kind.own_policy) kind.moments[group].clear(kind.columns);
}

void TeamView::note(const TrainingContext& context, std::size_t group) {
  const LaneGroup& played = context.groups[group];
  for (Kind& kind : kinds_)
    if (!kind.own_policy)
      for (const std::size_t role : kind.roles) {
        const std::size_t each = context.environment->seats(role) * kind.columns;
        kind.moments[group].add(context.environment->observations(role).subspan(
            played.first_lane * each, played.lanes * each));
      }
}

void TeamView::fold() {
  for (Kind& kind : kinds_)
    for (const auto& moments : kind.moments)
      if (moments.count > 0.0) kind.normaliser.fold(moments);
}

std::vector<Normaliser::Moments*> TeamView::moments(std::size_t group) {
  std::vector<Normaliser::Moments*> all;
  for (Kind& kind : kinds_)
    if (!kind.own_policy) all.push_back(&kind.moments[group]);
  return all;
}

void TeamView::store(TensorFile& file) const {
  for (std::size_t k = 0; k < kinds_.size(); ++k) {
    if (kinds_[k].own_policy) continue;
    TensorFile part;
    store_normaliser(part, kinds_[k].normaliser);
    file.put_part(place_of(k), part);
  }
}

void TeamView::restore(const TensorFile& file) {
  for (std::size_t k = 0; k < kinds_.size(); ++k)
    if (!kinds_[k].own_policy) fetch_normaliser(file.part(place_of(k)), kinds_[k].normaliser);
}

}  // namespace zithercraft::learn_internal
