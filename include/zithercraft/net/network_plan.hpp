#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace zithercraft {

/// What is done to the sums of a hidden layer.
enum class Activation : std::uint8_t {
  tanh,
  relu,  ///< max(0, x)
  silu   ///< x / (1 + e^-x) (Elfwing, Uchibe, Doya: "Sigmoid-weighted linear units", 2018)
};

/// Filters that are moved over a picture; nothing is added around its border.
struct ConvolutionLayer {
  std::int64_t filters = 16;  ///< 1 to 1024
  std::int64_t size = 3;      ///< pixels along a filter, 1 to 64
  std::int64_t stride = 1;    ///< pixels from one place of it to the next, 1 to 64
  bool operator==(const ConvolutionLayer&) const = default;
};

/// Columns that form a picture, read by convolutions. The picture's features follow those columns
/// no front reads.
struct PictureFront {
  std::string name{};                               ///< of the sense
  std::size_t height = 0, width = 0, channels = 0;  ///< of the picture
  std::vector<std::uint32_t> columns{};             ///< of each number, [height][width][channels]
  std::vector<ConvolutionLayer> layers{};           ///< one after the other
  bool operator==(const PictureFront&) const = default;
};

/// Columns that describe any number of others, read by attention: each other becomes `width`
/// features, and each of `queries` learned questions takes a mean of these, weighted by how well
/// they answer it. Nobody there gives 0. (Vaswani et al.: "Attention is all you need", 2017;
/// pooling as in Lee et al.: "Set transformer", 2019.)
struct CrowdFront {
  std::string name{};                        ///< of the sense
  std::size_t others = 0, columns_each = 0;  ///< how many are described, and by how many columns
  std::size_t here = 0;  ///< which of an other's columns is 1 if it is there, and 0 if not
  std::vector<std::uint32_t> columns{};  ///< [others][columns_each]
  std::size_t width = 32, queries = 2;   ///< numbers of each other; views of all of them
  bool operator==(const CrowdFront&) const = default;
};

/// Outputs that point at others of a crowd: each of them gets a score more, the product of what the
/// last hidden layer asks for and what the other's columns answer, so that what is learned of one
/// place in the crowd holds for all. (Vinyals, Fortunato, Jaitly: "Pointer networks", 2015.)
struct PointerHead {
  std::string name{};                        ///< of the control
  std::size_t first_output = 0;              ///< of the first other
  std::size_t others = 0, columns_each = 0;  ///< how many are described, and by how many columns
  std::vector<std::uint32_t> columns{};      ///< [others][columns_each]
  std::size_t width = 32;                    ///< numbers of a question and of an answer
  bool operator==(const PointerHead&) const = default;
};

/// What a network is made of, from its inputs to its outputs: fronts, hidden layers, memory, and a
/// linear layer.
struct NetworkPlan {
  std::size_t columns = 0;                   ///< inputs in all
  std::vector<PictureFront> pictures{};      ///< fronts for cameras and windows
  std::vector<CrowdFront> crowds{};          ///< fronts for crowds
  std::vector<std::size_t> hidden{};         ///< widths of the fully connected layers
  Activation activation = Activation::tanh;  ///< of all hidden layers
  /// Numbers that a gated recurrent unit keeps from step to step (Cho et al.: "Learning phrase
  /// representations using RNN encoder-decoder", 2014); 0 for none.
  std::size_t memory = 0;
  std::size_t outputs = 0;              ///< numbers that it gives
  std::vector<PointerHead> pointers{};  ///< outputs that point at others
  bool operator==(const NetworkPlan&) const = default;

  /// As JSON, as checkpoints hold it.
  std::string to_json() const;
  /// Throws Error (file) if the text is no plan that can be built.
  static NetworkPlan from_json(std::string_view text);
};

/// Height and width of a picture after a convolution.
inline std::size_t after_convolution(std::size_t pixels, const ConvolutionLayer& layer) {
  return (pixels - static_cast<std::size_t>(layer.size)) / static_cast<std::size_t>(layer.stride) +
         1;
}

/// The first difference between two plans in plain words; empty if they are equal.
std::string first_difference(const NetworkPlan& wanted, const NetworkPlan& found);

}  // namespace zithercraft
