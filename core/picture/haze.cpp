#include "core/picture/haze.h"

#include "core/base/hash.h"

#include <algorithm>
#include <array>

namespace arvesk {
namespace {

constexpr float kOpaque = 9;       // beyond that less than a step of eight bits gets through
constexpr float kLeast = 1.2e-4F;  // what that lets through

/// Chooses among pieces of the way that come from near to far.
class Chooser {
 public:
  explicit Chooser(float chance) : m_chance(chance) {}
  /// Is the piece the chosen one, so far? Then `distance` and `color` are to be set, and `chance` is free to choose in
  /// it.
  bool takes(float depth) {
    const float here = through * lost(depth);
    if (!(here > 0)) return false;
    through -= here;
    met.share += here;
    const float edge = here / met.share;
    const bool is = m_chance < edge;
    m_chance = is ? m_chance / edge : (m_chance - edge) / (1 - edge);
    return is;
  }
  bool isOpaque() const { return through < kLeast; }
  float& chance() { return m_chance; }

  Haze::Met met;
  float through = 1;

  /// 1 − exp(−depth); of short ways by its series, to 1e-6.
  static float lost(float depth) {
    if (depth > 0.2F) return 1 - std::exp(-depth);
    return depth * (1 - depth * (0.5F - depth * (1.0F / 6 - depth * (1.0F / 24 - depth * (1.0F / 120)))));
  }

 private:
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

/// Brick by brick; the step within one is chosen only where the brick is.
void meetOne(const Density& density, const Vec3& origin, const Vec3& direction, float from, float to, float offset,
             Chooser& chooser) {
  constexpr std::size_t kMostSteps = 32;  // a brick is 14 voxels long at most, along its diagonal
  density.walk(
      origin, direction, from, to, [&](const float* values, const Vec3& local, const Vec3& step, float a, float b) {
        const auto count = std::min(static_cast<std::size_t>(std::ceil((b - a) * glm::length(step))), kMostSteps);
        if (count == 0) return true;
        const float each = (b - a) / static_cast<float>(count);
        std::array<float, kMostSteps> upTo;
        float sum = 0;
        for (std::size_t k = 0; k < count; ++k) {
          const float at = a + (static_cast<float>(k) + offset) * each;
          sum += each * std::max(0.0F, Density::between(values, local + at * step));
          upTo[k] = sum;
        }
        if (chooser.takes(sum)) {
          const float depth = -std::log(1 - chooser.chance() * Chooser::lost(sum));
          std::size_t k = 0;
          while (k + 1 < count && upTo[k] < depth) ++k;
          const float before = k == 0 ? 0 : upTo[k - 1];
          if (upTo[k] > before) chooser.chance() = std::clamp((depth - before) / (upTo[k] - before), 0.0F, 1.0F);
          chooser.met.distance = a + (static_cast<float>(k) + offset) * each;
          chooser.met.color = density.look().color;
        }
        return !chooser.isOpaque();
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
    meetOne(*m_densities.front(), origin, direction, from, to, offset, chooser);
    return chooser.met;
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
  for (const Step& s : all) {
    if (chooser.takes(s.depth)) chooser.met.distance = s.at, chooser.met.color = s.of->look().color;
    if (chooser.isOpaque()) break;
  }
  return chooser.met;
}

}  // namespace arvesk
