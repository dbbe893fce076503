#include "evolve/genome.hpp"

#include <algorithm>
#include <cmath>

namespace zithercraft::evolve_internal {
namespace {

constexpr int tries = 20;  // to find two nodes that can be joined

bool happens(double chance, RandomStream& random) {
  return static_cast<double>(random.uniform()) < chance;
}

float limited(double weight, const TopologySettings& s) {
  return static_cast<float>(std::clamp(weight, -s.weight_limit, s.weight_limit));
}
float drawn_weight(const TopologySettings& s, RandomStream& random) {
  return limited(s.weight_stddev * static_cast<double>(random.normal()), s);
}

void insert_link(Genome& genome, const GenomeLink& link) {
  const auto at =
      std::lower_bound(genome.links.begin(), genome.links.end(), link.number,
                       [](const GenomeLink& l, std::uint32_t number) { return l.number < number; });
  genome.links.insert(at, link);
}

bool holds_link(const Genome& genome, std::uint32_t from, std::uint32_t to, bool back) {
  return std::any_of(genome.links.begin(), genome.links.end(), [&](const GenomeLink& l) {
    return l.from == from && l.to == to && l.back == back;
  });
}

// Whether one can go along links, also those that are off now, from one node to another.
bool leads_to(const Genome& genome, std::uint32_t from, std::uint32_t to) {
  std::vector<std::uint32_t> open{from}, seen{from};
  while (!open.empty()) {
    const std::uint32_t node = open.back();
    open.pop_back();
    if (node == to) return true;
    for (const GenomeLink& l : genome.links)
      if (!l.back && l.from == node && std::find(seen.begin(), seen.end(), l.to) == seen.end()) {
        seen.push_back(l.to);
        open.push_back(l.to);
      }
  }
  return false;
}

void change_weights(Genome& genome, const TopologySettings& s, RandomStream& random) {
  for (GenomeLink& link : genome.links) {
    if (happens(s.weight_replaced, random)) {
      link.weight = drawn_weight(s, random);
    } else {
      link.weight = limited(
          static_cast<double>(link.weight) + s.weight_step * static_cast<double>(random.normal()),
          s);
    }
  }
}

// The new node takes the link's place: it passes on what it reads by the old weight.
void split_link(Genome& genome, Origins& origins, RandomStream& random) {
  std::vector<std::size_t> on;
  for (std::size_t i = 0; i < genome.links.size(); ++i)
    if (genome.links[i].on) on.push_back(i);
  if (on.empty()) return;
  GenomeLink& old = genome.links[on[random.below(static_cast<std::uint32_t>(on.size()))]];
  old.on = false;
  const GenomeLink link = old;
  const auto is_there = [&](std::uint32_t node) {
    return std::binary_search(genome.hidden.begin(), genome.hidden.end(), node);
  };
  std::uint32_t node = origins.node(link.number, 0);
  for (std::uint32_t time = 1; is_there(node); ++time) node = origins.node(link.number, time);
  genome.hidden.insert(std::lower_bound(genome.hidden.begin(), genome.hidden.end(), node), node);
  insert_link(genome, {.number = origins.link(link.from, node, link.back),
                       .from = link.from,
                       .to = node,
                       .weight = 1.0f,
                       .back = link.back});
  insert_link(genome, {.number = origins.link(node, link.to, false),
                       .from = node,
                       .to = link.to,
                       .weight = link.weight});
}

void join_nodes(Genome& genome, const Ends& ends, const TopologySettings& s, Origins& origins,
                RandomStream& random) {
  const bool back = happens(s.recurrent_links, random);
  const auto hidden = static_cast<std::uint32_t>(genome.hidden.size());
  const auto node_at = [&](std::uint32_t place) {
    return place < ends.first_hidden() ? place : genome.hidden[place - ends.first_hidden()];
  };
  for (int k = 0; k < tries; ++k) {
    const std::uint32_t from = node_at(random.below(ends.first_hidden() + hidden));
    const std::uint32_t to = node_at(ends.first_output() + random.below(ends.outputs + hidden));
    if (holds_link(genome, from, to, back) || (!back && leads_to(genome, to, from))) continue;
    insert_link(genome, {.number = origins.link(from, to, back),
                         .from = from,
                         .to = to,
                         .weight = drawn_weight(s, random),
                         .back = back});
    return;
  }
}

}  // namespace

Genome crossed(const Genome& better, const Genome& other, const TopologySettings& s,
               RandomStream& random) {
  Genome child = better;
  std::size_t k = 0;
  for (GenomeLink& link : child.links) {
    while (k < other.links.size() && other.links[k].number < link.number) ++k;
    if (k == other.links.size() || other.links[k].number != link.number) continue;
    const GenomeLink& match = other.links[k];
    const bool off = !link.on || !match.on;
    if (random.below(2) == 1) link.weight = match.weight;
    link.on = !off || !happens(s.stay_off, random);
  }
  return child;
}

void mutate(Genome& genome, const Ends& ends, const TopologySettings& s, Origins& origins,
            RandomStream& random) {
  // New structure is tried out with the weights that it came to.
  if (happens(s.new_node, random)) {
    split_link(genome, origins, random);
  } else if (happens(s.new_link, random)) {
    join_nodes(genome, ends, s, origins, random);
  } else {
    if (happens(s.weights_change, random)) change_weights(genome, s, random);
    if (!genome.links.empty() && happens(s.switch_link, random)) {
      GenomeLink& link =
          genome.links[random.below(static_cast<std::uint32_t>(genome.links.size()))];
      link.on = !link.on;
    }
  }
}

void draw_weights(Genome& genome, const TopologySettings& s, RandomStream& random) {
  for (GenomeLink& link : genome.links) link.weight = drawn_weight(s, random);
}

NetworkGraph graph_of(const Genome& genome, const Ends& ends, NodeActivation hidden,
                      NodeActivation output) {
  NetworkGraph graph{.inputs = ends.inputs,
                     .outputs = ends.outputs,
                     .hidden = genome.hidden.size(),
                     .hidden_activation = hidden,
                     .output_activation = output};
  const auto place = [&](std::uint32_t node) {
    if (node < ends.first_hidden()) return node;
    const auto at = std::lower_bound(genome.hidden.begin(), genome.hidden.end(), node);
    return ends.first_hidden() + static_cast<std::uint32_t>(at - genome.hidden.begin());
  };
  for (const GenomeLink& l : genome.links)
    if (l.on) graph.links.push_back({place(l.from), place(l.to), l.weight, l.back});
  return graph;
}

}  // namespace zithercraft::evolve_internal

namespace zithercraft {

double distance(const Genome& a, const Genome& b, const TopologySettings& s) {
  std::size_t common = 0, i = 0, k = 0;
  double apart = 0.0;
  while (i < a.links.size() && k < b.links.size()) {
    if (a.links[i].number == b.links[k].number) {
      apart += std::fabs(static_cast<double>(a.links[i].weight) -
                         static_cast<double>(b.links[k].weight));
      ++common;
      ++i;
      ++k;
    } else {
      ++(a.links[i].number < b.links[k].number ? i : k);
    }
  }
  const std::size_t all = a.links.size() + b.links.size(), single = all - 2 * common;
  // In small genomes the number of single links counts, not their share, as in the paper.
  const double longer = static_cast<double>(std::max(a.links.size(), b.links.size()));
  const double by_links = static_cast<double>(single) / (longer < 20.0 ? 1.0 : longer);
  return s.distance_by_links * by_links +
         s.distance_by_weights * (common == 0 ? 0.0 : apart / static_cast<double>(common));
}

}  // namespace zithercraft
