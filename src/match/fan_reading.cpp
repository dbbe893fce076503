#include "match/fan_reading.hpp"

#include <algorithm>
#include <cmath>

#include "zithercraft/base/exact.hpp"

namespace zithercraft::match_internal {

FanReading::FanReading(const Role& role, const RayFan& fan, const std::string& target)
    : each_tag_(fan.reports == RayReport::each_tag), reach_(static_cast<float>(fan.reach)) {
  const auto& rays = *std::find_if(role.rays.begin(), role.rays.end(),
                                   [&](const RaySense& sense) { return sense.name == fan.name; });
  first_ = rays.first_column;
  columns_per_ray_ = rays.columns_each;
  const auto flag = std::find(fan.sees.begin(), fan.sees.end(), target);
  if (flag != fan.sees.end()) target_flag_ = static_cast<std::size_t>(flag - fan.sees.begin());
  const double gaps =
      static_cast<double>(fan.arc >= 360.0 || fan.rays == 1 ? fan.rays : fan.rays - 1);
  for (std::int64_t i = 0; i < fan.rays; ++i)
    angles_.push_back(static_cast<float>(
        exact::radians(-0.5 * fan.arc + fan.arc * static_cast<double>(i) / gaps)));
}

std::size_t FanReading::nearest_ray(float angle) const {
  std::size_t best = 0;
  for (std::size_t i = 1; i < angles_.size(); ++i)
    if (std::fabs(angles_[i] - angle) < std::fabs(angles_[best] - angle)) best = i;
  return best;
}

float FanReading::free_way(std::span<const float> see, std::size_t ray, float past) const {
  const std::size_t first = first_ + ray * columns_per_ray_;
  if (each_tag_) {
    float least = 1.0f;  // share of the reach until anything but the target
    for (std::size_t tag = 0; tag < columns_per_ray_; ++tag)
      if (tag != target_flag_) least = std::min(least, see[first + tag]);
    return target_flag_ && see[first + *target_flag_] < least ? past : least * reach_;
  }
  if (target_flag_ && see[first + *target_flag_] > 0.5f) return past;
  return see[first + columns_per_ray_ - 1] * reach_;
}

float FanReading::clearest(std::span<const float> see, float bearing, float far, float most,
                           float clearance) const {
  float best = -1e9f, heading = bearing;
  for (std::size_t i = 0; i < angles_.size(); ++i) {
    float room = free_way(see, i, most);
    for (std::size_t j = 0; j < angles_.size(); ++j) {
      const float apart = std::fabs(angles_[j] - angles_[i]);
      const float way = free_way(see, j, most);
      const float beside = way * static_cast<float>(exact::sin_cos(static_cast<double>(apart)).sin);
      if (apart < 1.5f && beside < clearance) room = std::min(room, way);
    }
    const float value = std::min(room, far) / far - 0.45f * std::fabs(angles_[i] - bearing);
    if (value > best) {
      best = value;
      heading = angles_[i];
    }
  }
  return heading;
}

}  // namespace zithercraft::match_internal
