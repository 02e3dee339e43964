// Clearance: 1 M points with radii 1:4, two threads, against the sequential greedy answer on nanoflann's dynamic tree;
// the answers are compared once.
#include "core/spatial/clearance.h"

#include "benchmarks/bench.h"
#include "core/geometry/shapes.h"
#include "core/spatial/rooms.h"

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

/// Points whose larger ones stay.
struct Crowd {
  Cloud cloud;
  Array<std::uint32_t> order;
  float largest;
  Crowd(std::size_t count, float extent, float least, float most) : largest(most) {
    const Points p = points(count, extent, least, most);
    for (std::size_t i = 0; i < p.count; ++i) {
      cloud.entries.push_back({p.position[i], p.footprint[i], static_cast<std::uint32_t>(i)});
      order.push_back(static_cast<std::uint32_t>(i));
    }
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
      return p.footprint[a] != p.footprint[b] ? p.footprint[a] > p.footprint[b] : a < b;
    });
  }
  Array<std::uint8_t> kept() const {
    Array<std::uint8_t> out;
    withThreads(2, [&] { out = keepByPriority({}, cloud.entries, order, KeptPoints({}), {}); });
    return out;
  }
};

/// Boards of several sizes that lie any way round, and which stay.
struct Boards {
  Points points;
  Array<std::uint32_t> order;

  explicit Boards(std::size_t count) : points(bench::points(count, 300, 0.06F, 0.24F)) {
    auto kit = std::make_shared<Kit>();
    kit->entries.push_back({makeProp("board", "board", std::make_shared<const Surface>(makeBox({2, 0.3F, 0.5F}))), 1});
    const float footprint = kit->entries[0].prop->footprint;
    Array<Quat> turn(count);
    Array<Vec3> size(count);
    for (std::size_t i = 0; i < count; ++i) {
      turn[i] = glm::angleAxis(2 * kPi * unitFloat(mix64(points.id[i])), kUp);
      size[i] = Vec3(points.footprint[i] / footprint);
      order.push_back(static_cast<std::uint32_t>(i));
    }
    std::sort(order.begin(), order.end(),
              [&](std::uint32_t a, std::uint32_t b) { return size[a].x != size[b].x ? size[a].x > size[b].x : a < b; });
    points.orientation = std::move(turn);
    points.size = std::move(size);
    points.footprint = Column<float>(footprint);
    points.prop = Column<std::int32_t>(std::int32_t{0});
    points.kit = kit;
  }
  void keep(RoomShape shape) const {
    withThreads(2, [&] {
      if (shape == RoomShape::Disc) {
        Array<PointGrid::Entry> entries(points.count);
        for (std::uint32_t i = 0; i < points.count; ++i)
          entries[i] = {points.position[i], points.effectiveFootprint(i), i};
        benchmark::DoNotOptimize(keepByPriority({}, entries, order, KeptPoints({}), {}));
        return;
      }
      Rooms rooms({shape});
      rooms.add(points);
      const ConflictRule rule{1, 0, {}, false, &rooms};
      benchmark::DoNotOptimize(keepByPriority({}, rooms.balls(), order, KeptPoints(rule), rule));
    });
  }
};

}  // namespace

void addClearance() {
  const auto crowd = std::make_shared<Crowd>(1'000'000, 300, 0.06F, 0.24F);
  ARVESK_ASSERT(crowd->kept() == greedyOnTree(crowd->cloud, crowd->order, crowd->largest), "both give the same answer");
  const auto ours = [crowd] { benchmark::DoNotOptimize(crowd->kept()); };
  add({"Clearance, 1 M with radii 1:4", "greedy on nanoflann, same answer", true, 8, ours,
       [crowd] { benchmark::DoNotOptimize(greedyOnTree(crowd->cloud, crowd->order, crowd->largest)); }});
  const auto boards = std::make_shared<std::unique_ptr<Boards>>();
  const auto by = [boards](RoomShape shape) {
    return [boards, shape] {
      if (!*boards) *boards = std::make_unique<Boards>(1'000'000);
      (*boards)->keep(shape);
    };
  };
  add({"Clearance, 1 M by box", "by disc", false, 2.5, by(RoomShape::Box), by(RoomShape::Disc)});
  add({"Clearance, 1 M by ellipse", "by disc", false, 12, by(RoomShape::Ellipse), by(RoomShape::Disc)});
  // Made when the row is run, and let go of after it.
  const auto dense = std::make_shared<std::unique_ptr<Crowd>>();
  add({"Clearance, 10 M dense, radii 1:10", "1 M with radii 1:4", false, 14,
       [dense] {
         if (!*dense) *dense = std::make_unique<Crowd>(10'000'000, 300, 0.03F, 0.3F);
         benchmark::DoNotOptimize((*dense)->kept());
       },
       [dense, ours] {
         dense->reset();
         ours();
       }});
}

}  // namespace arvesk::bench
