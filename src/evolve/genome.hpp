#pragma once

#include <cstdint>
#include <map>
#include <tuple>

#include "zithercraft/base/random.hpp"
#include "zithercraft/evolve/topology.hpp"

namespace zithercraft::evolve_internal {

// Numbers of links and nodes. What comes up twice in one generation gets the same numbers.
class Origins {
 public:
  Origins(std::uint32_t next_link, std::uint32_t next_node)
      : next_link_(next_link), next_node_(next_node) {}

  void begin_generation() {
    links_.clear();
    splits_.clear();
  }
  std::uint32_t link(std::uint32_t from, std::uint32_t to, bool back) {
    const auto [at, fresh] = links_.try_emplace({from, to, back}, next_link_);
    if (fresh) ++next_link_;
    return at->second;
  }
  // The node that splits a link of this number, for the time-th time in the same genome.
  std::uint32_t node(std::uint32_t link, std::uint32_t time) {
    const auto [at, fresh] = splits_.try_emplace({link, time}, next_node_);
    if (fresh) ++next_node_;
    return at->second;
  }
  std::uint32_t next_link() const { return next_link_; }
  std::uint32_t next_node() const { return next_node_; }

 private:
  std::uint32_t next_link_, next_node_;
  std::map<std::tuple<std::uint32_t, std::uint32_t, bool>, std::uint32_t> links_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> splits_;
};

// What all genomes of a search have in common.
struct Ends {
  std::uint32_t inputs = 0, outputs = 0;
  std::uint32_t first_output() const { return inputs + 1; }
  std::uint32_t first_hidden() const { return inputs + 1 + outputs; }
};

// A child with the nodes and links of the better parent; of common links each is of either parent.
Genome crossed(const Genome& better, const Genome& other, const TopologySettings& settings,
               RandomStream& random);
void mutate(Genome& genome, const Ends& ends, const TopologySettings& settings, Origins& origins,
            RandomStream& random);
void draw_weights(Genome& genome, const TopologySettings& settings, RandomStream& random);
NetworkGraph graph_of(const Genome& genome, const Ends& ends, NodeActivation hidden,
                      NodeActivation output);

}  // namespace zithercraft::evolve_internal
