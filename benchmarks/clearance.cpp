// Clearance: 1 M points with radii 1:4, two threads, against the sequential greedy answer on nanoflann's dynamic tree;
// the answers are compared once.
#include "core/spatial/clearance.h"

#include "benchmarks/bench.h"

#include <algorithm>
#include <nanoflann.hpp>

namespace arvesk::bench {
namespace {

struct Cloud {
  Array<PointGrid::Entry> entries;
  std::size_t kdtree_get_point_count() const { return entries.size(); }
  float kdtree_get_pt(std::size_t i, std::size_t axis) const { return entries[i].position[static_cast<int>(axis)]; }
  template <typename Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};

/// Greedy by priority: each staying point knocks out its lower neighbors, found by one radius search.
Array<std::uint8_t> greedyOnTree(const Cloud& cloud, const Array<std::uint32_t>& order, float largest) {
  using Tree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, std::uint32_t>;
  Tree tree(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(16));
  tree.buildIndex();
  Array<std::uint8_t> state;
  state.assign(cloud.entries.size(), 2);
  std::vector<std::pair<std::uint32_t, float>> near;
  const nanoflann::SearchParams unsorted(32, 0, false);
  for (const std::uint32_t i : order) {
    if (state[i] != 2) continue;
    state[i] = 1;
    const PointGrid::Entry& self = cloud.entries[i];
    const float reach = self.radius + largest;
    tree.radiusSearch(&self.position.x, reach * reach, near, unsorted);  // the radius is squared
    for (const auto& [k, squared] : near) {
      const float least = self.radius + cloud.entries[k].radius;
      if (state[k] == 2 && squared < least * least) state[k] = 0;
    }
  }
  return state;
}

}  // namespace

void addClearance() {
  const Points p = points(1'000'000, 300, 0.06F, 0.24F);
  auto cloud = std::make_shared<Cloud>();
  auto order = std::make_shared<Array<std::uint32_t>>();
  for (std::size_t i = 0; i < p.count; ++i) {
    cloud->entries.push_back({p.position[i], p.footprint[i], static_cast<std::uint32_t>(i)});
    order->push_back(static_cast<std::uint32_t>(i));
  }
  std::sort(order->begin(), order->end(), [&](std::uint32_t a, std::uint32_t b) {
    return p.footprint[a] != p.footprint[b] ? p.footprint[a] > p.footprint[b] : a < b;
  });
  const auto ours = [cloud, order] {
    Array<std::uint8_t> out;
    withThreads(2, [&] { out = keepByPriority({}, cloud->entries, *order, KeptPoints({}), {}); });
    return out;
  };
  ARVESK_ASSERT(ours() == greedyOnTree(*cloud, *order, 0.24F), "both give the same answer");
  add({"Clearance, 1 M with radii 1:4", "greedy on nanoflann, same answer", true, 5,
       [ours] { benchmark::DoNotOptimize(ours()); },
       [cloud, order] { benchmark::DoNotOptimize(greedyOnTree(*cloud, *order, 0.24F)); }});
}

}  // namespace arvesk::bench
