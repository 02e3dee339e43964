// Where the pointer's ray is in the world, for handles.
#pragma once

#include "app/site/site_tool.h"

namespace arvesk {

/// Where the pointer's ray meets the plane through `at` with this normal; nothing when it runs along it or away from
/// it.
inline std::optional<Vec3> onPlane(const SitePointer& p, const Vec3& at, const Vec3& normal) {
  const float along = glm::dot(p.direction, normal);
  if (std::abs(along) < 1e-4F) return std::nullopt;
  const float t = glm::dot(at - p.eye, normal) / along;
  if (t <= 0) return std::nullopt;
  return p.eye + p.direction * t;
}

/// Where on the line from `at` along the unit `axis` the pointer's ray comes nearest, in m from `at`.
inline float alongAxis(const SitePointer& p, const Vec3& at, const Vec3& axis) {
  const Vec3 w = at - p.eye;
  const float b = glm::dot(axis, p.direction);
  const float denominator = 1 - b * b;
  if (denominator < 1e-5F) return 0;
  return (b * glm::dot(p.direction, w) - glm::dot(axis, w)) / denominator;
}

}  // namespace arvesk
