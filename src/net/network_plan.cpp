#include "zithercraft/net/network_plan.hpp"

#include <algorithm>
#include <array>

#include "base/json.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {

namespace {

constexpr std::array activation_names{"tanh", "relu", "silu"};

std::string name_of(Activation activation) {
  return activation_names[static_cast<std::size_t>(activation)];
}

Activation activation_named(const std::string& name) {
  for (std::size_t i = 0; i < activation_names.size(); ++i)
    if (activation_names[i] == name) return static_cast<Activation>(i);
  throw JsonError("no activation");
}

}  // namespace

// Found where lists of these are written and read.
static Json json_of(const ConvolutionLayer& l) {
  return {{"filters", l.filters}, {"size", l.size}, {"stride", l.stride}};
}
static void from_json(const Json& j, ConvolutionLayer& l) {
  l.filters = j.at("filters").get<std::int64_t>();
  l.size = j.at("size").get<std::int64_t>();
  l.stride = j.at("stride").get<std::int64_t>();
}
static Json json_of(const PictureFront& f) {
  return {{"name", f.name},         {"height", f.height},   {"width", f.width},
          {"channels", f.channels}, {"columns", f.columns}, {"layers", f.layers}};
}
static void from_json(const Json& j, PictureFront& f) {
  f.name = j.at("name").get<std::string>();
  f.height = j.at("height").get<std::size_t>();
  f.width = j.at("width").get<std::size_t>();
  f.channels = j.at("channels").get<std::size_t>();
  f.columns = j.at("columns").get<std::vector<std::uint32_t>>();
  f.layers = j.at("layers").get<std::vector<ConvolutionLayer>>();
}
static Json json_of(const CrowdFront& f) {
  return {{"name", f.name},      {"others", f.others},   {"columns_each", f.columns_each},
          {"here", f.here},      {"columns", f.columns}, {"width", f.width},
          {"queries", f.queries}};
}
static void from_json(const Json& j, CrowdFront& f) {
  f.name = j.at("name").get<std::string>();
  f.others = j.at("others").get<std::size_t>();
  f.columns_each = j.at("columns_each").get<std::size_t>();
  f.here = j.at("here").get<std::size_t>();
  f.columns = j.at("columns").get<std::vector<std::uint32_t>>();
  f.width = j.at("width").get<std::size_t>();
  f.queries = j.at("queries").get<std::size_t>();
}

namespace {

Json json_of(const NetworkPlan& p) {
  return {{"columns", p.columns}, {"pictures", p.pictures}, {"crowds", p.crowds},
          {"hidden", p.hidden},   {"memory", p.memory},     {"activation", name_of(p.activation)},
          {"outputs", p.outputs}};
}

NetworkPlan plan_of(const Json& j) {
  NetworkPlan p;
  p.columns = j.at("columns").get<std::size_t>();
  p.pictures = j.at("pictures").get<std::vector<PictureFront>>();
  p.crowds = j.at("crowds").get<std::vector<CrowdFront>>();
  p.hidden = j.at("hidden").get<std::vector<std::size_t>>();
  p.activation = activation_named(j.at("activation").get<std::string>());
  p.memory = j.at("memory").get<std::size_t>();
  p.outputs = j.at("outputs").get<std::size_t>();
  return p;
}

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

std::string NetworkPlan::to_json() const { return json_of(*this).sorted().dump(); }

NetworkPlan NetworkPlan::from_json(std::string_view text) {
  try {
    NetworkPlan plan = plan_of(Json::parse(text));
    check_plan(plan);
    return plan;
  } catch (const JsonError&) {
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
    return "the activation is " + name_of(wanted.activation) + " here and " +
           name_of(found.activation) + " in the checkpoint";
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
