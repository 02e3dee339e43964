// The space over a ground as a volume: water, fog, the air that insects fly in.
#include "core/geometry/welding.h"
#include "core/spatial/coherent_nearest.h"
#include "core/spatial/skin.h"

#include <array>

namespace arvesk {
namespace {

/// Highest and lowest place of the ground in each column of a coarse grid, as seen from above.
class Columns {
 public:
  Columns(const Surface& ground, const Box3& bounds) {
    const Vec3 size = bounds.extent();
    m_step = std::max({size.x, size.z, 1e-6F}) / kCells;
    m_corner = bounds.min;
    m_across = std::min(static_cast<int>(size.x / m_step), kCells - 1) + 1;
    m_down = std::min(static_cast<int>(size.z / m_step), kCells - 1) + 1;
    m_low.assign(static_cast<std::size_t>(m_across) * static_cast<std::size_t>(m_down),
                 std::numeric_limits<float>::max());
    m_high.assign(m_low.size(), std::numeric_limits<float>::lowest());
    // Parts of the faces by many threads, each into columns of its own.
    constexpr std::size_t kParts = 8;
    std::array<std::pair<Array<float>, Array<float>>, kParts> parts;
    const std::size_t count = ground.faceCount();
    parallelPieces({}, kParts, 1, [&](std::size_t part, std::size_t) {
      auto& [low, high] = parts[part];
      low = m_low;
      high = m_high;
      for (std::size_t f = part * count / kParts; f < (part + 1) * count / kParts; ++f) {
        Box3 box;
        for (int k = 0; k < 3; ++k) box.add(ground.positions[ground.triangles[f][k]]);
        each(box, [&, &lows = low, &highs = high](std::size_t i) {
          lows[i] = std::min(lows[i], box.min.y);
          highs[i] = std::max(highs[i], box.max.y);
        });
      }
    });
    for (const auto& [low, high] : parts)
      for (std::size_t i = 0; i < m_low.size(); ++i) {
        m_low[i] = std::min(m_low[i], low[i]);
        m_high[i] = std::max(m_high[i], high[i]);
      }
  }
  /// The lowest and highest place in the columns that the box stands in; the lowest is above the highest where there is
  /// none.
  std::pair<float, float> within(const Box3& box) const {
    float low = std::numeric_limits<float>::max();
    float high = std::numeric_limits<float>::lowest();
    each(box, [&](std::size_t i) {
      low = std::min(low, m_low[i]);
      high = std::max(high, m_high[i]);
    });
    return {low, high};
  }
  void countBytes(ByteCounter& counter) const {
    counter.add(this, sizeof(*this) + (m_low.capacity() + m_high.capacity()) * sizeof(float));
  }

 private:
  static constexpr int kCells = 512;
  template <typename Visit>
  void each(const Box3& box, Visit visit) const {
    const auto at = [&](float v, float corner, int count) {
      return std::clamp(static_cast<int>(std::floor((v - corner) / m_step)), 0, count - 1);
    };
    const float slack = 0.001F * m_step;
    const int toX = at(box.max.x + slack, m_corner.x, m_across);
    const int toZ = at(box.max.z + slack, m_corner.z, m_down);
    for (int z = at(box.min.z - slack, m_corner.z, m_down); z <= toZ; ++z)
      for (int x = at(box.min.x - slack, m_corner.x, m_across); x <= toX; ++x)
        visit(static_cast<std::size_t>(z) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(x));
  }
  Array<float> m_low;
  Array<float> m_high;
  Vec3 m_corner{0};
  float m_step = 1;
  int m_across = 1;
  int m_down = 1;
};

/// Is it a grid that stands straight, so that it has one height at each place of its extent, and looks up?
bool isHeightField(const Surface& ground) {
  const GridShape grid = gridShapeOf(ground);
  if (grid.columns < 2 || grid.rows < 2 || ground.faceNormal(0).y <= 0) return false;
  const auto at = [&](std::uint32_t column, std::uint32_t row) {
    return ground.positions[row * grid.columns + column];
  };
  for (std::uint32_t c = 1; c < grid.columns; ++c)
    if (at(c, 0).x <= at(c - 1, 0).x) return false;
  for (std::uint32_t r = 1; r < grid.rows; ++r)
    if (at(0, r).z <= at(0, r - 1).z) return false;
  for (std::uint32_t r = 0; r < grid.rows; ++r)
    for (std::uint32_t c = 0; c < grid.columns; ++c)
      if (at(c, r).x != at(c, 0).x || at(c, r).z != at(0, r).z) return false;
  return true;
}

/// The edges that only one face has; of a grid they are known.
std::vector<std::pair<Vec3, Vec3>> rimOf(const Surface& ground) {
  const GridShape grid = gridShapeOf(ground);
  if (grid.columns < 2 || grid.rows < 2) return openEdges(ground);
  std::vector<std::pair<Vec3, Vec3>> out;
  const auto at = [&](std::uint32_t column, std::uint32_t row) {
    return ground.positions[row * grid.columns + column];
  };
  for (std::uint32_t c = 0; c + 1 < grid.columns; ++c)
    for (const std::uint32_t row : {0U, grid.rows - 1}) out.emplace_back(at(c, row), at(c + 1, row));
  for (std::uint32_t r = 0; r + 1 < grid.rows; ++r)
    for (const std::uint32_t column : {0U, grid.columns - 1}) out.emplace_back(at(column, r), at(column, r + 1));
  return out;
}

/// Inside, what is met first in any direction is ground, top or a wall: the nearest of all of these is the skin, and no
/// triangle need be asked whether it is part of it. Outside it must.
class SpaceDepth final : public DepthField {
 public:
  SpaceDepth(const Volume& volume, SurfacePtr ground, std::shared_ptr<const SurfaceIndex> index, SurfacePtr walls,
             std::shared_ptr<const SurfaceIndex> wallIndex, const SpaceRule& rule, bool isGrid)
      : m_volume(volume),
        m_ground(std::move(ground)),
        m_low(index),
        m_own(index),
        m_high(std::move(index)),
        m_walls(std::move(walls)),
        m_nearWalls(std::move(wallIndex)),
        m_rule(rule),
        m_isGrid(isGrid) {}

  Depth at(const Vec3& place) const override {
    if (m_volume.isInside(place)) return nearest(place);
    if (m_isGrid && !m_rule.isToLevel) {  // of one height everywhere all of it is skin
      const Depth d = nearest(place);
      return {-d.meters, -d.outward};
    }
    return skinDepthOf(m_volume, {})->at(place);
  }
  float roughAt(const Vec3& place) const override {
    const float d = nearest(place).meters;
    return m_volume.isInside(place) ? d : -d;
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_walls->countBytes(counter);
  }

 private:
  Depth nearest(const Vec3& place) const {
    Depth best{std::numeric_limits<float>::max(), kUp};
    const auto take = [&](float distance, const Vec3& toSkin) {
      if (distance < best.meters) best = {distance, directionOr(toSkin, kUp)};
    };
    if (m_rule.isToLevel) take(std::abs(m_rule.level - place.y), kUp * (m_rule.level - place.y));
    const auto ask = [&](const Surface& surface, const CoherentNearest& on, const Vec3& from) {
      const SurfaceHit hit = on.at(from, best.meters);
      if (hit.isHit()) take(hit.distance, surface.positionAt(hit.face, hit.weights) - from);
    };
    ask(*m_ground, m_low, place - m_rule.from * kUp);
    if (m_rule.from != 0 && !m_isGrid) ask(*m_ground, m_own, place);  // the sides of what stands in it
    if (!m_rule.isToLevel) ask(*m_ground, m_high, place - m_rule.to * kUp);
    ask(*m_walls, m_nearWalls, place);
    return best;
  }

  const Volume& m_volume;
  SurfacePtr m_ground;
  CoherentNearest m_low;  // of the ground, each for places at a height of their own
  CoherentNearest m_own;
  CoherentNearest m_high;
  SurfacePtr m_walls;
  CoherentNearest m_nearWalls;
  SpaceRule m_rule;
  bool m_isGrid;
};

class SpaceOver final : public Volume {
 public:
  SpaceOver(SurfacePtr ground, std::shared_ptr<const SurfaceIndex> index, const SpaceRule& rule)
      : m_ground(std::move(ground)),
        m_index(std::move(index)),
        m_rule(rule),
        m_under(withRounding(m_ground->bounds())),
        m_columns(*m_ground, m_under),
        m_isGrid(isHeightField(*m_ground)) {
    for (const Material& m : m_ground->materials) m_isGrid = m_isGrid && m.cutBelow <= 0;
    m_bounds = m_under;
    m_bounds.min.y += rule.from;
    m_bounds.max.y = rule.isToLevel ? rule.level : m_bounds.max.y + rule.to;
    if (m_bounds.max.y < m_bounds.min.y)
      m_bounds = {};
    else
      m_bounds = withRounding(m_bounds);
  }
  Box3 bounds() const override { return m_bounds; }

  bool isInside(const Vec3& place) const override {
    if (!m_bounds.holds(place) || (m_rule.isToLevel && place.y > m_rule.level)) return false;
    // Where the columns know, no ray is asked.
    const auto [low, high] = m_columns.within({place, place});
    if (low > high || place.y < low + m_rule.from) return false;
    if (m_isGrid && place.y >= high + m_rule.from && (m_rule.isToLevel || place.y <= low + m_rule.to)) return true;
    // From above the lowest that counts, down to the first face.
    const float lift = std::max(-m_rule.from, 0.0F);
    const Vec3 origin = place + lift * kUp;
    const SurfaceHit hit = m_index->first(origin, -kUp, m_bounds.extent().y + m_under.extent().y + 2 * lift + 1);
    if (!hit.isHit() || m_ground->faceNormal(hit.face).y <= 0) return false;
    const float over = place.y - m_ground->positionAt(hit.face, hit.weights).y;
    return over >= m_rule.from && (m_rule.isToLevel || over <= m_rule.to);
  }

  Side sideOf(const Box3& box) const override {
    if (!m_bounds.overlaps(box)) return Side::Outside;
    const auto [low, high] = m_columns.within(box);
    if (low > high || box.max.y < low + m_rule.from) return Side::Outside;
    if (m_rule.isToLevel ? box.min.y > m_rule.level : box.min.y > high + m_rule.to) return Side::Outside;
    // A grid has one height everywhere and no holes; what is under a box over others only rays tell.
    const bool isWhole = m_isGrid && m_under.min.x <= box.min.x && box.max.x <= m_under.max.x &&
                         m_under.min.z <= box.min.z && box.max.z <= m_under.max.z && box.min.y >= high + m_rule.from &&
                         box.max.y <= (m_rule.isToLevel ? m_rule.level : low + m_rule.to);
    return isWhole ? Side::Inside : Side::Mixed;
  }

  std::shared_ptr<const DepthField> depth(const Task&) const override {
    return derived.get<SpaceDepth>([&] {
      const SurfacePtr walls = wallsAround();
      return std::make_shared<const SpaceDepth>(*this, m_ground, m_index, walls, *SurfaceIndex::of(*walls), m_rule,
                                                m_isGrid);
    });
  }

  void addSurfaces(std::vector<SurfacePtr>& out) const override {
    out.push_back(lifted(m_rule.from));
    if (m_rule.from != 0) out.push_back(m_ground);
    if (!m_rule.isToLevel) out.push_back(lifted(m_rule.to));
    out.push_back(wallsAround());
    if (!m_rule.isToLevel) return;
    Surface top;
    const Box3& b = m_under;
    addQuad(top, {b.min.x, m_rule.level, b.min.z}, {b.min.x, m_rule.level, b.max.z}, {b.max.x, m_rule.level, b.max.z},
            {b.max.x, m_rule.level, b.min.z});
    out.push_back(std::make_shared<const Surface>(std::move(top)));
  }

  BodyFrame frame() const override { return {DVec3(m_under.center()), glm::dmat3(1)}; }
  float voxelSize() const override { return m_rule.voxelSize; }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_ground->countBytes(counter);
    m_columns.countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  static void addQuad(Surface& to, const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    Array<Vec3>& positions = to.positions.edit();
    Array<UVec3>& triangles = to.triangles.edit();
    const auto first = static_cast<std::uint32_t>(positions.size());
    for (const Vec3& p : {a, b, c, d}) positions.push_back(p);
    triangles.push_back({first, first + 1, first + 2});
    triangles.push_back({first, first + 2, first + 3});
  }
  /// Over the rim of the ground.
  SurfacePtr wallsAround() const {
    Surface walls;
    for (const auto& [from, to] : rimOf(*m_ground)) {
      const auto top = [&](const Vec3& p) {
        return Vec3(p.x, m_rule.isToLevel ? std::max(m_rule.level, p.y + m_rule.from) : p.y + m_rule.to, p.z);
      };
      addQuad(walls, from + m_rule.from * kUp, to + m_rule.from * kUp, top(to), top(from));
    }
    return std::make_shared<const Surface>(std::move(walls));
  }
  SurfacePtr lifted(float by) const {
    if (by == 0) return m_ground;
    Surface s;
    s.triangles = m_ground->triangles;
    s.positions = m_ground->positions;
    for (Vec3& p : s.positions.edit()) p.y += by;
    return std::make_shared<const Surface>(std::move(s));
  }

  SurfacePtr m_ground;
  std::shared_ptr<const SurfaceIndex> m_index;
  SpaceRule m_rule;
  Box3 m_under;  // of the ground
  Columns m_columns;
  bool m_isGrid;  // one height at every place of its extent, faces that look up, no holes
  Box3 m_bounds;
};

}  // namespace

Result<VolumePtr> makeSpaceOver(SurfacePtr ground, const SpaceRule& rule) {
  auto index = SurfaceIndex::of(*ground);
  if (!index) return Failure(index.error());
  return std::make_shared<const SpaceOver>(std::move(ground), *index, rule);
}

}  // namespace arvesk
