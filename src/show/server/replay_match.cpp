#include "show/server/replay_match.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "show/pictures/frames.hpp"
#include "show/pictures/scene.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/match/player.hpp"
#include "zithercraft/net/network_map.hpp"
#include "zithercraft/net/state_table.hpp"
#include "zithercraft/run/table_csv.hpp"

namespace zithercraft::show_internal {
namespace {

// Events that are too many or too dull to be marked on the time line.
bool is_quiet(EventKind kind) {
  constexpr std::array quiet{EventKind::part, EventKind::inside, EventKind::pass, EventKind::leave};
  return std::find(quiet.begin(), quiet.end(), kind) != quiet.end();
}

constexpr std::size_t most_links = 1500;  // of a network that are shown, the strongest

// Columns that tell something, with each of their bins in words, and what options are called.
Json table_of(const Policy& policy, const StateTable& table) {
  Json columns = Json::array();
  for (std::size_t c = 0; c < policy.columns(); ++c) {
    const auto& edges = table.bins().edges[c];
    if (edges.empty()) continue;
    Json bins = Json::array();
    for (std::size_t bin = 0; bin <= edges.size(); ++bin)
      bins.push_back(range_text(policy.signature().columns[c], edges, bin));
    columns.push_back({{"column", c}, {"bins", std::move(bins)}});
  }
  return {{"columns", std::move(columns)},
          {"combinations", Json(combination_names(policy.signature().controls))}};
}

// For each of these columns its bin; how often the row was learned from, -1 if there is none; then
// what each combination is worth.
void append_row(const StateTable& table, std::span<const float> senses, std::string& bytes) {
  std::vector<std::uint64_t> key(table.words());
  table.key(senses, key);
  const std::size_t row = table.find(key);
  std::vector<float> numbers, values(table.combinations(), table.first_value());
  for (std::size_t c = 0; c < senses.size(); ++c)
    if (!table.bins().edges[c].empty())
      numbers.push_back(static_cast<float>(table.bins().bin(c, senses[c])));
  numbers.push_back(row == StateTable::none ? -1.0f : static_cast<float>(table.visits(row)));
  if (row != StateTable::none) table.mean_row(row, values);
  numbers.insert(numbers.end(), values.begin(), values.end());
  bytes.append(reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(float));
}

Json network_of(const Policy& policy) {
  if (policy.table() != nullptr) return table_of(policy, *policy.table());
  NetworkMap map = map_of(policy);
  if (map.links.size() > most_links) {
    std::nth_element(map.links.begin(), map.links.begin() + static_cast<std::ptrdiff_t>(most_links),
                     map.links.end(), [](const auto& a, const auto& b) {
                       return std::fabs(a.weight) > std::fabs(b.weight);
                     });
    map.links.resize(most_links);
  }
  constexpr const char* kinds[] = {"input", "bias", "hidden", "remembered", "output"};
  Json nodes = Json::array(), links = Json::array();
  for (const auto& node : map.nodes)
    nodes.push_back({{"name", node.name},
                     {"kind", kinds[static_cast<std::size_t>(node.kind)]},
                     {"layer", node.layer},
                     {"used", node.used}});
  for (const auto& link : map.links) links.push_back({link.from, link.to, link.weight, link.back});
  return {{"nodes", nodes}, {"links", links}, {"layers", map.layers}};
}

}  // namespace

void check_policies(std::size_t replays, const std::vector<Policy>& policies) {
  if (policies.size() > 1 && policies.size() != replays)
    throw Error(ErrorKind::usage, "there are neither as many policies as replays nor one for all",
                "network", "name one, or one for each");
}

ReplayMatch::ReplayMatch(Replay replay, std::string name)
    : replay_(std::move(replay)),
      name_(std::move(name)),
      per_message_(moments_per_message(replay_.game())) {
  Json episodes = Json::array(), forms = Json::array();
  for (std::size_t e = 0; e < replay_.episodes().size(); ++e) {
    Json marks = Json::array();
    for (std::uint32_t d = 0; d < replay_.episodes()[e].moments; ++d) {
      const Moment& m = replay_.moment(e, d);
      if (d == 0) {
        Json form = forms_of(replay_.game().arena(), m.state.data());
        if (forms.empty() || forms.back() != form) forms.push_back(std::move(form));
      }
      for (const Event& event : m.events)
        if (!is_quiet(event.kind))
          marks.push_back({d, event.kind, event.who.number(), event.whom.number(), event.detail});
    }
    episodes.push_back({{"moments", replay_.episodes()[e].moments},
                        {"outcome", replay_.episodes()[e].outcome},
                        {"forms", forms.size() - 1},
                        {"marks", std::move(marks)}});
  }
  meta_ = {{"name", name_},
           {"scene", scene_of(replay_.game(), replay_.info().players)},
           {"episodes", std::move(episodes)},
           {"forms", std::move(forms)},
           {"per_message", per_message_}};
}

std::size_t ReplayMatch::messages(std::size_t episode) const {
  return (replay_.episodes()[episode].moments + per_message_ - 1) / per_message_;
}

void ReplayMatch::show_network(const Policy& policy) {
  const Game& game = replay_.game();
  for (std::size_t role = 0; role < game.roles().size(); ++role) {
    const Role &own = game.roles()[role], &like = game.roles()[own.mirrors];
    const std::string& name = policy.signature().role;
    if (own.name != name && like.name != name) continue;
    policy_player(game, role, policy);  // refuses what does not fit
    policies_.insert_or_assign(role, policy);
    meta_["networks"][std::to_string(role)] = network_of(policy);
  }
  if (policies_.empty())
    throw Error(ErrorKind::refused,
                "no role of the replay is named '" + policy.signature().role + "'", name_,
                "name a policy of this game");
}

std::vector<std::size_t> ReplayMatch::networks() const {
  std::vector<std::size_t> roles;
  for (const auto& [role, policy] : policies_) roles.push_back(role);
  return roles;
}

std::string ReplayMatch::nodes(std::size_t role, std::size_t episode) {
  const auto found = policies_.find(role);
  if (found == policies_.end() || episode >= episodes())
    throw Error(ErrorKind::usage, "no network is shown there", name_,
                "ask for what its list names");
  Policy& policy = found->second;
  const std::size_t seats = replay_.game().roles()[role].seats.size();
  std::vector<float> memory(seats * policy.memory());
  std::string bytes;
  for (std::uint32_t d = 0; d < replay_.episodes()[episode].moments; ++d) {
    const auto& sensed = replay_.moment(episode, d).roles[role].observations;
    for (std::size_t seat = 0; seat < seats; ++seat) {
      const auto senses = std::span(sensed).subspan(seat * policy.columns(), policy.columns());
      if (policy.table() != nullptr) {
        append_row(*policy.table(), senses, bytes);
        continue;
      }
      const auto values = policy.node_values(
          senses, std::span(memory).subspan(seat * policy.memory(), policy.memory()));
      bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(float));
    }
  }
  return bytes;
}

std::string ReplayMatch::message(std::size_t episode, std::size_t number) {
  if (episode >= episodes() || number >= messages(episode))
    throw Error(ErrorKind::usage, "there is no such part of the replay", name_,
                "ask for what its list names");
  FrameChunk chunk(replay_.game());
  const std::size_t first = number * per_message_,
                    end = std::min<std::size_t>(first + per_message_,
                                                replay_.episodes()[episode].moments);
  for (std::size_t d = first; d < end; ++d) {
    const auto step = static_cast<std::uint32_t>(d);
    const auto& ticks = replay_.ticks(episode, step);
    chunk.add(replay_.moment(episode, step), ticks);
  }
  return chunk.take();
}

}  // namespace zithercraft::show_internal
