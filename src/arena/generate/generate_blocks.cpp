#include <algorithm>
#include <cmath>

#include "arena/blocks.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/hash.hpp"
#include "zithercraft/base/random.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
namespace {

/// Smooth noise between 0 and 1 in space: random numbers on a lattice, joined by smooth steps.
class SpaceNoise {
 public:
  SpaceNoise(RandomStream& random, float wide, float deep, float high)
      : wide_(static_cast<std::int32_t>(wide) + 2), deep_(static_cast<std::int32_t>(deep) + 2) {
    values_.resize(static_cast<std::size_t>(wide_) * static_cast<std::size_t>(deep_) *
                   (static_cast<std::size_t>(high) + 2));
    for (float& v : values_) v = random.uniform();
  }
  float at(float x, float y, float z) const {
    const float fx = std::floor(x), fy = std::floor(y), fz = std::floor(z);
    const auto i = static_cast<std::int32_t>(fx), j = static_cast<std::int32_t>(fy),
               k = static_cast<std::int32_t>(fz);
    const float u = smooth(x - fx), v = smooth(y - fy), w = smooth(z - fz);
    const auto mix = [](float a, float b, float t) { return a + t * (b - a); };
    const auto row = [&](std::int32_t r, std::int32_t l) {
      return mix(lattice(i, r, l), lattice(i + 1, r, l), u);
    };
    const auto level = [&](std::int32_t l) { return mix(row(j, l), row(j + 1, l), v); };
    return mix(level(k), level(k + 1), w);
  }

 private:
  static float smooth(float t) { return t * t * (3.0f - 2.0f * t); }
  float lattice(std::int32_t i, std::int32_t j, std::int32_t k) const {
    return values_[static_cast<std::size_t>((k * deep_ + j) * wide_ + i)];
  }
  std::int32_t wide_, deep_;
  std::vector<float> values_;
};

/// Names of kinds as a flag per kind number.
class KindSet {
 public:
  KindSet(const BlocksSpec& spec, const std::vector<std::string>& names, const std::string& where) {
    for (std::size_t i = 0; i < names.size(); ++i)
      has_[number(spec, names[i], where + "[" + std::to_string(i) + "]")] = true;
  }
  bool has(std::uint8_t kind) const { return has_[kind]; }

  static std::uint8_t number(const BlocksSpec& spec, const std::string& name,
                             const std::string& where) {
    std::vector<std::string> known;
    for (std::size_t k = 0; k < spec.kinds.size(); ++k) {
      if (spec.kinds[k].name == name) return static_cast<std::uint8_t>(k + 1);
      known.push_back(spec.kinds[k].name);
    }
    throw Error(ErrorKind::spec, "no kind of block is named '" + name + "'", where,
                advice(name, known));
  }

 private:
  std::array<bool, 256> has_{};
};

class WorldMaker {
 public:
  WorldMaker(const BlocksSpec& spec, const BlocksPlan& blocks, std::vector<std::uint8_t>& world,
             RandomStream& random, std::string where)
      : spec_(spec), blocks_(blocks), world_(world), random_(random), where_(std::move(where)) {}

  void operator()(const Strata& strata) {
    std::vector<std::uint8_t> kinds;
    for (std::size_t i = 0; i < strata.kinds.size(); ++i)
      kinds.push_back(
          KindSet::number(spec_, strata.kinds[i], where_ + ".kinds[" + std::to_string(i) + "]"));
    if (kinds.empty() || strata.thickness.size() + 1 != kinds.size())
      throw Error(ErrorKind::spec, "each kind but the last needs a thickness",
                  where_ + ".thickness", "give one number fewer than kinds");
    const float scale = 1.0f / static_cast<float>(strata.feature);
    const SpaceNoise noise(random_, static_cast<float>(blocks_.columns) * scale,
                           static_cast<float>(blocks_.rows) * scale, 1.0f);
    each_column([&](std::int32_t column, std::int32_t row) {
      const float hill =
          noise.at(static_cast<float>(column) * scale, static_cast<float>(row) * scale, 0.0f) -
          0.5f;
      const float surface =
          static_cast<float>(strata.surface) * static_cast<float>(blocks_.layers) +
          hill * static_cast<float>(strata.relief);
      for (std::int32_t layer = 0; layer < blocks_.layers; ++layer) {
        double depth = static_cast<double>(surface - static_cast<float>(layer) - 0.5f);
        if (depth < 0.0) break;
        std::size_t which = 0;
        while (which < strata.thickness.size() && depth >= strata.thickness[which])
          depth -= strata.thickness[which++];
        world_[block_number(blocks_, column, row, layer)] = kinds[which];
      }
    });
  }

  // The share is kept exactly: the blocks are ranked by the noise at their place.
  void operator()(const Hollows& hollows) {
    const KindSet in(spec_, hollows.in, where_ + ".in");
    const std::uint8_t put =
        hollows.put.empty() ? 0 : KindSet::number(spec_, hollows.put, where_ + ".put");
    const float scale = 1.0f / static_cast<float>(hollows.feature);
    const SpaceNoise noise(random_, static_cast<float>(blocks_.columns) * scale,
                           static_cast<float>(blocks_.rows) * scale,
                           static_cast<float>(blocks_.layers) * scale);
    const LayerRange range = layers(hollows.lowest, hollows.highest);
    std::vector<std::pair<float, std::uint32_t>> ranked;
    each_column([&](std::int32_t column, std::int32_t row) {
      for (std::int32_t layer = range.low; layer < range.high; ++layer)
        ranked.emplace_back(
            -noise.at(static_cast<float>(column) * scale, static_cast<float>(row) * scale,
                      static_cast<float>(layer) * scale),
            static_cast<std::uint32_t>(block_number(blocks_, column, row, layer)));
    });
    const auto wanted =
        static_cast<std::size_t>(hollows.share * static_cast<double>(ranked.size()));
    std::nth_element(ranked.begin(), ranked.begin() + static_cast<std::ptrdiff_t>(wanted),
                     ranked.end());
    for (std::size_t i = 0; i < wanted; ++i)
      if (std::uint8_t& kind = world_[ranked[i].second]; in.has(kind)) kind = put;
  }

  void operator()(const Veins& veins) {
    const KindSet in(spec_, veins.in, where_ + ".in");
    const std::uint8_t put = KindSet::number(spec_, veins.put, where_ + ".put");
    const LayerRange range = layers(veins.lowest, veins.highest);
    const auto below = [&](std::int32_t n) {
      return static_cast<std::int32_t>(random_.below(static_cast<std::uint32_t>(n)));
    };
    for (std::int64_t vein = 0; vein < veins.count; ++vein) {
      std::array<std::int32_t, 3> at{below(blocks_.columns), below(blocks_.rows),
                                     range.low + below(std::max(1, range.high - range.low))};
      const std::array<std::int32_t, 3> size{blocks_.columns, blocks_.rows, blocks_.layers};
      for (std::int64_t step = 0; step < veins.length; ++step) {
        if (std::uint8_t& kind =
                world_[block_number(blocks_, at[0], at[1], std::min(at[2], blocks_.layers - 1))];
            in.has(kind))
          kind = put;
        const std::uint32_t way = random_.below(6);
        std::int32_t& axis = at[way / 2];
        axis = std::clamp(axis + (way % 2 == 0 ? 1 : -1), 0, size[way / 2] - 1);
      }
    }
  }

 private:
  template <class Use>
  void each_column(const Use& use) const {
    for (std::int32_t row = 0; row < blocks_.rows; ++row)
      for (std::int32_t column = 0; column < blocks_.columns; ++column) use(column, row);
  }

  struct LayerRange {
    std::int32_t low, high;
  };
  LayerRange layers(double lowest, double highest) const {
    if (highest < lowest)
      throw Error(ErrorKind::spec, "the range of heights runs backwards", where_ + ".highest",
                  "swap lowest and highest");
    const auto at = [&](double share) {
      return static_cast<std::int32_t>(
          std::floor(share * static_cast<double>(blocks_.layers) + 0.5));
    };
    return {at(lowest), at(highest)};
  }

  const BlocksSpec& spec_;
  const BlocksPlan& blocks_;
  std::vector<std::uint8_t>& world_;
  RandomStream& random_;
  std::string where_;
};

}  // namespace

void lay_out_blocks(const BlocksSpec& spec, const std::vector<std::uint8_t>& start,
                    BlocksPlan& blocks) {
  auto layouts = std::make_shared<std::vector<BlockLayout>>(static_cast<std::size_t>(spec.layouts));
  for (std::size_t i = 0; i < layouts->size(); ++i) {
    BlockLayout& layout = (*layouts)[i];
    RandomStream random(static_cast<std::uint64_t>(spec.seed), static_cast<std::uint32_t>(i), 0,
                        Purpose::generate);
    layout.kinds = start;
    for (std::size_t g = 0; g < spec.generate.size(); ++g)
      std::visit(WorldMaker(spec, blocks, layout.kinds, random,
                            "arena.blocks.generate[" + std::to_string(g) + "]"),
                 spec.generate[g]);
    for (std::size_t b = 0; b < layout.kinds.size(); ++b)
      if (layout.kinds[b] != 0)
        layout.top = static_cast<std::uint32_t>(
                         b / (blocks.count() / static_cast<std::size_t>(blocks.layers))) +
                     1;
    // Never 0, which is what a state holds that has not begun.
    layout.mark = hash_bytes(std::as_bytes(std::span(layout.kinds))) | 1u;
  }
  blocks.layouts = std::move(layouts);
}

}  // namespace zithercraft::arena_internal
