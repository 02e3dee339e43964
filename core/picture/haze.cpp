#include "core/picture/haze.h"

#include "core/base/hash.h"

#include <algorithm>

namespace arvesk {
namespace {

constexpr float kOpaque = 9;  // beyond that less than a step of eight bits gets through

/// Chooses among steps that come from near to far.
class Chooser {
 public:
  explicit Chooser(float chance) : m_chance(chance) {}
  /// False when nothing gets through any more.
  bool add(float depth, float distance, const Vec3& color) {
    const float here = m_through * (1 - std::exp(-depth));
    if (!(here > 0)) return true;
    m_through -= here;
    m_met.share += here;
    const float chance = here / m_met.share;
    if (m_chance < chance) {
      m_met.distance = distance;
      m_met.color = color;
      m_chance /= chance;
    } else {
      m_chance = (m_chance - chance) / (1 - chance);
    }
    return m_through > std::exp(-kOpaque);
  }
  const Haze::Met& met() const { return m_met; }

 private:
  Haze::Met m_met;
  float m_through = 1;
  float m_chance;
};

/// Calls visit(depth, distance) for steps of about a voxel, near ones first, until it says false.
template <typename Visit>
void steps(const Density& density, const Vec3& origin, const Vec3& direction, float from, float to, float offset,
           const Visit& visit) {
  density.walk(origin, direction, from, to,
               [&](const float* values, const Vec3& local, const Vec3& step, float a, float b) {
                 const auto count = static_cast<int>(std::ceil((b - a) * glm::length(step)));
                 if (count < 1) return true;
                 const float each = (b - a) / static_cast<float>(count);
                 for (int k = 0; k < count; ++k) {
                   const float at = a + (static_cast<float>(k) + offset) * each;
                   const float value = Density::between(values, local + at * step);
                   if (value > 0 && !visit(value * each, at)) return false;
                 }
                 return true;
               });
}

}  // namespace

float Haze::passed(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut) const {
  float from = 0;
  float to = reach;
  if (cut) cut->narrow(origin, direction, from, to);
  float depth = 0;
  for (const DensityPtr& d : m_densities) depth += d->along(origin, direction, from, to, kOpaque);
  return std::exp(-depth);
}

Haze::Met Haze::met(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut, float chance) const {
  float from = 0;
  float to = reach;
  if (cut) cut->narrow(origin, direction, from, to);
  // Steps begin anywhere within the first, so that layers of them never show.
  const float offset = unitFloat(mix64(static_cast<std::uint64_t>(chance * 16777216.0F)));
  Chooser chooser(chance);
  if (m_densities.size() == 1) {
    const Density& d = *m_densities.front();
    steps(d, origin, direction, from, to, offset,
          [&](float depth, float at) { return chooser.add(depth, at, d.look().color); });
    return chooser.met();
  }
  struct Step {
    float at;
    float depth;
    const Density* of;
  };
  thread_local std::vector<Step> all;
  all.clear();
  for (const DensityPtr& d : m_densities)
    steps(*d, origin, direction, from, to, offset, [&](float depth, float at) {
      all.push_back({at, depth, d.get()});
      return true;
    });
  std::sort(all.begin(), all.end(), [](const Step& a, const Step& b) { return a.at < b.at; });
  for (const Step& s : all)
    if (!chooser.add(s.depth, s.at, s.of->look().color)) break;
  return chooser.met();
}

}  // namespace arvesk
