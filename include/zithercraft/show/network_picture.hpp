#pragma once

#include <filesystem>
#include <string>

#include "zithercraft/net/network_map.hpp"

namespace zithercraft {

/// How nodes are placed: in layers, or hidden ones among those that they are linked with.
enum class NetworkLayout : std::uint8_t { layers, free };

/// What is drawn of a network, and how.
struct NetworkPicture {
  NetworkLayout layout = NetworkLayout::layers;  ///< where nodes lie
  std::string column{};         ///< a node whose links alone are coloured; empty: all are
  std::size_t strongest = 600;  ///< links that are drawn, at least 1
  std::string title{};          ///< over the picture
};

/// Draws a network: blue links raise what they lead to, orange ones lower it, the thicker the
/// stronger; unused inputs are hollow. The file's name ends with .png or .svg. Throws Error (usage)
/// if it does not, or there is no such node, (file) if it cannot be written.
void draw_network(const std::filesystem::path& file, const NetworkMap& map,
                  const NetworkPicture& picture = {});
/// Draws the weights from layer to layer as matrices: a row for each node that reads, a column for
/// each that is read.
void draw_weights(const std::filesystem::path& file, const NetworkMap& map,
                  const NetworkPicture& picture = {});

}  // namespace zithercraft
