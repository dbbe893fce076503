#pragma once

// Turns an arena's spec into a plan. One class, in several files by subject: compile.cpp (order of
// work, tags, layout of the state), compile_bodies.cpp (what bodies are and can do),
// compile_tails.cpp (bodies that follow others),
// compile_places.cpp (zones, items, walls, cells, rivers), compile_heights.cpp (floor, ground,
// meshes).

#include <array>
#include <string>
#include <vector>

#include "arena/plan.hpp"
#include "zithercraft/base/error.hpp"

namespace zithercraft::arena_internal {

/// What cannot be built is an error of the spec.
[[noreturn]] inline void wrong(std::string problem, std::string where, std::string fix) {
  throw Error(ErrorKind::spec, std::move(problem), std::move(where), std::move(fix));
}

class ArenaCompiler {
 public:
  explicit ArenaCompiler(const ArenaSpec& spec, const ArenaPlan* like = nullptr) : like_(like) {
    plan_.spec = spec;
  }
  ArenaPlan compile();

 private:
  // Bodies
  void add_bodies();
  std::string path_of_body(std::size_t index) const;
  void check_body(const BodySpec& spec, const std::string& where) const;
  void add_body(const BodySpec& spec, std::size_t index, const std::string& where);
  void add_tags(const BodySpec& spec, std::size_t number, const std::string& where);
  void add_motion(const BodySpec& spec, std::size_t number);
  void add_wanderer(const BodySpec& spec, std::size_t number);
  void add_mover(const BodySpec& spec, std::size_t number, std::vector<std::string>& inputs);
  void add_launchers(const BodySpec& spec, std::size_t number, std::vector<std::string>& inputs);
  void add_digger(const Digger& spec, std::size_t number, std::vector<std::string>& inputs);
  void add_carried(const BodySpec& spec, std::size_t number);
  std::int64_t most_bodies(const BodySpec& spec, const std::string& where) const;
  bool is_piece(std::size_t entity) const {
    return !plan_.tail_of.empty() && plan_.tail_of[entity] != nowhere;
  }
  void add_meters(const BodySpec& spec, std::size_t number, const std::string& where);
  void add_shots();
  void link_tails();
  void add_tail(const BodySpec& spec, std::size_t leader, std::size_t first,
                const std::string& where);
  void link_wanderers();
  void link_launchers();

  // Places
  void add_zones();
  void add_items();
  void add_walls();
  using KindOfSymbol = std::array<int, 256>;
  using DrawnLayers = std::vector<std::vector<std::string>>;
  void read_cells();
  KindOfSymbol read_cell_kinds(const CellsSpec& spec, const std::string& where);
  DrawnLayers read_layers(const CellsSpec& spec, const std::string& where);
  void draw_cells(const DrawnLayers& drawn, const KindOfSymbol& kind_of_symbol,
                  const std::string& where);
  void add_cell_kinds();
  void add_rivers();
  void add_causeways();
  // The number of the first body of that name, counted as they will be added.
  std::size_t find_followed(const std::string& name, const std::string& where) const;
  std::size_t count_bodies() const;
  void link_connections();

  // Height (compile_heights.cpp)
  void read_heights();
  void check_flat() const;
  void add_heights();
  void add_ground(std::vector<Triangle>& triangles);
  void read_blocks();
  void read_block_kinds(const BlocksSpec& spec, const std::string& where);
  // Kinds from the spec's file, [layers][rows][columns]; gives their size.
  std::vector<std::uint8_t> read_block_file(const BlocksSpec& spec, const std::string& where,
                                            std::array<std::int64_t, 3>& size) const;
  void add_block_kinds();
  void link_diggers();
  void add_mesh(std::size_t index, std::vector<Triangle>& triangles);
  /// From foot to top; throws if it is given where it makes no sense.
  float tall_of(const Shape& shape, const std::optional<double>& height,
                const std::string& where) const;

  // Common
  static void check_shape(const Shape& shape, const std::string& where);
  void check_place(const Placement& place, const std::string& where) const;
  static std::int64_t count_of(std::int64_t count, const std::optional<double>& density,
                               const Placement& place, const std::string& where);
  std::size_t add_entity(EntityKind kind, const std::string& name, const std::string& tag,
                         std::size_t index, const std::string& where);
  void add_posed(const Shape& shape, float tall, const std::optional<Return>& returns,
                 bool at_start);
  std::size_t tag_index(const std::string& tag, const std::string& where);
  TagSet tag_mask(const std::vector<std::string>& tags, const std::string& where) const;
  Touchy touchy(const std::vector<Effect>& effects, const std::vector<std::string>& kills,
                const std::string& where) const;
  std::uint32_t ticks(double seconds) const;
  void link_touchy();
  void link_away();
  void find_runs();
  void order_placing();
  void lay_out();

  const ArenaPlan* like_;  // see compile_arena
  ArenaPlan plan_;
  std::vector<BodySpec> bodies_;  // of the spec, then those that rivers are made of
};

}  // namespace zithercraft::arena_internal
