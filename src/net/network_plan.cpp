#include "zithercraft/net/network_plan.hpp"

#include <algorithm>
#include <array>

#include "base/json_members.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft {

namespace {

constexpr std::array activation_names{"tanh", "relu", "silu"};

std::string name_of(Activation activation) {
  return activation_names[static_cast<std::size_t>(activation)];
}

}  // namespace

static Json json_of(Activation activation) { return name_of(activation); }
static void from_json(const Json& json, Activation& activation) {
  const auto name = json.get<std::string>();
  for (std::size_t i = 0; i < activation_names.size(); ++i)
    if (activation_names[i] == name) {
      activation = static_cast<Activation>(i);
      return;
    }
  throw JsonError("no activation");
}

template <class V>
static void members(V& v, ConvolutionLayer& l) {
  v("filters", l.filters);
  v("size", l.size);
  v("stride", l.stride);
}
template <class V>
static void members(V& v, PictureFront& f) {
  v("name", f.name);
  v("height", f.height);
  v("width", f.width);
  v("channels", f.channels);
  v("columns", f.columns);
  v("layers", f.layers);
}
template <class V>
static void members(V& v, CrowdFront& f) {
  v("name", f.name);
  v("others", f.others);
  v("columns_each", f.columns_each);
  v("here", f.here);
  v("columns", f.columns);
  v("width", f.width);
  v("queries", f.queries);
}
template <class V>
static void members(V& v, PointerHead& h) {
  v("name", h.name);
  v("first_output", h.first_output);
  v("others", h.others);
  v("columns_each", h.columns_each);
  v("columns", h.columns);
  v("width", h.width);
}
template <class V>
static void members(V& v, NetworkPlan& p) {
  v("columns", p.columns);
  v("pictures", p.pictures);
  v("crowds", p.crowds);
  v("hidden", p.hidden);
  v("activation", p.activation);
  v("memory", p.memory);
  v("outputs", p.outputs);
  v.unless_empty("pointers", p.pointers);
}

namespace {

constexpr std::size_t most = 1 << 20;

bool fits(const std::vector<std::uint32_t>& columns, std::size_t wanted, std::size_t all) {
  return columns.size() == wanted &&
         std::all_of(columns.begin(), columns.end(), [all](std::uint32_t c) { return c < all; });
}

// Whether each channel's pixels are equally far apart, across and down, in order and alike in all
// channels.
bool lies_in_a_grid(const PictureFront& front) {
  const auto at = [&](std::size_t y, std::size_t x, std::size_t c) -> std::size_t {
    return front.columns[(y * front.width + x) * front.channels + c];
  };
  const std::size_t corner = at(0, 0, 0), below = front.height > 1 ? at(1, 0, 0) : corner,
                    beside = front.width > 1 ? at(0, 1, 0) : corner;
  if (below < corner || beside < corner) return false;
  for (std::size_t y = 0; y < front.height; ++y)
    for (std::size_t x = 0; x < front.width; ++x)
      for (std::size_t c = 0; c < front.channels; ++c)
        if (at(y, x, c) != at(0, 0, c) + y * (below - corner) + x * (beside - corner)) return false;
  return true;
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
    if (!lies_in_a_grid(front))
      wrong("the columns of the picture '" + front.name + "' do not lie in rows of equal distance",
            "list them row by row, as the sense has them");
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
  for (const PointerHead& head : plan.pointers)
    if (!in_range(head.others) || !in_range(head.columns_each) ||
        head.others > most / head.columns_each || !in_range(head.width) ||
        head.first_output >= plan.outputs || head.others > plan.outputs - head.first_output ||
        !fits(head.columns, head.others * head.columns_each, plan.columns))
      wrong("what '" + head.name + "' points at does not fit the columns or the outputs",
            "list a column for each number, and an output for each other");
}

std::string NetworkPlan::to_json() const { return Json::of(*this).sorted().dump(); }

NetworkPlan NetworkPlan::from_json(std::string_view text) {
  try {
    NetworkPlan plan = Json::parse(text).get<NetworkPlan>();
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
  if (wanted.pointers != found.pointers) return "others are pointed at differently";
  return {};
}

}  // namespace zithercraft
