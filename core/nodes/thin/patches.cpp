#include "core/nodes/thin/patches.h"

#include "core/spatial/clearance.h"

namespace arvesk::nodes {

Patches::Patches(const std::vector<PointsPtr>& sets, const AreaRule& rule) : m_sets(sets), m_rule(rule) {
  Array<PointGrid::Entry> entries;
  for (std::size_t s = 0; s < sets.size(); ++s)
    for (std::size_t i = 0; i < sets[s]->count; ++i) {
      const Points& p = *sets[s];
      if (!(p.effectiveFootprint(i) + std::max(0.0F, rule.margin) > 0)) continue;
      const float most = 1 + rule.outline.raggedness;
      float radius = p.effectiveFootprint(i) * most + std::max(0.0F, rule.margin);
      if (rule.outline.shape == OutlineShape::Box) {
        const Vec3 half = p.footprint[i] * most * glm::abs(p.size[i]) + std::max(0.0F, rule.margin);
        radius = glm::length(half);
        // One that leans reaches farther as it is seen from above: its own x and z are all that count.
        if (rule.isFromAbove)
          radius = std::hypot(half.x, half.z) / std::max(0.02F, std::abs((p.orientation[i] * kUp).y));
      }
      Vec3 place = p.position[i];
      if (rule.isFromAbove) place.y = 0;
      entries.push_back({place, radius, static_cast<std::uint32_t>(m_refs.size())});
      m_refs.push_back({s, static_cast<std::uint32_t>(i)});
    }
  m_grids = gridsBySize(entries, ConflictRule{});
}

/// Of patches that lie farther than `atMost` whatever their outline's noise, the distance is infinite and the noise is
/// not asked.
float Patches::normalized(const Points& p, std::uint32_t i, const Vec3& place, float atMost) const {
  Vec3 offset = place - p.position[i];
  if (m_rule.isFromAbove) offset.y = 0;
  const Vec3 own = glm::conjugate(p.orientation[i]) * offset;
  const auto withFactor = [&](float factor) {
    const auto share = [&](float distance, float radius) {
      const float r = radius * factor + m_rule.margin;
      return r > 0 ? distance / r : std::numeric_limits<float>::infinity();
    };
    if (m_rule.outline.shape == OutlineShape::Disc)
      return share(m_rule.isFromAbove ? glm::length(Vec2(offset.x, offset.z)) : glm::length(own),
                   p.effectiveFootprint(i));
    const float f = p.footprint[i];
    const float d = std::max(share(std::abs(own.x), f * std::abs(p.size[i].x)),
                             share(std::abs(own.z), f * std::abs(p.size[i].z)));
    return m_rule.isFromAbove ? d : std::max(d, share(std::abs(own.y), f * std::abs(p.size[i].y)));
  };
  // A little room, so that rounding never leaves out one that is exactly as near.
  if (withFactor(1 + m_rule.outline.raggedness) * 0.9999F > atMost) return std::numeric_limits<float>::infinity();
  return withFactor(m_rule.outline.factor({own.x, own.z}, p.id[i]));
}

std::vector<AreaRim> Patches::rims(std::size_t most) const {
  constexpr int kSides = 96;  // as fine as the teeth of a ragged one
  std::vector<AreaRim> out;
  for (const Ref& ref : m_refs) {
    if (out.size() >= most) break;
    const Points& p = *m_sets[ref.set];
    const Quat& turn = p.orientation[ref.index];
    const float f = p.footprint[ref.index];
    const Vec3 size = glm::abs(p.size[ref.index]);
    AreaRim rim;
    rim.up = m_rule.isFromAbove ? kUp : turn * kUp;
    for (int k = 0; k <= kSides; ++k) {
      const float a = 2 * kPi * static_cast<float>(k % kSides) / kSides;
      const Vec3 flat(std::sin(a), 0, std::cos(a));
      const Vec3 way = m_rule.isFromAbove ? flat : turn * flat;
      const Vec3 own = m_rule.isFromAbove ? glm::conjugate(turn) * flat : flat;
      const float factor = m_rule.outline.factor({own.x, own.z}, p.id[ref.index]);
      float radius = p.effectiveFootprint(ref.index) * factor + m_rule.margin;
      if (m_rule.outline.shape == OutlineShape::Box) {
        const float x = f * size.x * factor + m_rule.margin;
        const float z = f * size.z * factor + m_rule.margin;
        const bool isFlat = !m_rule.isFromAbove && f * size.y * factor + m_rule.margin <= 0;  // holds nothing
        radius = x > 0 && z > 0 && !isFlat ? 1 / std::max({std::abs(own.x) / x, std::abs(own.z) / z, 1e-9F}) : 0;
      }
      rim.line.push_back(p.position[ref.index] + std::max(0.0F, radius) * way);
    }
    out.push_back(std::move(rim));
  }
  return out;
}

std::optional<Holder> Patches::nearestOf(const Vec3& place) const {
  return nearestOf(place, std::numeric_limits<float>::infinity());
}

std::optional<Holder> Patches::nearestOf(const Vec3& place, float below) const {
  Holder best;
  best.distance = below;
  bool isFound = false;
  const Vec3 asked = m_rule.isFromAbove ? Vec3(place.x, 0, place.z) : place;
  for (const PointGrid& grid : m_grids)
    grid.near(asked, grid.largestRadius(), [&](const PointGrid::Entry& e) {
      const Ref ref = m_refs[e.index];
      const Points& p = *m_sets[ref.set];
      const float d = normalized(p, ref.index, place, best.distance);
      const std::uint64_t id = p.id[ref.index];
      if (d < best.distance || (isFound && d == best.distance && id < best.id)) {
        best = {ref.set, ref.index, id, d};
        isFound = true;
      }
      return false;
    });
  return isFound ? std::optional(best) : std::nullopt;
}

std::optional<Holder> Patches::holderOf(const Vec3& place) const { return nearestOf(place, 1); }

bool Patches::holds(const Vec3& place) const {
  const Vec3 asked = m_rule.isFromAbove ? Vec3(place.x, 0, place.z) : place;
  return std::any_of(m_grids.begin(), m_grids.end(), [&](const PointGrid& grid) {
    return grid.near(asked, grid.largestRadius(), [&](const PointGrid::Entry& e) {
      const Ref ref = m_refs[e.index];
      return normalized(*m_sets[ref.set], ref.index, place, 1) < 1;
    });
  });
}

InsideTest::InsideTest(const SurfacePtr& surface, bool isFromAbove, float margin, const Task& task)
    : m_index(SurfaceIndex::of(*surface).value_or(nullptr)), m_isFromAbove(isFromAbove), m_margin(margin) {
  if (!isFromAbove) m_body = Body::of({surface}, task).value_or(nullptr);
}

bool InsideTest::holds(const Vec3& place) const {
  constexpr float kEver = std::numeric_limits<float>::infinity();
  if (!m_index) return false;
  if (m_margin > 0 && m_index->nearest(place, m_margin).isHit()) return true;
  if (m_isFromAbove) return m_index->first(place, kUp, kEver).isHit() || m_index->first(place, -kUp, kEver).isHit();
  return m_body && m_body->isInside(place);
}

}  // namespace arvesk::nodes
