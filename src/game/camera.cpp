#include <algorithm>
#include <array>
#include <cmath>

#include "game/sense.hpp"
#include "zithercraft/base/exact.hpp"

// Cameras. From above the arena draws itself; through eyes rays are cast, one for each column of
// pixels where everything is upright and equally tall, one for each pixel in arenas with height.

namespace zithercraft::game_internal {
namespace {

constexpr float stands = 1.0f;  // metres that everything is tall in flat arenas
constexpr float kerb = 0.15f;   // likewise zones
constexpr float fading = 0.8f;  // share of its light that a thing has lost at the end of the reach
constexpr std::size_t widest = 512;  // pixels

// What each entity is drawn in now. Where tags change, a body's goes by the one that it bears.
std::span<const float> shades_now(const CameraPlan& camera, const SeatView& seat, SenseRoom& room) {
  if (camera.shades_of_tag.empty()) return camera.shades;
  room.shades.assign(camera.shades.begin(), camera.shades.end());
  for (const EntityId body : seat.view().arena().bodies())
    std::copy_n(camera.shades_of_tag.data() + seat.view().tag_of(body) * camera.channels,
                camera.channels, room.shades.data() + body.index() * camera.channels);
  return room.shades;
}

class Eyes {
 public:
  Eyes(const CameraPlan& camera, const SeatView& seat, SenseRoom& room, std::span<float> pixels)
      : c_(camera),
        shades_(shades_now(camera, seat, room)),
        seat_(seat),
        pose_(seat.pose()),
        x_(std::span(room.ray_x).first(camera.width)),
        y_(std::span(room.ray_y).first(camera.width)),
        z_(std::span(room.ray_z).first(camera.width)),
        distance_(std::span(room.ray_distance).first(camera.width)),
        entity_(std::span(room.ray_entity).first(camera.width)),
        pixels_(pixels) {}

  void see() {
    for (std::size_t row = 0; row < c_.height; ++row) {
      const auto& shade = row < c_.height / 2 ? c_.sky : c_.ground;
      float* line = pixels_.data() + row * c_.width * c_.channels;
      if (c_.channels == 1) {
        std::fill_n(line, c_.width, shade[0]);
        continue;
      }
      for (std::size_t i = 0; i < c_.width; ++i)
        for (std::size_t n = 0; n < c_.channels; ++n) line[i * c_.channels + n] = shade[n];
    }
    c_.high ? see_in_space() : see_in_plane();
  }

 private:
  void paint(std::size_t pixel, const std::array<float, 3>& shade) {
    for (std::size_t n = 0; n < c_.channels; ++n) pixels_[pixel * c_.channels + n] = shade[n];
  }
  // Things fade as they are farther away, into the dark.
  void paint(std::size_t pixel, EntityId entity, float distance, float share) {
    const float* shade = shades_.data() + entity.index() * c_.channels;
    const float light = 1.0f - fading * distance / c_.reach;
    for (std::size_t n = 0; n < c_.channels; ++n) {
      float& out = pixels_[pixel * c_.channels + n];
      out += share * (light * shade[n] - out);
    }
  }
  float across(std::size_t column) const {  // to the right of the middle, for one metre ahead
    return (static_cast<float>(column) + 0.5f - 0.5f * static_cast<float>(c_.width)) / c_.focal;
  }
  float upward(std::size_t row) const {
    return (0.5f * static_cast<float>(c_.height) - static_cast<float>(row) - 0.5f) / c_.focal;
  }
  void cast(TagSet tags) {
    const RayFanQuery rays{.x = pose_.x,
                           .y = pose_.y,
                           .z = pose_.z + c_.eye,
                           .direction_x = x_,
                           .direction_y = y_,
                           .direction_z = c_.high ? z_ : std::span<float>{},
                           .reach = c_.reach,
                           .tags = tags,
                           .exclude = seat_.body()};
    seat_.view().cast(rays, distance_, entity_);
  }

  void see_in_plane() {
    for (std::size_t i = 0; i < c_.width; ++i) {
      const float right = across(i), scale = 1.0f / std::sqrt(1.0f + right * right);
      x_[i] = scale * (pose_.cos + right * pose_.sin);
      y_[i] = scale * (pose_.sin - right * pose_.cos);
    }
    see_upright(c_.solid, stands);
    see_upright(c_.zones, kerb);
  }

  // What each column of pixels shows from which row to which is found first; then it is filled row
  // by row.
  void see_upright(TagSet tags, float tall) {
    if (tags.empty()) return;
    cast(tags);
    std::array<std::int32_t, widest> top, bottom;
    std::array<float, 3 * widest> shade;
    const float middle = 0.5f * static_cast<float>(c_.height), rows = static_cast<float>(c_.height);
    for (std::size_t i = 0; i < c_.width; ++i) {
      top[i] = bottom[i] = 0;
      if (!entity_[i]) continue;
      const float right = across(i),
                  ahead = std::max(0.05f, distance_[i] / std::sqrt(1.0f + right * right));
      const auto row_at = [&](float level) {
        return static_cast<std::int32_t>(
            std::clamp(middle - (level - c_.eye) * c_.focal / ahead + 0.5f, 0.0f, rows));
      };
      top[i] = row_at(tall);
      bottom[i] = row_at(0.0f);
      const float light = 1.0f - fading * distance_[i] / c_.reach;
      const float* own = shades_.data() + entity_[i].index() * c_.channels;
      for (std::size_t n = 0; n < c_.channels; ++n) shade[i * c_.channels + n] = light * own[n];
    }
    for (std::int32_t row = 0; row < static_cast<std::int32_t>(c_.height); ++row) {
      float* line = pixels_.data() + static_cast<std::size_t>(row) * c_.width * c_.channels;
      if (c_.channels == 1) {
        for (std::size_t i = 0; i < c_.width; ++i)
          line[i] = row >= top[i] && row < bottom[i] ? shade[i] : line[i];
        continue;
      }
      for (std::size_t i = 0; i < c_.width; ++i)
        if (row >= top[i] && row < bottom[i])
          for (std::size_t n = 0; n < c_.channels; ++n)
            line[i * c_.channels + n] = shade[i * c_.channels + n];
    }
  }

  void see_in_space() {
    const auto [sin, cos] = exact::sin_cos(static_cast<double>(pose_.pitch));
    for (std::size_t row = 0; row < c_.height; ++row) {
      const float up = upward(row), ahead = cos - up * sin, rise = sin + up * cos;
      for (std::size_t i = 0; i < c_.width; ++i) {
        const float right = across(i), scale = 1.0f / std::sqrt(1.0f + right * right + up * up);
        x_[i] = scale * (ahead * pose_.cos + right * pose_.sin);
        y_[i] = scale * (ahead * pose_.sin - right * pose_.cos);
        z_[i] = scale * rise;
        paint(row * c_.width + i, rise < 0.0f ? c_.ground : c_.sky);
      }
      see_row(row, c_.solid, 1.0f);
      see_row(row, c_.zones, 0.5f);
    }
  }
  void see_row(std::size_t row, TagSet tags, float share) {
    if (tags.empty()) return;
    cast(tags);
    for (std::size_t i = 0; i < c_.width; ++i)
      if (entity_[i] && shades_[entity_[i].index() * c_.channels] >= 0.0f)
        paint(row * c_.width + i, entity_[i], distance_[i], share);
  }

  const CameraPlan& c_;
  std::span<const float> shades_;
  const SeatView& seat_;
  Pose pose_;
  std::span<float> x_, y_, z_, distance_;
  std::span<EntityId> entity_;
  std::span<float> pixels_;
};

}  // namespace

void take_picture(const CameraPlan& camera, const GamePlan& plan, const SeatView& seat,
                  SenseRoom& room, std::span<float> pixels) {
  if (camera.from == CameraFrom::eyes) return Eyes(camera, seat, room, pixels).see();
  const Pose pose = seat.pose();
  const bool overall = camera.from == CameraFrom::overall, side = camera.from == CameraFrom::side;
  const MapView view{.x = overall ? camera.middle_x : pose.x,
                     .y = overall ? camera.middle_y : pose.y,
                     .up_x = camera.turns ? pose.cos
                             : side       ? 1.0f
                                          : 0.0f,
                     .up_y = camera.turns ? pose.sin
                             : side       ? 0.0f
                                          : 1.0f,
                     .side = side,
                     .z = side ? pose.z + camera.eye : 0.0f,
                     .across = camera.across,
                     .width = camera.width,
                     .height = camera.height,
                     .channels = camera.channels,
                     .shades = shades_now(camera, seat, room),
                     .background = std::span(camera.ground).first(camera.channels)};
  plan.arena.draw(seat.arena_state(), view, room.scratch, pixels);
}

}  // namespace zithercraft::game_internal
