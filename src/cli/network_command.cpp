#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "base/json.hpp"
#include "cli/commands.hpp"
#include "cli/file_guard.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/zithercraft.hpp"

namespace zithercraft::cli {
namespace {

using Kind = NetworkMap::Kind;

struct Strength {
  std::size_t node = 0;
  double out = 0.0;  // sum of the strengths of the links that come from it
};

// Inputs by how strongly they are listened to.
std::vector<Strength> inputs_by_strength(const NetworkMap& map) {
  std::vector<Strength> list;
  for (std::size_t i = 0; i < map.nodes.size(); ++i)
    if (map.nodes[i].kind == Kind::input) list.push_back({i});
  for (const auto& link : map.links)
    for (Strength& s : list)
      if (s.node == link.from) s.out += std::fabs(static_cast<double>(link.weight));
  std::stable_sort(list.begin(), list.end(),
                   [](const Strength& a, const Strength& b) { return a.out > b.out; });
  return list;
}

std::size_t count(const NetworkMap& map, Kind kind) {
  return static_cast<std::size_t>(std::count_if(map.nodes.begin(), map.nodes.end(),
                                                [&](const auto& n) { return n.kind == kind; }));
}

void print_links(const NetworkMap& map, std::size_t node) {
  fmt::print("\nlinks of {}:\n", map.nodes[node].name);
  std::vector<NetworkMap::Link> links;
  for (const auto& link : map.links)
    if (link.from == node || link.to == node) links.push_back(link);
  std::stable_sort(links.begin(), links.end(), [](const auto& a, const auto& b) {
    return std::fabs(a.weight) > std::fabs(b.weight);
  });
  for (const auto& link : links)
    fmt::print("  {:<28} > {:<28} {:+.3f}{}\n", map.nodes[link.from].name, map.nodes[link.to].name,
               link.weight, link.back ? "  from the step before" : "");
  if (links.empty()) fmt::print("  none: it is not used\n");
}

void print_table(const Policy& policy, const std::string& name) {
  const StateTable& table = *policy.table();
  std::vector<std::size_t> order(table.size());
  for (std::size_t row = 0; row < order.size(); ++row) order[row] = row;
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return table.visits(a) > table.visits(b); });
  fmt::print("{}: a table of {} states that were met, of {:.3g} that there can be\n\n",
             policy.signature().role, table.size(), table.bins().states());
  const auto names = combination_names(policy.signature().controls);
  constexpr std::size_t most = 10;
  std::vector<float> values(table.combinations());
  for (std::size_t i = 0; i < std::min(most, order.size()); ++i) {
    table.mean_row(order[i], values);
    const auto best =
        static_cast<std::size_t>(std::max_element(values.begin(), values.end()) - values.begin());
    fmt::print("  {:>10} times  {:<12} {:+.3f}  {}\n", table.visits(order[i]), names[best],
               values[best], state_text(policy, order[i]));
  }
  if (order.size() > most)
    fmt::print("  and {} more: `zithercraft network {} --table FILE.csv` writes them all\n",
               order.size() - most, name);
}

Json table_json(const Policy& policy) {
  const StateTable& table = *policy.table();
  return {{"role", policy.signature().role},
          {"states", table.size()},
          {"possible_states", table.bins().states()},
          {"combinations", combination_names(policy.signature().controls)}};
}

// A table has neither nodes nor links.
int show_table(const NetworkCommand& c, const Policy& policy) {
  for (const auto& [option, given] :
       {std::pair{"--graph", c.graph}, {"--weights", c.weights}, {"--column", c.column}})
    if (!given.empty())
      throw Error(ErrorKind::usage, "the policy is a table, not a network", option,
                  "write the table with --table FILE.csv");
  if (!c.table.empty()) write_atomically(c.table, table_csv(policy));
  if (c.json)
    fmt::print("{}\n", table_json(policy).dump(2));
  else
    print_table(policy, c.policy);
  if (!c.table.empty() && !c.json) fmt::print("table: {}\n", c.table);
  return done;
}

}  // namespace

std::filesystem::path checkpoint_named(const std::string& name) {
  const auto file = PlayerSource::find(name).checkpoint();
  if (file) return *file;
  throw Error(ErrorKind::usage, "'" + name + "' has no network", "network",
              "name a run's folder, FOLDER:CHECKPOINT or a checkpoint's file");
}

int NetworkCommand::run() const {
  FileGuard()
      .reads_player(policy)
      .writes("--graph", graph)
      .writes("--weights", weights)
      .writes("--table", table)
      .check(json);
  const auto file = checkpoint_named(policy);
  const Policy loaded = role.empty() ? Policy::load(file) : Policy::load(file, role);
  if (loaded.table() != nullptr) return show_table(*this, loaded);
  if (!table.empty()) table_csv(loaded);  // says that there is none
  const NetworkMap map = map_of(loaded);
  const NetworkPicture picture{
      .layout = layout == "free" ? NetworkLayout::free : NetworkLayout::layers,
      .column = column,
      .strongest = strongest,
      .title = fmt::format("{} of {}", map.role, policy)};
  const auto chosen = column.empty() ? std::nullopt : std::optional(map.find(column));
  if (!graph.empty()) draw_network(graph, map, picture);
  if (!weights.empty()) draw_weights(weights, map, picture);
  const auto inputs = inputs_by_strength(map);
  const auto unused = static_cast<std::size_t>(std::count_if(
      inputs.begin(), inputs.end(), [&](const Strength& s) { return !map.nodes[s.node].used; }));
  if (json) {
    Json nodes = Json::array(), links = Json::array();
    constexpr const char* kinds[] = {"input", "bias", "hidden", "remembered", "output"};
    for (const auto& node : map.nodes)
      nodes.push_back({{"name", node.name},
                       {"kind", kinds[static_cast<std::size_t>(node.kind)]},
                       {"layer", node.layer},
                       {"used", node.used},
                       {"bias", node.bias}});
    for (const auto& link : map.links)
      links.push_back(
          {{"from", link.from}, {"to", link.to}, {"weight", link.weight}, {"back", link.back}});
    fmt::print("{}\n", Json{{"role", map.role},
                            {"grown", loaded.graph() != nullptr},
                            {"nodes", nodes},
                            {"links", links}}
                           .dump(2));
    return done;
  }
  fmt::print("{}: {} inputs ({} unused), {} hidden nodes{}, {} outputs, {} links{}\n", map.role,
             inputs.size(), unused, count(map, Kind::hidden),
             count(map, Kind::remembered) > 0
                 ? fmt::format(", {} remembered", count(map, Kind::remembered))
                 : "",
             count(map, Kind::output), map.links.size(),
             loaded.graph() != nullptr ? ", grown" : "");
  fmt::print("\nlistened to most:\n");
  for (std::size_t k = 0; k < std::min<std::size_t>(10, inputs.size()); ++k)
    if (inputs[k].out > 0.0)
      fmt::print("  {:<34} {:.3f}\n", map.nodes[inputs[k].node].name, inputs[k].out);
  if (chosen) print_links(map, *chosen);
  for (const auto& [what, drawn] : {std::pair{"graph", graph}, std::pair{"weights", weights}})
    if (!drawn.empty()) fmt::print("{}: {}\n", what, drawn);
  return done;
}

}  // namespace zithercraft::cli
