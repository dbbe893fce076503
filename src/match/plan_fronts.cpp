#include "zithercraft/match/plan_fronts.hpp"

#include <algorithm>

#include "zithercraft/net/heads.hpp"

namespace zithercraft {
namespace {

// Large pictures are looked at in larger steps, so that what is left is about as much as of small
// ones.
std::vector<ConvolutionLayer> usual_layers(std::size_t height, std::size_t width) {
  const std::size_t side = std::min(height, width);
  if (side < 32) return {{16, 4, 2}, {32, 3, 2}};
  if (side < 64) return {{16, 6, 3}, {32, 4, 2}};
  if (side < 128) return {{16, 8, 4}, {32, 4, 2}};
  return {{16, 8, 4}, {32, 4, 2}, {32, 4, 2}};
}

// The convolutions that fit a picture, one after the other.
std::vector<ConvolutionLayer> fitting(const std::vector<ConvolutionLayer>& layers,
                                      std::size_t height, std::size_t width) {
  std::vector<ConvolutionLayer> list;
  for (const ConvolutionLayer& layer : layers) {
    if (static_cast<std::size_t>(layer.size) > std::min(height, width)) break;
    height = after_convolution(height, layer);
    width = after_convolution(width, layer);
    list.push_back(layer);
  }
  return list;
}

// Layers of blocks and earlier steps are channels of one picture.
std::vector<std::uint32_t> columns_of(const GridSense& grid) {
  const std::size_t once = grid.layers * grid.height * grid.width * grid.channels;
  std::vector<std::uint32_t> columns;
  for (std::size_t y = 0; y < grid.height; ++y)
    for (std::size_t x = 0; x < grid.width; ++x)
      for (std::size_t ago = 0; ago <= grid.history; ++ago)
        for (std::size_t layer = 0; layer < grid.layers; ++layer)
          for (std::size_t c = 0; c < grid.channels; ++c)
            columns.push_back(static_cast<std::uint32_t>(
                grid.first_column + ago * once +
                ((layer * grid.height + y) * grid.width + x) * grid.channels + c));
  return columns;
}

std::vector<std::uint32_t> columns_of(const CrowdSense& crowd) {
  std::vector<std::uint32_t> columns;
  for (std::size_t o = 0; o < crowd.others; ++o)
    for (std::size_t ago = 0; ago <= crowd.history; ++ago)
      for (std::size_t c = 0; c < crowd.columns_each; ++c)
        columns.push_back(static_cast<std::uint32_t>(
            crowd.first_column + (ago * crowd.others + o) * crowd.columns_each + c));
  return columns;
}

}  // namespace

NetworkPlan plan_fronts(const Role& role, const FrontSettings& settings) {
  NetworkPlan plan;
  plan.columns = role.columns.size();
  plan.outputs = Heads(role.controls, role.columns).outputs();
  const auto least = static_cast<std::size_t>(settings.picture_least);
  for (const GridSense& grid : role.grids) {
    if (grid.height < least || grid.width < least) continue;
    const auto wanted = settings.pictures.value_or(usual_layers(grid.height, grid.width));
    if (auto layers = fitting(wanted, grid.height, grid.width); !layers.empty())
      plan.pictures.push_back({grid.name, grid.height, grid.width,
                               grid.layers * grid.channels * (grid.history + 1), columns_of(grid),
                               std::move(layers)});
  }
  // Where much is summed up, tanh begins saturated, and learns nothing for long.
  if (!plan.pictures.empty()) plan.activation = Activation::relu;
  if (settings.crowd_width > 0)
    for (const CrowdSense& crowd : role.crowds)
      plan.crowds.push_back({crowd.name, crowd.others, crowd.columns_each * (crowd.history + 1), 0,
                             columns_of(crowd), static_cast<std::size_t>(settings.crowd_width),
                             static_cast<std::size_t>(settings.crowd_queries)});
  std::size_t output = 0;
  for (const ControlInfo& control : role.controls) {
    for (const CrowdSense& crowd : role.crowds)
      if (!control.among.empty() && crowd.name == control.among)
        plan.pointers.push_back({control.name, output + 1, crowd.others,
                                 crowd.columns_each * (crowd.history + 1), columns_of(crowd),
                                 settings.crowd_width > 0
                                     ? static_cast<std::size_t>(settings.crowd_width)
                                     : std::size_t{32}});
    output += control.is_choice() ? control.options.size() : 1;
  }
  return plan;
}

}  // namespace zithercraft
