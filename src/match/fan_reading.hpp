#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "zithercraft/game/game.hpp"
#include "zithercraft/game/senses.hpp"

namespace zithercraft::match_internal {

/// What a script reads from a ray fan: angles, and metres of free way. Things of the player's
/// target are no obstacles.
class FanReading {
 public:
  /// Of a fan of the role, whatever its rays report.
  FanReading(const Role& role, const RayFan& fan, const std::string& target = {});

  const std::vector<float>& angles() const { return angles_; }  ///< radians to port
  std::size_t nearest_ray(float angle) const;
  /// Metres until a ray meets something; `past` for one that meets the target.
  float free_way(std::span<const float> see, std::size_t ray, float past) const;
  /// The ray whose neighbourhood is free for long and that lies nearest to a bearing; the bearing
  /// itself if there is none. What lies to the side of a heading leaves room if the way past it is
  /// at least `clearance` metres wide.
  float clearest(std::span<const float> see, float bearing, float far, float most,
                 float clearance) const;

 private:
  std::vector<float> angles_;
  std::size_t first_ = 0, columns_per_ray_ = 0;
  std::optional<std::size_t> target_flag_;  // its place among the tags
  bool each_tag_ = false;
  float reach_ = 1.0f;
};

}  // namespace zithercraft::match_internal
