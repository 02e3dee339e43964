// Lit haze: what densities do to light on its way.
#pragma once

#include "core/picture/cut.h"
#include "core/spatial/density.h"

namespace arvesk {

class Haze {
 public:
  explicit Haze(const std::vector<DensityPtr>& densities) : m_densities(densities) {}
  bool isEmpty() const { return m_densities.empty(); }

  /// The share of light that goes on along a ray; what is cut away takes none.
  float passed(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut) const;

  /// Where light is met on the way along a ray: one place of all, as often as each counts for the eye.
  struct Met {
    float share = 0;  // of all light that is met at all
    float distance = 0;
    Vec3 color{1};
  };
  /// `chance` is uniform in 0…1. One walk: each step takes the place of those before it by its share of the light met
  /// so far (Chao, "A general purpose unequal probability sampling plan", Biometrika, 1982).
  Met met(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut, float chance) const;

 private:
  const std::vector<DensityPtr>& m_densities;
};

}  // namespace arvesk
