#include "zithercraft/show/network_picture.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

#include "show/pictures/canvas.hpp"
#include "show/pictures/colours.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"

namespace zithercraft {
using namespace show_internal;
namespace {

using Kind = NetworkMap::Kind;
using Context = std::unique_ptr<cairo_t, decltype(&cairo_destroy)>;

constexpr int width = 1280, least_height = 800, most_height = 4000;
constexpr double margin = 24.0, head = 64.0, foot = 30.0, names_width = 190.0, least_step = 9.0;
// Dark teal and pale plum differ in lightness too, so that no colour vision confuses them.
constexpr Colour raises{0.04, 0.35, 0.36}, lowers{0.81, 0.62, 0.78};

class Pen {
 public:
  explicit Pen(cairo_surface_t* surface)
      : context_(cairo_create(surface), &cairo_destroy), c_(context_.get()) {}

  void set(Colour colour, double alpha = 1.0) {
    cairo_set_source_rgba(c_, colour.r, colour.g, colour.b, alpha);
  }
  void box(double x, double y, double w, double h) {
    cairo_rectangle(c_, x, y, w, h);
    cairo_fill(c_);
  }
  void disc(double x, double y, double radius, Colour fill, Colour edge) {
    cairo_new_path(c_);
    cairo_arc(c_, x, y, radius, 0.0, 2.0 * std::numbers::pi);
    set(fill);
    cairo_fill_preserve(c_);
    set(edge);
    cairo_set_line_width(c_, 1.2);
    cairo_stroke(c_);
  }
  void curve(double x, double y, double to_x, double to_y, double bend, double thick, bool dashed) {
    const double dashes[] = {5.0, 4.0};
    cairo_set_dash(c_, dashes, dashed ? 2 : 0, 0.0);
    cairo_set_line_width(c_, thick);
    cairo_move_to(c_, x, y);
    cairo_curve_to(c_, x + 0.4 * (to_x - x), y + bend, x + 0.6 * (to_x - x), to_y + bend, to_x,
                   to_y);
    cairo_stroke(c_);
    cairo_set_dash(c_, dashes, 0, 0.0);
  }
  // `side`: 0 begins there, 1 ends there, 0.5 is in the middle.
  void text(double x, double y, const std::string& words, double size, double side = 0.0,
            bool bold = false) {
    cairo_select_font_face(c_, "sans-serif", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(c_, size);
    cairo_text_extents_t extents;
    cairo_text_extents(c_, words.c_str(), &extents);
    cairo_move_to(c_, x - side * extents.x_advance, y);
    cairo_show_text(c_, words.c_str());
  }
  void frame(double x, double y, double w, double h) {
    set(ink);
    cairo_set_line_width(c_, 1.0);
    cairo_rectangle(c_, x, y, w, h);
    cairo_stroke(c_);
  }
  // Upwards, ending there.
  void turned_text(double x, double y, const std::string& words, double size, bool bold) {
    cairo_save(c_);
    cairo_translate(c_, x, y);
    cairo_rotate(c_, -0.5 * std::numbers::pi);
    text(0.0, 0.0, words, size, 1.0, bold);
    cairo_restore(c_);
  }

 private:
  Context context_;
  cairo_t* c_;
};

struct Place {
  double x = 0.0, y = 0.0;
};

std::vector<std::vector<std::size_t>> by_layers(const NetworkMap& map) {
  std::vector<std::vector<std::size_t>> layers(map.layers);
  for (std::size_t i = 0; i < map.nodes.size(); ++i) layers[map.nodes[i].layer].push_back(i);
  return layers;
}

class Drawing {
 public:
  Drawing(const NetworkMap& map, const NetworkPicture& picture)
      : map_(map), picture_(picture), layers_(by_layers(map)), places_(map.nodes.size()) {
    if (!picture.column.empty()) chosen_ = map.find(picture.column);
    std::size_t most = 1;
    for (const auto& layer : layers_) most = std::max(most, layer.size());
    height_ = std::clamp(static_cast<int>(head + foot + least_step * static_cast<double>(most)),
                         least_height, most_height);
    place();
    if (picture.layout == NetworkLayout::free) relax();
  }

  int height() const { return height_; }

  void paint(cairo_surface_t* surface) const {
    Pen pen(surface);
    pen.set(paper);
    pen.box(0, 0, width, height_);
    paint_head(pen);
    paint_links(pen);
    paint_nodes(pen);
  }

 private:
  // Layers stand side by side, names outside.
  void place() {
    const double left = margin + names_width, right = width - margin - names_width;
    for (std::size_t l = 0; l < layers_.size(); ++l) {
      const double x = left + (right - left) * static_cast<double>(l) /
                                  static_cast<double>(std::max<std::size_t>(1, layers_.size() - 1));
      const double room = height_ - head - foot,
                   step = room / static_cast<double>(layers_[l].size());
      for (std::size_t k = 0; k < layers_[l].size(); ++k)
        places_[layers_[l][k]] = {x, head + step * (static_cast<double>(k) + 0.5)};
    }
  }

  // Hidden nodes go where those are that they are linked with, and keep away from each other.
  void relax() {
    constexpr int rounds = 300;
    constexpr double apart = 46.0;
    for (int round = 0; round < rounds; ++round) {
      std::vector<Place> sum(places_.size());
      std::vector<double> weight(places_.size(), 0.0);
      for (const auto& link : map_.links) {
        const double w = std::fabs(static_cast<double>(link.weight)) + 0.05;
        const auto pull = [&](std::uint32_t node, std::uint32_t by) {
          sum[node].x += w * places_[by].x;
          sum[node].y += w * places_[by].y;
          weight[node] += w;
        };
        pull(link.from, link.to);
        pull(link.to, link.from);
      }
      for (std::size_t i = 0; i < places_.size(); ++i) {
        if (!moves(i)) continue;
        Place next = places_[i];
        if (weight[i] > 0.0) {
          next.x += 0.1 * (sum[i].x / weight[i] - next.x);
          next.y += 0.1 * (sum[i].y / weight[i] - next.y);
        }
        for (std::size_t k = 0; k < places_.size(); ++k) {
          if (k == i) continue;
          const double dx = next.x - places_[k].x, dy = next.y - places_[k].y,
                       d = std::max(1.0, std::hypot(dx, dy));
          if (d >= apart) continue;
          next.x += 0.5 * (apart - d) * dx / d;
          next.y += 0.5 * (apart - d) * dy / d + (dx == 0.0 && dy == 0.0 ? 1.0 : 0.0);
        }
        next.x =
            std::clamp(next.x, margin + names_width + 60.0, width - margin - names_width - 60.0);
        next.y = std::clamp(next.y, head + 10.0, height_ - foot - 10.0);
        places_[i] = next;
      }
    }
  }
  bool moves(std::size_t node) const {
    return map_.nodes[node].kind == Kind::hidden || map_.nodes[node].kind == Kind::remembered;
  }

  void paint_head(Pen& pen) const {
    pen.set(ink);
    pen.text(margin, 28, picture_.title.empty() ? "network of " + map_.role : picture_.title, 17,
             0.0, true);
    const std::size_t drawn = std::min(picture_.strongest, map_.links.size());
    std::size_t unused = 0;
    for (const auto& node : map_.nodes)
      unused += node.kind == Kind::input && !node.used ? std::size_t{1} : std::size_t{0};
    std::string words = drawn < map_.links.size()
                            ? fmt::format("the {} strongest of {} links", drawn, map_.links.size())
                            : fmt::format("{} links", map_.links.size());
    if (unused > 0) words += fmt::format(", {} unused inputs (hollow)", unused);
    pen.text(margin, 48, words, 12);
    pen.set(raises);
    pen.box(width - 470, 22, 30, 4);
    pen.set(lowers);
    pen.box(width - 250, 22, 30, 4);
    pen.set(ink);
    pen.text(width - 434, 28, "raises what it leads to", 12);
    pen.text(width - 214, 28, "lowers it", 12);
    pen.text(width - 470, 48, "thickness: strength; dashed: from the step before", 12);
  }

  void paint_links(Pen& pen) const {
    std::vector<std::uint32_t> order(map_.links.size());
    std::iota(order.begin(), order.end(), 0u);
    const auto strength = [&](std::uint32_t l) {
      return std::fabs(static_cast<double>(map_.links[l].weight));
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](auto a, auto b) { return strength(a) < strength(b); });
    if (order.empty()) return;
    const auto of_chosen = [&](std::uint32_t l) {
      return !chosen_ || map_.links[l].from == *chosen_ || map_.links[l].to == *chosen_;
    };
    double most = 1e-9;
    // The last is the strongest.
    for (const std::uint32_t l : order)
      if (of_chosen(l)) most = strength(l);
    const std::size_t first = order.size() - std::min(picture_.strongest, order.size());
    const auto paint_one = [&](std::uint32_t l, bool grey) {
      const auto& link = map_.links[l];
      const double share = std::min(1.0, strength(l) / most);
      pen.set(grey                  ? faint
              : link.weight >= 0.0f ? raises
                                    : lowers,
              grey ? 0.18 : 0.25 + 0.75 * share);
      const Place &from = places_[link.from], &to = places_[link.to];
      const double bend = link.back ? 40.0 : 0.0;
      pen.curve(from.x, from.y, to.x, to.y, bend, 0.4 + 5.0 * share, link.back);
    };
    for (std::size_t k = first; k < order.size(); ++k)
      if (!of_chosen(order[k])) paint_one(order[k], true);
    for (std::size_t k = chosen_ ? 0 : first; k < order.size(); ++k)
      if (of_chosen(order[k])) paint_one(order[k], false);
  }

  void paint_nodes(Pen& pen) const {
    for (const auto& layer : layers_) {
      const double step = (height_ - head - foot) / static_cast<double>(layer.size());
      const double radius = std::clamp(0.38 * step, 2.0, 9.0),
                   size = std::clamp(0.9 * step, 6.0, 13.0);
      for (const std::size_t i : layer) {
        const auto& node = map_.nodes[i];
        const bool named =
            node.kind == Kind::input || node.kind == Kind::bias || node.kind == Kind::output;
        const Colour edge = node.used ? ink : faint;
        const Place at = places_[i];
        pen.disc(at.x, at.y, named ? radius : std::min(radius, 7.0),
                 node.used ? fill_of(node.kind) : paper, edge);
        pen.set(edge);
        if (node.kind == Kind::output) {
          pen.text(at.x + radius + 6.0, at.y + 0.35 * size, node.name, size, 0.0, i == chosen_);
        } else if (named) {
          pen.text(at.x - radius - 6.0, at.y + 0.35 * size, node.name, size, 1.0, i == chosen_);
        } else if (step > 24.0) {
          pen.text(at.x, at.y - 11.0, node.name, 10.0, 0.5);
        }
      }
    }
  }

  static Colour fill_of(Kind kind) {
    switch (kind) {
      case Kind::input: return {0.80, 0.86, 0.93};
      case Kind::bias: return {0.90, 0.90, 0.90};
      case Kind::hidden: return {0.95, 0.95, 0.95};
      case Kind::remembered: return {0.88, 0.83, 0.93};
      case Kind::output: return {0.98, 0.86, 0.70};
    }
    return paper;
  }

  const NetworkMap& map_;
  const NetworkPicture& picture_;
  std::vector<std::vector<std::size_t>> layers_;
  std::vector<Place> places_;
  std::optional<std::size_t> chosen_;
  int height_ = least_height;
};

// Matrices from layer to layer, one under the other.
class Matrices {
 public:
  Matrices(const NetworkMap& map, const NetworkPicture& picture)
      : map_(map), picture_(picture), layers_(by_layers(map)) {
    if (!picture.column.empty()) chosen_ = map.find(picture.column);
    for (std::size_t l = 1; l < layers_.size(); ++l)
      for (std::size_t from = 0; from < l; ++from)
        if (Matrix m = matrix(from, l); m.any) matrices_.push_back(std::move(m));
  }

  void paint(cairo_surface_t* surface) const {
    Pen pen(surface);
    pen.set(paper);
    pen.box(0, 0, width, least_height);
    pen.set(ink);
    pen.text(margin, 28, picture_.title.empty() ? "weights of " + map_.role : picture_.title, 17,
             0.0, true);
    pen.text(margin, 48,
             "rows read columns; dark teal raises, pale plum lowers, white does nothing", 12);
    double rows = 0.0, names = 0.0;
    for (const Matrix& m : matrices_) {
      rows += static_cast<double>(layers_[m.to].size());
      names += names_below(m) ? names_high : 0.0;
    }
    double top = head + 10.0;
    const double room =
        least_height - top - foot - names - 40.0 * static_cast<double>(matrices_.size());
    const double tall = std::min(most_tall, room / rows);
    for (const Matrix& m : matrices_) {
      const double high = tall * static_cast<double>(layers_[m.to].size());
      paint_matrix(pen, m, top + 26.0, high);
      top += high + 40.0 + (names_below(m) ? names_high : 0.0);
    }
  }

 private:
  struct Matrix {
    std::size_t from = 0, to = 0;   // layers
    std::vector<double> weights{};  // [to][from]
    double most = 0.0;
    bool any = false;
  };
  static constexpr double most_tall = 44.0, names_high = 92.0;
  // Inputs are named under the last matrix that reads them: one by one where there is room for
  // that, else by their senses.
  bool names_below(const Matrix& m) const {
    return m.from == 0 && std::none_of(matrices_.begin(), matrices_.end(),
                                       [&](const Matrix& o) { return o.from == 0 && o.to > m.to; });
  }
  double wide(const Matrix& m) const {
    return (width - 2.0 * margin - names_width) / static_cast<double>(layers_[m.from].size());
  }

  Matrix matrix(std::size_t from, std::size_t to) const {
    Matrix m{from, to, std::vector<double>(layers_[from].size() * layers_[to].size(), 0.0)};
    std::vector<std::size_t> at(map_.nodes.size());
    for (const auto& layer : layers_)
      for (std::size_t k = 0; k < layer.size(); ++k) at[layer[k]] = k;
    for (const auto& link : map_.links) {
      if (map_.nodes[link.from].layer != from || map_.nodes[link.to].layer != to) continue;
      const auto w = static_cast<double>(link.weight);
      m.weights[at[link.to] * layers_[from].size() + at[link.from]] += w;
      m.most = std::max(m.most, std::fabs(w));
      m.any = true;
    }
    return m;
  }

  static Colour shade(double share) {
    const Colour full = share >= 0.0 ? raises : lowers;
    const double s = std::pow(std::fabs(share), 0.6);  // weak weights are to be seen too
    return {1.0 + s * (full.r - 1.0), 1.0 + s * (full.g - 1.0), 1.0 + s * (full.b - 1.0)};
  }

  std::string name_of(std::size_t layer) const {
    return layer == 0                    ? "inputs"
           : layer + 1 == layers_.size() ? "outputs"
                                         : fmt::format("hidden layer {}", layer);
  }

  void paint_matrix(Pen& pen, const Matrix& m, double top, double high) const {
    const auto &columns = layers_[m.from], &rows = layers_[m.to];
    const double left = margin + names_width, wide = this->wide(m),
                 tall = high / static_cast<double>(rows.size());
    pen.set(ink);
    pen.text(left, top - 8.0,
             fmt::format("from {} to {}: strongest {:.3g}", name_of(m.from), name_of(m.to), m.most),
             12, 0.0, true);
    for (std::size_t r = 0; r < rows.size(); ++r)
      for (std::size_t c = 0; c < columns.size(); ++c) {
        pen.set(shade(m.weights[r * columns.size() + c] / m.most));
        pen.box(left + wide * static_cast<double>(c), top + tall * static_cast<double>(r),
                wide + 0.3, tall + 0.3);
      }
    pen.set(ink);
    const double size = std::clamp(0.85 * tall, 5.0, 12.0);
    for (std::size_t r = 0; r < rows.size() && tall >= 5.0; ++r)
      pen.text(left - 6.0, top + tall * (static_cast<double>(r) + 0.5) + 0.35 * size,
               map_.nodes[rows[r]].name, size, 1.0);
    pen.frame(left, top, wide * static_cast<double>(columns.size()), high);
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const double x = left + wide * (static_cast<double>(c) + 0.5);
      const bool chosen = columns[c] == chosen_;
      pen.set(ink);
      if (names_below(m) && named_alone(m))
        pen.turned_text(x + 3.0, top + high + 6.0, map_.nodes[columns[c]].name,
                        std::min(10.0, 0.9 * wide), chosen);
      if (chosen) pen.frame(x - 0.5 * wide, top, wide, high);
    }
    if (names_below(m) && !named_alone(m)) name_groups(pen, m, left, top + high);
    if (tall < 5.0) {  // rows too low for names are counted
      pen.text(left - 6.0, top + 9.0, "1", 10, 1.0);
      pen.text(left - 6.0, top + high, std::to_string(rows.size()), 10, 1.0);
    }
  }

  bool named_alone(const Matrix& m) const { return wide(m) >= 7.0; }

  // What of a column's name all columns of its sense share.
  std::string sense_of(std::size_t node) const {
    const std::string& name = map_.nodes[node].name;
    return name.substr(0, name.find_first_of("[."));
  }

  // A bracket under each group of columns of one sense, with its name and how many they are.
  void name_groups(Pen& pen, const Matrix& m, double left, double below) const {
    const auto& columns = layers_[m.from];
    const double wide = this->wide(m);
    for (std::size_t first = 0, stop = 0; first < columns.size(); first = stop) {
      const std::string sense = sense_of(columns[first]);
      while (stop < columns.size() && sense_of(columns[stop]) == sense) ++stop;
      const double from = left + wide * static_cast<double>(first) + 1.0,
                   to = left + wide * static_cast<double>(stop) - 1.0;
      pen.set(ink);
      pen.box(from, below + 4.0, std::max(1.0, to - from), 1.5);
      const std::string words = fmt::format("{} ({})", sense, stop - first);
      constexpr double per_letter = 6.0;  // pixels, about
      if (to - from >= per_letter * static_cast<double>(words.size()))
        pen.text(0.5 * (from + to), below + 18.0, words, 11, 0.5);
      else
        pen.turned_text(0.5 * (from + to) + 3.0, below + 10.0, words, 10.0, false);
    }
  }

  const NetworkMap& map_;
  const NetworkPicture& picture_;
  std::vector<std::vector<std::size_t>> layers_;
  std::vector<Matrix> matrices_;
  std::optional<std::size_t> chosen_;
};

template <class Paint>
void write(const std::filesystem::path& file, int height, const Paint& paint) {
  if (file.extension() == ".svg") return write_atomically(file, svg_of(width, height, paint));
  if (file.extension() != ".png" && file != "-")
    throw Error(ErrorKind::usage, "'" + file.string() + "' is neither a PNG nor an SVG file",
                "picture", "end its name with .png or .svg");
  const Canvas surface = canvas(width, height);
  paint(surface.get());
  write_png(surface.get(), file);
}

}  // namespace

void draw_network(const std::filesystem::path& file, const NetworkMap& map,
                  const NetworkPicture& picture) {
  const Drawing drawing(map, picture);
  write(file, drawing.height(), [&](cairo_surface_t* surface) { drawing.paint(surface); });
}

void draw_weights(const std::filesystem::path& file, const NetworkMap& map,
                  const NetworkPicture& picture) {
  const Matrices matrices(map, picture);
  write(file, least_height, [&](cairo_surface_t* surface) { matrices.paint(surface); });
}

}  // namespace zithercraft
