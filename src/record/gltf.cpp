#include <tiny_gltf.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <sstream>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/record/convert.hpp"

namespace zithercraft {
namespace {

// Metres: things of flat arenas; walls and zones without end.
constexpr double flat_height = 0.6, endless_height = 3.0;
constexpr double wall_thickness = 0.15;

using Corner = std::array<float, 3>;
using Paint = std::array<double, 4>;  // red, green, blue, opacity

// Our (x, y, z) as glTF has it: y points up.
Corner turned(double x, double y, double z) {
  return {static_cast<float>(x), static_cast<float>(z), static_cast<float>(-y)};
}

// Triangles with flat sides.
struct Surface {
  std::vector<Corner> corners{}, normals{};

  void add(const Corner& a, const Corner& b, const Corner& c) {
    Corner u{}, v{}, n{};
    for (std::size_t i = 0; i < 3; ++i) {
      u[i] = b[i] - a[i];
      v[i] = c[i] - a[i];
    }
    n = {u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]};
    const float length = std::sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
    if (length < 1e-9f) return;  // no area, no side to it
    for (float& part : n) part /= length;
    for (const Corner& corner : {a, b, c}) {
      corners.push_back(corner);
      normals.push_back(n);
    }
  }
  void add_quad(const Corner& a, const Corner& b, const Corner& c, const Corner& d) {
    add(a, b, c);
    add(a, c, d);
  }
  bool empty() const { return corners.empty(); }
};

// Upright, on a convex outline, counter-clockwise as seen from above.
void add_prism(Surface& s, const std::vector<Point>& outline, double low, double high) {
  const auto at = [&](std::size_t i, double z) {
    const Point& p = outline[i % outline.size()];
    return turned(p[0], p[1], z);
  };
  for (std::size_t i = 0; i < outline.size(); ++i) {
    s.add_quad(at(i, low), at(i + 1, low), at(i + 1, high), at(i, high));
    if (i < 2) continue;
    s.add(at(0, high), at(i - 1, high), at(i, high));
    s.add(at(0, low), at(i, low), at(i - 1, low));
  }
}

void add_box(Surface& s, double x0, double y0, double x1, double y1, double low, double high) {
  add_prism(s, {{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}}, low, high);
}

void add_ball(Surface& s, double radius) {
  constexpr int around = 20, up = 12;
  const auto at = [&](int i, int k) {
    const double a = 2 * M_PI * i / around, b = M_PI * k / up - M_PI / 2;
    return turned(radius * std::cos(b) * std::cos(a), radius * std::cos(b) * std::sin(a),
                  radius + radius * std::sin(b));
  };
  for (int i = 0; i < around; ++i)
    for (int k = 0; k < up; ++k) s.add_quad(at(i, k), at(i + 1, k), at(i + 1, k + 1), at(i, k + 1));
}

class SceneWriter {
 public:
  SceneWriter(Replay& replay, std::size_t episode)
      : replay_(replay), arena_(replay.game().arena()), episode_(episode) {
    model_.asset.version = "2.0";
    model_.asset.generator = "zithercraft " + replay.info().made_with;
    model_.buffers.emplace_back();
    model_.scenes.emplace_back();
    model_.defaultScene = 0;
    model_.scenes[0].name = replay.info().game;
    start_ = replay.moment(episode, 0).state;
  }

  std::string write(bool binary) {
    add_fixed_things();
    add_posed_things();
    if (!animation_.channels.empty()) model_.animations.push_back(std::move(animation_));
    tinygltf::TinyGLTF writer;
    std::ostringstream out;
    writer.WriteGltfSceneToStream(&model_, out, false, binary);
    return out.str();
  }

 private:
  std::uint32_t moments() const { return replay_.episodes()[episode_].moments; }

  // ---- Pieces of the model.
  int add_numbers(const std::vector<float>& numbers, int type, std::size_t width, bool bounds,
                  int target) {
    auto& bytes = model_.buffers[0].data;
    tinygltf::BufferView view;
    view.buffer = 0;
    view.byteOffset = bytes.size();
    view.byteLength = numbers.size() * sizeof(float);
    view.target = target;
    bytes.resize(bytes.size() + view.byteLength);
    std::memcpy(bytes.data() + view.byteOffset, numbers.data(), view.byteLength);
    model_.bufferViews.push_back(view);
    tinygltf::Accessor accessor;
    accessor.bufferView = static_cast<int>(model_.bufferViews.size()) - 1;
    accessor.componentType = TINYGLTF_COMPONENT_TYPE_FLOAT;
    accessor.count = numbers.size() / width;
    accessor.type = type;
    if (bounds) {
      accessor.minValues.assign(width, std::numeric_limits<double>::infinity());
      accessor.maxValues.assign(width, -std::numeric_limits<double>::infinity());
      for (std::size_t i = 0; i < numbers.size(); ++i) {
        const auto value = static_cast<double>(numbers[i]);
        accessor.minValues[i % width] = std::min(accessor.minValues[i % width], value);
        accessor.maxValues[i % width] = std::max(accessor.maxValues[i % width], value);
      }
    }
    model_.accessors.push_back(accessor);
    return static_cast<int>(model_.accessors.size()) - 1;
  }

  static std::vector<float> flat(const std::vector<Corner>& corners) {
    std::vector<float> numbers;
    for (const Corner& corner : corners)
      numbers.insert(numbers.end(), corner.begin(), corner.end());
    return numbers;
  }

  // Tags take colours in order, from lightness far apart.
  Paint paint_of(EntityId entity) const {
    constexpr std::array<std::array<double, 3>, 8> list{{{0.80, 0.47, 0.00},
                                                         {0.42, 0.35, 0.58},
                                                         {0.00, 0.45, 0.45},
                                                         {0.25, 0.28, 0.33},
                                                         {0.87, 0.80, 0.60},
                                                         {0.10, 0.45, 0.75},
                                                         {0.70, 0.25, 0.45},
                                                         {0.90, 0.72, 0.05}}};
    const Entity& e = arena_.entity(entity);
    const auto& colour = list[e.tag % list.size()];
    return {colour[0], colour[1], colour[2], e.kind == EntityKind::zone ? 0.3 : 1.0};
  }

  int material_of(const Paint& paint, const std::string& name) {
    const auto [found, is_new] =
        materials_.try_emplace({paint, name}, static_cast<int>(model_.materials.size()));
    if (!is_new) return found->second;
    tinygltf::Material material;
    material.name = name;
    material.pbrMetallicRoughness.baseColorFactor = {paint[0], paint[1], paint[2], paint[3]};
    material.pbrMetallicRoughness.metallicFactor = 0.0;
    material.pbrMetallicRoughness.roughnessFactor = 0.8;
    material.doubleSided = paint[3] < 1.0;
    if (paint[3] < 1.0) material.alphaMode = "BLEND";
    model_.materials.push_back(material);
    return found->second;
  }

  int add_mesh(const Surface& surface, EntityId entity) {
    const Entity& e = arena_.entity(entity);
    tinygltf::Primitive primitive;
    primitive.attributes["POSITION"] = add_numbers(flat(surface.corners), TINYGLTF_TYPE_VEC3, 3,
                                                   true, TINYGLTF_TARGET_ARRAY_BUFFER);
    primitive.attributes["NORMAL"] = add_numbers(flat(surface.normals), TINYGLTF_TYPE_VEC3, 3,
                                                 false, TINYGLTF_TARGET_ARRAY_BUFFER);
    primitive.mode = TINYGLTF_MODE_TRIANGLES;
    primitive.material = material_of(paint_of(entity), arena_.tags()[e.tag]);
    tinygltf::Mesh mesh;
    mesh.name = e.name;
    mesh.primitives.push_back(primitive);
    model_.meshes.push_back(mesh);
    return static_cast<int>(model_.meshes.size()) - 1;
  }

  int add_node(int mesh, const std::string& name) {
    tinygltf::Node node;
    node.name = name;
    node.mesh = mesh;
    model_.nodes.push_back(node);
    model_.scenes[0].nodes.push_back(static_cast<int>(model_.nodes.size()) - 1);
    return model_.scenes[0].nodes.back();
  }

  void add_fixed(const Surface& surface, EntityId entity) {
    if (surface.empty()) return;
    const int node = add_node(add_mesh(surface, entity), arena_.entity(entity).name);
    if (!arena_.opens(entity)) return;
    std::vector<float> there;
    for (std::uint32_t d = 0; d < moments(); ++d)
      there.push_back(arena_.present(replay_.moment(episode_, d).state.data(), entity) ? 1.0f
                                                                                       : 0.0f);
    show_when(node, there);
  }

  // ---- What never moves.
  double floor_level() const {
    const auto& heights = arena_.spec().heights;
    return heights && heights->floor ? heights->floor->level : 0.0;
  }

  void add_fixed_things() {
    for (const EntityId e : arena_.ids())
      if (arena_.entity(e).kind == EntityKind::wall) add_wall(e);
    add_cells();
    add_blocks();
    std::map<EntityId, Surface> terrain;
    for (const ArenaTriangle& t : arena_.triangles()) {
      const auto at = [&](std::size_t k) {
        return turned(t.corner[k].x, t.corner[k].y, t.corner[k].z);
      };
      terrain[t.entity].add(at(0), at(1), at(2));
      terrain[t.entity].add(at(0), at(2), at(1));  // both of its sides count
    }
    for (const auto& [entity, surface] : terrain) add_fixed(surface, entity);
    add_floor();
  }

  void add_wall(EntityId e) {
    const WallSpec& wall = arena_.spec().walls[arena_.entity(e).spec_index];
    const auto chain = arena_.outline(start_.data(), e);
    const double tall = wall.height.value_or(arena_.has_height() ? endless_height : flat_height);
    Surface surface;
    for (std::size_t i = 0; i + 1 < chain.size(); ++i) {
      const auto [x0, y0] = chain[i];
      const auto [x1, y1] = chain[i + 1];
      const double length = std::hypot(x1 - x0, y1 - y0),
                   half = wall_thickness / 2 / std::max(length, 1e-9);
      const double ox = -(y1 - y0) * half, oy = (x1 - x0) * half;
      add_prism(surface,
                {{x0 - ox, y0 - oy}, {x1 - ox, y1 - oy}, {x1 + ox, y1 + oy}, {x0 + ox, y0 + oy}},
                wall.foot, wall.foot + tall);
    }
    add_fixed(surface, e);
  }

  void add_cells() {
    if (arena_.cell_columns() == 0) return;
    const CellsSpec& cells = *arena_.spec().cells;
    std::map<EntityId, Surface> kinds;
    for (std::size_t row = 0; row < arena_.cell_rows(); ++row)
      for (std::size_t column = 0; column < arena_.cell_columns(); ++column) {
        const EntityId e = arena_.cell_at(start_.data(), column, row);
        if (!e) continue;
        const CellKind& kind = cells.kinds[arena_.entity(e).spec_index];
        const double x = cells.origin[0] + cells.size * static_cast<double>(column),
                     y = cells.origin[1] + cells.size * static_cast<double>(row), z = floor_level();
        const double tall = kind.height.value_or(!kind.solid           ? 0.02
                                                 : arena_.has_height() ? endless_height
                                                                       : flat_height);
        add_box(kinds[e], x, y, x + cells.size, y + cells.size, z, z + tall);
      }
    for (const auto& [entity, surface] : kinds) add_fixed(surface, entity);
  }

  void add_floor() {
    const auto& heights = arena_.spec().heights;
    if (!heights || !heights->floor) return;
    double reach = 10.0;
    for (const EntityId e : arena_.ids())
      for (const auto& [x, y] : arena_.outline(start_.data(), e))
        reach = std::max({reach, std::abs(x), std::abs(y)});
    Surface surface;
    const double z = heights->floor->level;
    surface.add_quad(turned(-reach, -reach, z), turned(reach, -reach, z), turned(reach, reach, z),
                     turned(-reach, reach, z));
    for (const EntityId e : arena_.ids())
      if (arena_.entity(e).kind == EntityKind::floor) add_fixed(surface, e);
  }

  // ---- Blocks: those that stay as one surface for each kind; each that changes has a node for
  // each kind it takes.
  std::vector<EntityId> blocks_at(std::uint32_t step) {
    const auto state = replay_.moment(episode_, step).state;
    const auto count = arena_.block_count();
    std::vector<EntityId> blocks;
    for (std::size_t layer = 0; layer < count.layers; ++layer)
      for (std::size_t row = 0; row < count.rows; ++row)
        for (std::size_t column = 0; column < count.columns; ++column)
          blocks.push_back(arena_.block_at(state.data(), column, row, layer));
    return blocks;
  }

  void add_blocks() {
    const auto count = arena_.block_count();
    if (count.columns == 0) return;
    std::vector<EntityId> staying = blocks_at(0), before = staying;
    struct Change {
      std::uint32_t step;
      EntityId kind;
    };
    std::map<std::size_t, std::vector<Change>> changes;
    for (std::uint32_t d = 1; d < moments(); ++d) {
      const auto now = blocks_at(d);
      for (std::size_t i = 0; i < now.size(); ++i)
        if (now[i] != before[i]) {
          auto& list = changes[i];
          if (list.empty()) list.push_back({0, before[i]});
          list.push_back({d, now[i]});
        }
      before = now;
    }
    for (const auto& [index, list] : changes) staying[index] = {};
    add_staying(staying);
    for (const auto& [index, list] : changes) {
      std::vector<EntityId> kinds;
      for (const Change& change : list)
        if (change.kind && std::find(kinds.begin(), kinds.end(), change.kind) == kinds.end())
          kinds.push_back(change.kind);
      for (const EntityId kind : kinds) {
        Surface cube;
        add_block(cube, index,
                  [](std::ptrdiff_t, std::ptrdiff_t, std::ptrdiff_t) { return false; });
        const int node = add_node(add_mesh(cube, kind), arena_.entity(kind).name);
        std::vector<float> there;
        std::size_t at = 0;
        for (std::uint32_t d = 0; d < moments(); ++d) {
          while (at + 1 < list.size() && list[at + 1].step <= d) ++at;
          there.push_back(list[at].kind == kind ? 1.0f : 0.0f);
        }
        show_when(node, there);
      }
    }
  }

  void add_staying(const std::vector<EntityId>& blocks) {
    const auto count = arena_.block_count();
    const auto covered = [&](std::ptrdiff_t c, std::ptrdiff_t r, std::ptrdiff_t l) {
      const auto inside = [](std::ptrdiff_t i, std::size_t n) {
        return i >= 0 && i < static_cast<std::ptrdiff_t>(n);
      };
      if (!inside(c, count.columns) || !inside(r, count.rows) || !inside(l, count.layers))
        return false;
      return blocks[(static_cast<std::size_t>(l) * count.rows + static_cast<std::size_t>(r)) *
                        count.columns +
                    static_cast<std::size_t>(c)]
                 .number() >= 0;
    };
    std::map<EntityId, Surface> kinds;
    for (std::size_t i = 0; i < blocks.size(); ++i)
      if (blocks[i]) add_block(kinds[blocks[i]], i, covered);
    for (const auto& [entity, surface] : kinds) add_fixed(surface, entity);
  }

  // The sides of a block that no other covers.
  template <class Covered>
  void add_block(Surface& s, std::size_t index, Covered covered) const {
    const auto count = arena_.block_count();
    const BlocksSpec& spec = *arena_.spec().blocks;
    const auto c = static_cast<std::ptrdiff_t>(index % count.columns),
               r = static_cast<std::ptrdiff_t>(index / count.columns % count.rows),
               l = static_cast<std::ptrdiff_t>(index / count.columns / count.rows);
    const auto at = [&](int x, int y, int z) {
      return turned(spec.origin[0] + spec.size * static_cast<double>(c + x),
                    spec.origin[1] + spec.size * static_cast<double>(r + y),
                    spec.origin[2] + spec.size * static_cast<double>(l + z));
    };
    if (!covered(c + 1, r, l)) s.add_quad(at(1, 0, 0), at(1, 1, 0), at(1, 1, 1), at(1, 0, 1));
    if (!covered(c - 1, r, l)) s.add_quad(at(0, 1, 0), at(0, 0, 0), at(0, 0, 1), at(0, 1, 1));
    if (!covered(c, r + 1, l)) s.add_quad(at(1, 1, 0), at(0, 1, 0), at(0, 1, 1), at(1, 1, 1));
    if (!covered(c, r - 1, l)) s.add_quad(at(0, 0, 0), at(1, 0, 0), at(1, 0, 1), at(0, 0, 1));
    if (!covered(c, r, l + 1)) s.add_quad(at(0, 0, 1), at(1, 0, 1), at(1, 1, 1), at(0, 1, 1));
    if (!covered(c, r, l - 1)) s.add_quad(at(0, 1, 0), at(1, 1, 0), at(1, 0, 0), at(0, 0, 0));
  }

  // ---- What has a pose.
  Surface form_of(EntityId entity) const {
    const Pose pose = arena_.pose(start_.data(), entity);
    std::vector<Point> outline;
    double reach = 0.0;
    for (const auto& [x, y] : arena_.outline(start_.data(), entity)) {
      const double dx = x - static_cast<double>(pose.x), dy = y - static_cast<double>(pose.y),
                   cos = static_cast<double>(pose.cos), sin = static_cast<double>(pose.sin);
      outline.push_back({cos * dx + sin * dy, cos * dy - sin * dx});
      reach = std::max(reach, std::hypot(dx, dy));
    }
    Surface surface;
    if (arena_.is_ball(entity)) {
      add_ball(surface, reach);
      return surface;
    }
    const auto tall = static_cast<double>(arena_.height_of(entity, start_.data()));
    const bool zone = arena_.entity(entity).kind == EntityKind::zone;
    const double flat_tall = zone ? 0.05 : flat_height;
    add_prism(surface, outline, 0.0,
              !arena_.has_height()  ? flat_tall
              : std::isfinite(tall) ? tall
                                    : endless_height);
    return surface;
  }

  void add_posed_things() {
    struct Way {
      std::vector<float> place, turn, there;
      bool moves = false, comes_and_goes = false;
    };
    std::vector<Way> ways(arena_.posed().size());
    for (std::uint32_t d = 0; d < moments(); ++d) {
      const auto& state = replay_.moment(episode_, d).state;
      for (const EntityId e : arena_.posed()) {
        Way& way = ways[e.index()];
        const Pose pose = arena_.pose(state.data(), e);
        const Corner at = turned(static_cast<double>(pose.x), static_cast<double>(pose.y),
                                 static_cast<double>(pose.z));
        const double half = 0.5 * static_cast<double>(pose.heading);
        std::array<float, 4> q{0.0f, static_cast<float>(std::sin(half)), 0.0f,
                               static_cast<float>(std::cos(half))};
        if (d > 0 && q[1] * way.turn[way.turn.size() - 3] + q[3] * way.turn.back() < 0.0f)
          for (float& part : q) part = -part;  // the same turn, the short way round
        way.moves = way.moves || (d > 0 && (!std::equal(at.begin(), at.end(), way.place.begin()) ||
                                            !std::equal(q.begin(), q.end(), way.turn.begin())));
        way.place.insert(way.place.end(), at.begin(), at.end());
        way.turn.insert(way.turn.end(), q.begin(), q.end());
        way.there.push_back(arena_.present(state.data(), e) ? 1.0f : 0.0f);
        way.comes_and_goes = way.comes_and_goes || way.there.back() != 1.0f;
      }
    }
    std::map<std::vector<float>, int> meshes;  // things that look alike share one
    for (const EntityId e : arena_.posed()) {
      const Surface form = form_of(e);
      if (form.empty()) continue;
      const Way& way = ways[e.index()];
      std::vector<float> looks = flat(form.corners);
      looks.push_back(static_cast<float>(arena_.entity(e).tag));
      const auto [mesh, is_new] = meshes.try_emplace(std::move(looks), -1);
      if (is_new) mesh->second = add_mesh(form, e);
      const int number = add_node(mesh->second, arena_.entity(e).name);
      tinygltf::Node& node = model_.nodes[static_cast<std::size_t>(number)];
      node.translation.assign(way.place.begin(), way.place.begin() + 3);
      node.rotation.assign(way.turn.begin(), way.turn.begin() + 4);
      if (way.moves) {
        animate(number, "translation", way.place, TINYGLTF_TYPE_VEC3, 3, "LINEAR");
        animate(number, "rotation", way.turn, TINYGLTF_TYPE_VEC4, 4, "LINEAR");
      }
      if (way.comes_and_goes) show_when(number, way.there);
    }
  }

  // What is not there has no size.
  void show_when(int node, const std::vector<float>& there) {
    std::vector<float> scale;
    for (const float one : there) scale.insert(scale.end(), 3, one);
    model_.nodes[static_cast<std::size_t>(node)].scale.assign(3,
                                                              static_cast<double>(there.front()));
    animate(node, "scale", scale, TINYGLTF_TYPE_VEC3, 3, "STEP");
  }

  void animate(int node, const std::string& path, const std::vector<float>& values, int type,
               std::size_t width, const std::string& between) {
    if (times_ < 0) {
      std::vector<float> seconds;
      const double step =
          arena_.spec().tick * static_cast<double>(replay_.game().spec().ticks_per_step);
      for (std::uint32_t d = 0; d < moments(); ++d) seconds.push_back(static_cast<float>(step * d));
      times_ = add_numbers(seconds, TINYGLTF_TYPE_SCALAR, 1, true, 0);
      animation_.name = "episode " + std::to_string(episode_);
    }
    tinygltf::AnimationSampler sampler;
    sampler.input = times_;
    sampler.output = add_numbers(values, type, width, false, 0);
    sampler.interpolation = between;
    animation_.samplers.push_back(sampler);
    tinygltf::AnimationChannel channel;
    channel.sampler = static_cast<int>(animation_.samplers.size()) - 1;
    channel.target_node = node;
    channel.target_path = path;
    animation_.channels.push_back(channel);
  }

  Replay& replay_;
  const Arena& arena_;
  std::size_t episode_;
  std::vector<std::byte> start_;
  tinygltf::Model model_;
  tinygltf::Animation animation_;
  std::map<std::pair<Paint, std::string>, int> materials_;
  int times_ = -1;
};

}  // namespace

void write_gltf(const std::filesystem::path& file, Replay& replay, std::size_t episode) {
  const std::string ending = file == "-" ? ".glb" : file.extension().string();
  if (ending != ".glb" && ending != ".gltf")
    throw Error(ErrorKind::usage, "a glTF scene ends with .glb or .gltf", file.string(),
                "name it so");
  if (episode >= replay.episodes().size())
    throw Error(
        ErrorKind::usage, "there is no episode " + std::to_string(episode), replay.info().game,
        "the replay has " + std::to_string(replay.episodes().size()) + " episodes, counted from 0");
  write_atomically(file, SceneWriter(replay, episode).write(ending == ".glb"));
}

}  // namespace zithercraft
