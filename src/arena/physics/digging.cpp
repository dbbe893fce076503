#include "arena/blocks.hpp"
#include "arena/physics/physics.hpp"
#include "zithercraft/base/exact.hpp"

// Bodies that dig blocks away and place them.

namespace zithercraft::arena_internal {
namespace {

class Dig {
 public:
  Dig(const Tick& t, std::size_t number)
      : t_(t), s_(t.s), d_(t.plan.diggers[number]), state_(t.s.digging[number]) {}

  void work() {
    const std::size_t i = d_.body;
    const bool digs = s_.present[i] != 0 && s_.inputs[d_.dig_input] > 0.5f;
    const bool places = s_.present[i] != 0 && d_.place_input != nowhere &&
                        s_.inputs[d_.place_input] > 0.5f && s_.header->tick >= state_.ready_at;
    if (!digs) leave_off();
    if (!digs && !places) return;
    const auto [sin, cos] = exact::sin_cos(static_cast<double>(s_.pitch[i]));
    const Vec3 from{s_.x[i], s_.y[i], s_.z[i] + d_.eye},
        look{cos * s_.cos[i], cos * s_.sin[i], sin};
    if (digs) dig(look_at_block(t_.plan, s_, from, look, d_.reach));
    if (places) place(look_at_block(t_.plan, s_, from, look, d_.reach));
  }

 private:
  // The block that was worked on is whole again.
  void leave_off() {
    state_.target = 0;
    state_.work = 0.0f;
  }

  void dig(const BlockHit& hit) {
    const BlocksPlan& blocks = t_.plan.blocks;
    const std::uint32_t target = hit.met ? static_cast<std::uint32_t>(hit.number + 1) : 0;
    if (target != state_.target) {
      leave_off();
      state_.target = target;
    }
    if (target == 0) return;
    const std::uint8_t kind = s_.blocks[hit.number];
    state_.work += d_.power;
    if (!(state_.work >= blocks.hardness[kind])) return;
    put_block(blocks, s_, hit.number, 0);
    leave_off();
    const bool steep = s_.pitch[d_.body] < d_.steep_pitch;
    state_.steep = steep ? state_.steep + 1 : 0;
    report(EventKind::dig, hit.number, kind,
           state_.steep > d_.steep_most ? 0.0f : blocks.worth[kind]);
    change_stock(1.0f);
  }

  void place(const BlockHit& hit) {
    if (!hit.met || !hit.has_before || (d_.stock >= 0 && s_.meters[d_.stock] < 1.0f) ||
        taken(hit.before))
      return;
    put_block(t_.plan.blocks, s_, hit.before, d_.places);
    state_.ready_at = s_.header->tick + d_.every;
    report(EventKind::place, hit.before, d_.places, 0.0f);
    change_stock(-1.0f);
  }

  // Meters change at the end of the tick; what is taken must be there.
  void change_stock(float by) {
    if (d_.stock >= 0) t_.memory.meter_change[static_cast<std::size_t>(d_.stock)] += by;
  }

  Vec3 corner_of(std::size_t number) const {
    const BlocksPlan& blocks = t_.plan.blocks;
    const auto columns = static_cast<std::size_t>(blocks.columns),
               rows = static_cast<std::size_t>(blocks.rows);
    return blocks.origin + blocks.size * Vec3{static_cast<float>(number % columns),
                                              static_cast<float>(number / columns % rows),
                                              static_cast<float>(number / columns / rows)};
  }

  // Whether a body is where the block would be.
  bool taken(std::size_t number) const {
    const Vec3 low = corner_of(number);
    const float size = t_.plan.blocks.size;
    const Core square = core_of_cells({low.x, low.y}, {low.x + size, low.y + size});
    for (std::size_t b = 0; b < t_.plan.bodies; ++b)
      if (s_.present[b] != 0 && overlap(band_of(t_.plan, s_, b), {low.z, low.z + size}) &&
          gap_between(square, core_of(t_.plan.shapes[b], s_.pose(b))).distance < 0.0f)
        return true;
    return false;
  }

  // A block whose middle this is.
  Seen seen(Vec3 middle) const {
    const float half = 0.5f * t_.plan.blocks.size,
                own = s_.z[d_.body] + 0.5f * t_.plan.tall[d_.body];
    return {way_to(s_, d_.body, {middle.x, middle.y}), middle.z - half >= own   ? Rise::above
                                                       : middle.z + half <= own ? Rise::below
                                                                                : Rise::level};
  }

  void report(EventKind kind, std::size_t number, std::uint8_t block, float strength) const {
    const Vec3 low = corner_of(number);
    const float half = 0.5f * t_.plan.blocks.size;
    const Vec3 middle{low.x + half, low.y + half, low.z + half};
    t_.events.push({.tick = s_.header->tick,
                    .kind = kind,
                    .by_who = seen(middle),
                    .who = EntityId(d_.body),
                    .whom = EntityId(t_.plan.blocks.first_kind + block - 1),
                    .x = middle.x,
                    .y = middle.y,
                    .z = middle.z,
                    .strength = strength,
                    .detail = static_cast<std::int32_t>(number)});
  }

  const Tick& t_;
  StateArrays& s_;
  const DiggerData& d_;
  DigState& state_;
};

}  // namespace

void dig_and_place(const Tick& t) {
  for (std::size_t d = 0; d < t.plan.diggers.size(); ++d) Dig(t, d).work();
}

}  // namespace zithercraft::arena_internal
