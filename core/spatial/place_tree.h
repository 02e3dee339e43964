// The nearest of many places, in doubles, by nanoflann.
#pragma once

#include "core/base/vec.h"

#include <nanoflann.hpp>

#include <memory>
#include <vector>

namespace arvesk {

class PlaceTree {
 public:
  void add(const DVec3& p) { m_places.points.push_back(p); }
  std::size_t count() const { return m_places.points.size(); }
  /// After the last one is added.
  void build() { m_tree = std::make_unique<Tree>(3, m_places, nanoflann::KDTreeSingleIndexAdaptorParams(8)); }
  /// By number, nearest first; at most `most`.
  std::vector<std::uint32_t> nearest(const DVec3& p, std::size_t most) const {
    std::vector<std::uint32_t> out(most);
    std::vector<double> squared(most);
    out.resize(count() == 0 ? 0 : m_tree->knnSearch(&p.x, most, out.data(), squared.data()));
    return out;
  }
  /// m; infinite where there is none.
  double distance(const DVec3& p) const {
    std::uint32_t nearest = 0;
    double squared = 0;
    if (count() == 0 || m_tree->knnSearch(&p.x, 1, &nearest, &squared) == 0)
      return std::numeric_limits<double>::infinity();
    return std::sqrt(squared);
  }

 private:
  struct Places {
    std::vector<DVec3> points;
    std::size_t kdtree_get_point_count() const { return points.size(); }
    double kdtree_get_pt(std::size_t i, std::size_t axis) const { return points[i][static_cast<int>(axis)]; }
    template <typename Box>
    bool kdtree_get_bbox(Box&) const {
      return false;
    }
  };
  using Tree =
      nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Places>, Places, 3, std::uint32_t>;
  Places m_places;
  std::unique_ptr<Tree> m_tree;
};

}  // namespace arvesk
