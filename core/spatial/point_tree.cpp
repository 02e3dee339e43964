#include "core/spatial/point_tree.h"

#include <nanoflann.hpp>

#include <algorithm>

namespace arvesk {
namespace {

/// Thrown out of nanoflann, which cannot be asked to stop.
struct BuildCancelled {};

struct Cloud {
  const Array<Vec3>& positions;
  const Task* builder = nullptr;  // while the tree is made
  mutable std::size_t asked = 0;
  std::size_t kdtree_get_point_count() const { return positions.size(); }
  float kdtree_get_pt(std::size_t i, std::size_t axis) const {
    if (builder && (asked & 0xffffU) == 0) endIfStopped();
    if (builder && (++asked & 0xffffU) == 0 && builder->isCancelled()) throw BuildCancelled();
    return positions[i][static_cast<int>(axis)];
  }
  template <typename Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};

using KdTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, std::uint32_t>;

/// Keeps the least distance to a rim. nanoflann compares squared distances to centers with worstDist().
struct NearestRim {
  using DistanceType = float;
  const float* radii;
  float largest;
  float best;
  float worst;

  NearestRim(const float* r, float most, float reach)
      : radii(r), largest(most), best(reach), worst((reach + most) * (reach + most)) {}
  std::size_t size() const { return 1; }
  bool full() const { return true; }
  bool addPoint(float squared, std::uint32_t index) {
    const float d = std::sqrt(squared) - (radii ? radii[index] : 0.0F);
    if (d < best) {
      best = d;
      const float limit = std::max(0.0F, best) + largest;
      worst = limit * limit;
    }
    return true;
  }
  float worstDist() const { return worst; }
};

/// The common case without radii needs no root until the end.
struct NearestCenter {
  using DistanceType = float;
  float worst;
  std::size_t size() const { return 1; }
  bool full() const { return true; }
  bool addPoint(float squared, std::uint32_t) {
    worst = std::min(worst, squared);
    return true;
  }
  float worstDist() const { return worst; }
};

/// As above, and which one.
struct NearestPoint {
  using DistanceType = float;
  const std::uint64_t* ids;
  float worst = std::numeric_limits<float>::max();
  std::uint32_t index = 0;
  std::size_t size() const { return 1; }
  bool full() const { return true; }
  bool addPoint(float squared, std::uint32_t i) {
    if (squared < worst || (squared == worst && (ids ? ids[i] < ids[index] : i < index))) {
      worst = squared;
      index = i;
    }
    return true;
  }
  float worstDist() const { return worst; }
};

}  // namespace

struct PointTree::Tree {
  Cloud cloud;
  KdTree tree;
  Tree(const Array<Vec3>& positions, const Task& task)
      : cloud{positions, &task}, tree(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(12)) {
    tree.buildIndex();
    cloud.builder = nullptr;
  }
};

PointTree::PointTree(Array<Vec3> positions, Array<float> radii, Array<std::uint64_t> ids, const Task& task)
    : m_positions(std::move(positions)), m_radii(std::move(radii)), m_ids(std::move(ids)) {
  ARVESK_ASSERT(m_radii.empty() || m_radii.size() == m_positions.size(), "one radius per point");
  for (const float r : m_radii) m_largest = std::max(m_largest, r);
  if (m_positions.empty() || task.isCancelled()) return;
  try {
    m_tree = std::make_unique<Tree>(m_positions, task);
  } catch (const BuildCancelled&) {}
}

PointTree::~PointTree() = default;

void PointTree::countBytes(ByteCounter& counter) const {
  counter.add(this, m_positions.capacity() * sizeof(Vec3) + m_radii.capacity() * sizeof(float) +
                        (m_tree ? m_tree->tree.usedMemory(m_tree->tree) : 0));
}

std::optional<std::uint32_t> PointTree::nearest(const Vec3& place) const {
  if (!m_tree || !isFinite(place)) return {};
  NearestPoint found{m_ids.empty() ? nullptr : m_ids.data()};
  m_tree->tree.findNeighbors(found, &place.x, nanoflann::SearchParams(0, 0, false));
  return found.index;
}

float PointTree::distance(const Vec3& place, float reach) const {
  if (!m_tree || !isFinite(place)) return reach;
  if (m_radii.empty()) {
    NearestCenter found{std::min(reach * reach, std::numeric_limits<float>::max())};
    m_tree->tree.findNeighbors(found, &place.x, nanoflann::SearchParams(0, 0, false));
    return std::min(std::sqrt(found.worst), reach);
  }
  NearestRim found(m_radii.data(), m_largest, reach);
  m_tree->tree.findNeighbors(found, &place.x, nanoflann::SearchParams(0, 0, false));
  return std::max(0.0F, found.best);
}

}  // namespace arvesk
