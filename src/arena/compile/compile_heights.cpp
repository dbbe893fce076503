#include <algorithm>
#include <cmath>
#include <limits>

#include "arena/blocks.hpp"
#include "arena/compile/compiler.hpp"
#include "arena/files/read_gltf.hpp"
#include "arena/files/read_npy.hpp"
#include "arena/files/read_picture.hpp"
#include "config/data_file.hpp"
#include "zithercraft/base/error.hpp"
#include "zithercraft/base/exact.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::arena_internal {
using namespace config;
namespace {

constexpr std::size_t most_levels = 1'000'000, most_triangles = 2'000'000;

[[noreturn]] void needs_height(const std::string& where) {
  wrong("this needs an arena with height", where, "add `heights`, or leave it out");
}

/// Rows of levels from low y to high y.
struct Levels {
  std::size_t columns = 0, rows = 0;
  std::vector<double> values{};
};

Levels read_levels(const GroundSpec& spec) {
  const std::string where = "arena.ground.";
  Levels levels;
  if (spec.file.empty() == spec.levels.empty())
    wrong("the ground needs a file or levels, and not both", where + "file", "give one of them");
  if (!spec.levels.empty()) {
    levels.rows = spec.levels.size();
    levels.columns = spec.levels.front().size();
    for (std::size_t r = 0; r < levels.rows; ++r) {
      if (spec.levels[r].size() != levels.columns)
        wrong("this row has " + std::to_string(spec.levels[r].size()) +
                  " numbers, and the first has " + std::to_string(levels.columns),
              where + "levels[" + std::to_string(r) + "]", "make all rows equally long");
      levels.values.insert(levels.values.end(), spec.levels[r].begin(), spec.levels[r].end());
    }
  } else if (const std::string bytes = read_data(spec.file, where + "file");
             bytes.starts_with("\x89PNG")) {
    GreyPicture picture = read_grey_png(bytes, shown(spec.file));
    levels.columns = picture.width;
    levels.rows = picture.height;
    for (std::size_t r = picture.height; r-- > 0;)  // pictures begin at the top
      levels.values.insert(
          levels.values.end(),
          picture.values.begin() + static_cast<std::ptrdiff_t>(r * picture.width),
          picture.values.begin() + static_cast<std::ptrdiff_t>((r + 1) * picture.width));
  } else {
    NpyArray array = read_npy(bytes, shown(spec.file));
    if (array.shape.size() != 2)
      throw Error(ErrorKind::file,
                  "the ground's array has " + std::to_string(array.shape.size()) + " dimensions",
                  shown(spec.file), "give it two: rows along y, columns along x");
    levels.rows = array.shape[0];
    levels.columns = array.shape[1];
    levels.values = std::move(array.values);
  }
  if (levels.rows < 2 || levels.columns < 2 || levels.values.size() > most_levels)
    wrong("the ground has " + std::to_string(levels.columns) + " x " + std::to_string(levels.rows) +
              " levels",
          where + "file", "give at least 2 x 2 and at most a million");
  for (double& level : levels.values) {
    level = level * spec.scale + spec.lift;
    if (!(std::fabs(level) < 1e6))
      wrong("a level is not a number, or farther than 1,000 km from 0", where + "file",
            "fix the data or the scale");
  }
  return levels;
}

}  // namespace

void ArenaCompiler::read_heights() {
  if (!plan_.spec.heights) return check_flat();
  const Heights& spec = *plan_.spec.heights;
  HeightsPlan& heights = plan_.heights;
  heights.used = true;
  heights.gravity = static_cast<float>(spec.gravity * plan_.spec.tick);
  heights.lowest = static_cast<float>(spec.lowest);
  heights.ceiling = spec.ceiling ? static_cast<float>(*spec.ceiling) : boundless;
  heights.floor_level = spec.floor ? static_cast<float>(spec.floor->level) : 0.0f;
  if (spec.floor && spec.floor->level < spec.lowest)
    wrong("the floor lies below the lowest level that bodies survive", "arena.heights.floor.level",
          "lower `lowest`");
  if (spec.ceiling && *spec.ceiling <= (spec.floor ? spec.floor->level : spec.lowest))
    wrong("there is no room below the ceiling", "arena.heights.ceiling", "raise it");
}

// Keys that need height are errors in a flat arena, where they would do nothing.
void ArenaCompiler::check_flat() const {
  const ArenaSpec& spec = plan_.spec;
  if (spec.ground) needs_height("arena.ground");
  if (!spec.meshes.empty()) needs_height("arena.meshes");
  const auto check = [](const auto& list, const std::string& name) {
    for (std::size_t i = 0; i < list.size(); ++i) {
      const std::string where = "arena." + name + "[" + std::to_string(i) + "]";
      if (list[i].height) needs_height(where + ".height");
      if constexpr (requires { list[i].place; }) {
        if (list[i].place.level) needs_height(where + ".place.level");
        if (std::holds_alternative<Ball>(list[i].shape)) needs_height(where + ".shape");
      } else {
        if (list[i].foot != 0.0) needs_height(where + ".foot");
      }
    }
  };
  check(spec.walls, "walls");
  check(spec.zones, "zones");
  check(spec.bodies, "bodies");
  check(spec.items, "items");
  for (std::size_t i = 0; i < spec.bodies.size(); ++i) {
    const BodySpec& body = spec.bodies[i];
    const std::string where = "arena.bodies[" + std::to_string(i) + "]";
    if (body.mover) {
      if (std::holds_alternative<Flyer>(*body.mover)) needs_height(where + ".mover");
      if (const auto* walker = std::get_if<Walker>(&*body.mover)) {
        if (walker->jump > 0.0) needs_height(where + ".mover.jump");
        if (walker->pitch_rate > 0.0) needs_height(where + ".mover.pitch_rate");
      }
    }
    if (body.track && !body.track->levels.empty()) needs_height(where + ".track.levels");
    for (std::size_t l = 0; l < body.launchers.size(); ++l) {
      const std::string at = where + ".launchers[" + std::to_string(l) + "]";
      if (body.launchers[l].rise[0] != 0.0 || body.launchers[l].rise[1] != 0.0)
        needs_height(at + ".rise");
      if (body.launchers[l].muzzle != 0.0) needs_height(at + ".muzzle");
      if (body.launchers[l].gravity != 1.0) needs_height(at + ".gravity");
    }
  }
  if (spec.cells)
    for (std::size_t i = 0; i < spec.cells->kinds.size(); ++i)
      if (spec.cells->kinds[i].height)
        needs_height("arena.cells.kinds[" + std::to_string(i) + "].height");
}

float ArenaCompiler::tall_of(const Shape& shape, const std::optional<double>& height,
                             const std::string& where) const {
  if (!plan_.heights.used) return 0.0f;
  const auto* ball = std::get_if<Ball>(&shape);
  if (ball != nullptr && height)
    wrong("a ball is as tall as it is wide", where + ".height",
          "leave it out, or choose another shape");
  return static_cast<float>(ball != nullptr ? 2.0 * ball->radius : height.value_or(1.0));
}

void ArenaCompiler::add_heights() {
  if (!plan_.heights.used) return;
  if (const auto& floor = plan_.spec.heights->floor) {
    plan_.heights.floor =
        add_entity(EntityKind::floor, floor->name, floor->tag, 0, "arena.heights.floor");
    plan_.surface[plan_.heights.floor] = {static_cast<float>(floor->bounce),
                                          static_cast<float>(floor->grip)};
  }
  if (like_ != nullptr && like_->spec.ground == plan_.spec.ground &&
      like_->spec.meshes == plan_.spec.meshes) {
    // The same triangles, and the same entities in the same order.
    for (std::size_t e = 0; e < like_->entities.size(); ++e)
      if (const EntityKind kind = like_->entities[e].kind;
          kind == EntityKind::ground || kind == EntityKind::mesh)
        plan_.surface[add_entity(kind, like_->entities[e].name, like_->tags[like_->tag_of[e]],
                                 like_->entities[e].spec_index, like_->paths[e])] =
            like_->surface[e];
    plan_.heights.terrain = like_->heights.terrain;
    return;
  }
  std::vector<Triangle> triangles;
  if (plan_.spec.ground) add_ground(triangles);
  for (std::size_t i = 0; i < plan_.spec.meshes.size(); ++i) add_mesh(i, triangles);
  if (triangles.size() > most_triangles)
    wrong("ground and meshes have more than two million triangles", "arena.meshes",
          "use simpler ones");
  if (!triangles.empty())
    plan_.heights.terrain = std::make_shared<const Terrain>(std::move(triangles));
}

void ArenaCompiler::add_ground(std::vector<Triangle>& triangles) {
  const GroundSpec& spec = *plan_.spec.ground;
  const Levels levels = read_levels(spec);
  const std::size_t entity = add_entity(EntityKind::ground, spec.name, spec.tag, 0, "arena.ground");
  plan_.surface[entity] = {static_cast<float>(spec.bounce), static_cast<float>(spec.grip)};
  const auto corner = [&](std::size_t column, std::size_t row) {
    return Vec3{static_cast<float>(spec.origin[0] + spec.spacing * static_cast<double>(column)),
                static_cast<float>(spec.origin[1] + spec.spacing * static_cast<double>(row)),
                static_cast<float>(levels.values[row * levels.columns + column])};
  };
  for (std::size_t row = 0; row + 1 < levels.rows; ++row)
    for (std::size_t column = 0; column + 1 < levels.columns; ++column) {
      const Vec3 a = corner(column, row), b = corner(column + 1, row),
                 c = corner(column + 1, row + 1), d = corner(column, row + 1);
      Triangle triangle;
      for (const auto& corners : {std::array{a, b, c}, std::array{a, c, d}})
        if (make_triangle(corners, static_cast<std::uint32_t>(entity), triangle))
          triangles.push_back(triangle);
    }
}

void ArenaCompiler::add_mesh(std::size_t index, std::vector<Triangle>& triangles) {
  const MeshSpec& spec = plan_.spec.meshes[index];
  const std::string where = "arena.meshes[" + std::to_string(index) + "]";
  if (spec.file.empty() == spec.triangles.empty())
    wrong("a mesh needs a file or triangles, and not both", where + ".file", "give one of them");
  std::vector<TaggedTriangles> groups;
  if (!spec.file.empty()) {
    groups = read_gltf(read_data(spec.file, where + ".file"), shown(spec.file));
  } else {
    groups.emplace_back();
    for (std::size_t t = 0; t < spec.triangles.size(); ++t) {
      std::array<Vec3, 3> corners;
      for (std::size_t k = 0; k < 3; ++k) {
        const auto number = static_cast<std::size_t>(spec.triangles[t][k]);
        if (number >= spec.corners.size())
          wrong("there is no corner " + std::to_string(number),
                where + ".triangles[" + std::to_string(t) + "]", "corners count from 0");
        const auto& p = spec.corners[number];
        corners[k] = {static_cast<float>(p[0]), static_cast<float>(p[1]), static_cast<float>(p[2])};
      }
      groups.back().triangles.push_back(corners);
    }
  }
  const auto [sin, cos] = exact::sin_cos(exact::wrap_angle(exact::radians(spec.heading)));
  const auto scale = static_cast<float>(spec.scale);
  const Vec3 at{static_cast<float>(spec.at[0]), static_cast<float>(spec.at[1]),
                static_cast<float>(spec.at[2])};
  const std::size_t before = triangles.size();
  for (const TaggedTriangles& group : groups) {
    const std::string& tag = group.tag.empty() ? spec.tag : group.tag;
    const std::size_t entity = add_entity(EntityKind::mesh, spec.name, tag, index, where);
    plan_.surface[entity] = {static_cast<float>(spec.bounce), static_cast<float>(spec.grip)};
    for (std::array<Vec3, 3> corners : group.triangles) {
      for (Vec3& c : corners)
        c = at + scale * Vec3{cos * c.x - sin * c.y, sin * c.x + cos * c.y, c.z};
      for (const Vec3& c : corners)
        if (!(std::fabs(c.x) < 1e6f && std::fabs(c.y) < 1e6f && std::fabs(c.z) < 1e6f))
          wrong("a corner lies farther than 1,000 km away, or nowhere", where,
                "fix the mesh or its scale");
      Triangle triangle;
      if (make_triangle(corners, static_cast<std::uint32_t>(entity), triangle))
        triangles.push_back(triangle);
    }
  }
  if (triangles.size() == before)
    wrong("the mesh has no triangles with an area", where, "give it some");
}

void ArenaCompiler::read_block_kinds(const BlocksSpec& spec, const std::string& where) {
  if (spec.kinds.empty()) wrong("the blocks have no kinds", where + ".kinds", "add one");
  if (spec.kinds.size() > 255)
    wrong("more than 255 kinds of blocks", where + ".kinds", "use fewer");
  BlocksPlan& blocks = plan_.blocks;
  blocks.solid.push_back(0);
  blocks.hardness.push_back(0.0f);
  blocks.worth.push_back(0.0f);
  for (std::size_t k = 0; k < spec.kinds.size(); ++k) {
    for (std::size_t other = 0; other < k; ++other)
      if (spec.kinds[other].name == spec.kinds[k].name)
        wrong("two kinds are named '" + spec.kinds[k].name + "'",
              where + ".kinds[" + std::to_string(k) + "].name", "give them different names");
    blocks.solid.push_back(spec.kinds[k].solid ? 1 : 0);
    blocks.hardness.push_back(spec.kinds[k].hardness ? static_cast<float>(*spec.kinds[k].hardness)
                                                     : std::numeric_limits<float>::infinity());
    blocks.worth.push_back(static_cast<float>(spec.kinds[k].worth));
  }
}

std::vector<std::uint8_t> ArenaCompiler::read_block_file(const BlocksSpec& spec,
                                                         const std::string& where,
                                                         std::array<std::int64_t, 3>& size) const {
  const NpyArray array = read_npy(read_data(spec.file, where + ".file"), shown(spec.file));
  if (array.shape.size() != 3)
    throw Error(ErrorKind::file,
                "the array of blocks has " + std::to_string(array.shape.size()) + " dimensions",
                shown(spec.file), "give it three: layers, rows, columns");
  for (std::size_t k = 0; k < 3; ++k) {
    if (size[k] != 0 && static_cast<std::size_t>(size[k]) != array.shape[k])
      wrong("the file's world has another size", where + ".file",
            "leave columns, rows and layers out");
    size[k] = static_cast<std::int64_t>(std::min<std::size_t>(array.shape[k], 1'000'000));
  }
  std::vector<std::uint8_t> start;
  for (const double value : array.values) {
    if (!(value >= 0.0 && value <= static_cast<double>(spec.kinds.size())) ||
        value != std::floor(value))
      throw Error(ErrorKind::file, "a block is of a kind that does not exist", shown(spec.file),
                  "use whole numbers from 0 (none) to the number of kinds");
    start.push_back(static_cast<std::uint8_t>(value));
  }
  return start;
}

void ArenaCompiler::read_blocks() {
  if (!plan_.spec.blocks) return;
  const BlocksSpec& spec = *plan_.spec.blocks;
  const std::string where = "arena.blocks";
  if (!plan_.heights.used) needs_height(where);
  read_block_kinds(spec, where);
  BlocksPlan& blocks = plan_.blocks;
  if (like_ != nullptr && like_->spec.blocks == plan_.spec.blocks) {
    blocks = like_->blocks;
    blocks.felt = false;
    return;
  }
  std::array<std::int64_t, 3> size{spec.layers, spec.rows, spec.columns};
  std::vector<std::uint8_t> start;
  if (!spec.file.empty()) {
    start = read_block_file(spec, where, size);
  } else if (spec.generate.empty()) {
    wrong("the world of blocks is empty", where, "name a file, or add a generator");
  }
  for (const std::int64_t side : size)
    if (side < 1 || side > 512)
      wrong("a world of blocks has 1 to 512 along each side", where + ".columns", "give its size");
  blocks.size = static_cast<float>(spec.size);
  blocks.origin = {static_cast<float>(spec.origin[0]), static_cast<float>(spec.origin[1]),
                   static_cast<float>(spec.origin[2])};
  blocks.layers = static_cast<std::int32_t>(size[0]);
  blocks.rows = static_cast<std::int32_t>(size[1]);
  blocks.columns = static_cast<std::int32_t>(size[2]);
  if (blocks.count() > 4'000'000 ||
      blocks.count() * static_cast<std::size_t>(spec.layouts) > 256'000'000)
    wrong("the worlds have too many blocks", where + ".columns",
          "at most 4 million each, and 256 million in all layouts");
  start.resize(blocks.count());
  lay_out_blocks(spec, start, blocks);
}

void ArenaCompiler::add_block_kinds() {
  plan_.blocks.first_kind = plan_.entities.size();
  if (!plan_.spec.blocks) return;
  const auto& kinds = plan_.spec.blocks->kinds;
  for (std::size_t k = 0; k < kinds.size(); ++k) {
    const std::size_t e = add_entity(EntityKind::block, kinds[k].name, kinds[k].tag, k,
                                     "arena.blocks.kinds[" + std::to_string(k) + "]");
    plan_.surface[e] = {static_cast<float>(kinds[k].bounce), static_cast<float>(kinds[k].grip)};
  }
}

void ArenaCompiler::link_diggers() {
  for (DiggerData& digger : plan_.diggers) {
    const Digger& spec = *bodies_[plan_.entities[digger.body].spec_index].digger;
    const std::string where = plan_.paths[digger.body] + ".digger";
    if (!plan_.spec.blocks) wrong("there are no blocks to dig", where, "give the arena blocks");
    std::vector<std::string> kinds;
    for (const BlockKind& kind : plan_.spec.blocks->kinds) kinds.push_back(kind.name);
    if (!spec.places.empty()) {
      const auto found = std::find(kinds.begin(), kinds.end(), spec.places);
      if (found == kinds.end())
        wrong("no kind of block is named '" + spec.places + "'", where + ".places",
              advice(spec.places, kinds));
      digger.places = static_cast<std::uint8_t>(found - kinds.begin() + 1);
    }
    if (spec.stock.empty()) continue;
    std::vector<std::string> meters;
    for (std::size_t m = 0; m < plan_.meters.size(); ++m) {
      if (plan_.meters[m].body != digger.body) continue;
      meters.push_back(plan_.meter_names[plan_.meters[m].name]);
      if (meters.back() == spec.stock) digger.stock = static_cast<std::ptrdiff_t>(m);
    }
    if (digger.stock < 0)
      wrong("the body has no meter '" + spec.stock + "'", where + ".stock",
            meters.empty() ? "give it one" : advice(spec.stock, meters));
  }
}

}  // namespace zithercraft::arena_internal
