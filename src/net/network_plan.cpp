#include "zithercraft/net/network_plan.hpp"

#include <nlohmann/json.hpp>

#include "zithercraft/base/error.hpp"

namespace zithercraft {

using nlohmann::json;

NLOHMANN_JSON_SERIALIZE_ENUM(Activation, {{Activation::tanh, "tanh"},
                                          {Activation::relu, "relu"},
                                          {Activation::silu, "silu"}})
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(ConvolutionLayer, filters, size, stride)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(PictureFront, name, height, width, channels, columns, layers)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(CrowdFront, name, others, columns_each, here, columns, width,
                                   queries)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(NetworkPlan, columns, pictures, crowds, hidden, activation,
                                   memory, outputs)

namespace {

constexpr std::size_t most = 1 << 20;

bool fits(const std::vector<std::uint32_t>& columns, std::size_t wanted, std::size_t all) {
  return columns.size() == wanted &&
         std::all_of(columns.begin(), columns.end(), [all](std::uint32_t c) { return c < all; });
}

[[noreturn]] void wrong(const std::string& what, const std::string& fix) {
  throw Error(ErrorKind::spec, "the network cannot be built: " + what, "network", fix);
}

std::string widths_text(const std::vector<std::size_t>& widths) {
  std::string text;
  for (const std::size_t w : widths) text += (text.empty() ? "" : " x ") + std::to_string(w);
  return text.empty() ? "none" : text;
}

}  // namespace

// Plans also come from files, so nothing is taken for granted.
void check_plan(const NetworkPlan& plan) {
  const auto in_range = [](std::size_t n) { return n >= 1 && n <= most; };
  if (!in_range(plan.columns) || !in_range(plan.outputs))
    wrong("it reads or writes nothing", "give it both");
  for (const std::size_t width : plan.hidden)
    if (!in_range(width))
      wrong("a hidden layer's width is out of range", "give widths from 1 to 1048576");
  if (plan.memory > most) wrong("its memory is too large", "remember less");
  for (const PictureFront& front : plan.pictures) {
    if (!in_range(front.height) || !in_range(front.width) || !in_range(front.channels) ||
        front.height * front.width > most ||
        !fits(front.columns, front.height * front.width * front.channels, plan.columns))
      wrong("the picture '" + front.name + "' does not fit the columns",
            "list a column for each number");
    if (front.layers.empty())
      wrong("the picture '" + front.name + "' has no layers", "give it at least one");
    std::size_t height = front.height, width = front.width;
    for (const ConvolutionLayer& layer : front.layers) {
      if (layer.filters < 1 || layer.filters > 1024 || layer.size < 1 || layer.size > 64 ||
          layer.stride < 1 || layer.stride > 64 ||
          static_cast<std::size_t>(layer.size) > std::min(height, width))
        wrong("a convolution is larger than the picture '" + front.name +
                  "' it reads, or out of range",
              "use smaller or fewer filters");
      height = after_convolution(height, layer);
      width = after_convolution(width, layer);
    }
  }
  for (const CrowdFront& front : plan.crowds)
    if (!in_range(front.others) || !in_range(front.columns_each) ||
        front.others > most / front.columns_each || front.here >= front.columns_each ||
        !in_range(front.width) || !in_range(front.queries) || front.width > most / front.queries ||
        !fits(front.columns, front.others * front.columns_each, plan.columns))
      wrong("the crowd '" + front.name + "' does not fit the columns",
            "list a column for each number");
}

std::string NetworkPlan::to_json() const { return json(*this).dump(); }

NetworkPlan NetworkPlan::from_json(std::string_view text) {
  try {
    NetworkPlan plan = json::parse(text).get<NetworkPlan>();
    check_plan(plan);
    return plan;
  } catch (const json::exception&) {
  } catch (const Error&) {
  }
  throw Error(ErrorKind::file, "the plan of a network cannot be understood", "checkpoint",
              "take another checkpoint");
}

std::string first_difference(const NetworkPlan& wanted, const NetworkPlan& found) {
  if (wanted.columns != found.columns)
    return std::to_string(wanted.columns) + " columns here and " + std::to_string(found.columns) +
           " in the checkpoint";
  if (wanted.hidden != found.hidden)
    return "hidden layers are " + widths_text(wanted.hidden) + " here and " +
           widths_text(found.hidden) + " in the checkpoint";
  if (wanted.activation != found.activation)
    return "the activation is " + json(wanted.activation).get<std::string>() + " here and " +
           json(found.activation).get<std::string>() + " in the checkpoint";
  if (wanted.memory != found.memory)
    return std::to_string(wanted.memory) + " numbers are remembered here and " +
           std::to_string(found.memory) + " in the checkpoint";
  if (wanted.pictures != found.pictures) return "pictures are read differently";
  if (wanted.crowds != found.crowds) return "crowds are read differently";
  if (wanted.outputs != found.outputs)
    return std::to_string(wanted.outputs) + " outputs here and " + std::to_string(found.outputs) +
           " in the checkpoint";
  return {};
}

}  // namespace zithercraft
