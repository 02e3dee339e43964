#include "core/spatial/cell_frame.h"

#include "core/base/task.h"

#include <voro++/voro++.hh>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

/// A corner as one of its three cells sees it.
struct Seen {
  std::array<std::int32_t, 3> seeds;
  std::array<std::array<std::int32_t, 4>, 2> ends;
  bool operator==(const Seen&) const = default;
};

class Cell {
 public:
  Cell(voro::voronoicell_neighbor& cell, std::int32_t seed, const DVec3& at) : m_seed(seed) {
    cell.neighbors(m_neighbors);
    cell.face_vertices(m_faces);
    std::vector<double> flat;
    cell.vertices(at.x, at.y, at.z, flat);
    for (std::size_t i = 0; i + 2 < flat.size(); i += 3) m_places.push_back({flat[i], flat[i + 1], flat[i + 2]});
    m_meeting.resize(m_places.size());
    forSides(
        [&](std::int32_t neighbor, int from, int) { m_meeting[static_cast<std::size_t>(from)].push_back(neighbor); });
  }

  const std::vector<int>& neighbors() const { return m_neighbors; }
  /// False where more than four cells meet in one place.
  bool addCorners(const std::vector<DVec3>& seeds, std::vector<Seen>& out) const {
    for (const auto& meeting : m_meeting)
      if (meeting.size() != 3) return false;
    bool isSound = true;
    forSides([&](std::int32_t neighbor, int from, int to) {
      const std::int32_t other = otherAt(neighbor, from, to);
      if (other == kNone) isSound = false;
      if (other <= neighbor || neighbor < 0) return;  // each once, without those that lie in the box's walls
      Seen seen{{m_seed, neighbor, other}, {endAt(from), endAt(to)}};
      std::sort(seen.seeds.begin(), seen.seeds.end());
      const DVec3 along = m_places[static_cast<std::size_t>(to)] - m_places[static_cast<std::size_t>(from)];
      if (glm::dot(along, cornerLine(seeds, seen.seeds)) < 0) std::swap(seen.ends[0], seen.ends[1]);
      out.push_back(seen);
    });
    return isSound;
  }

 private:
  static constexpr std::int32_t kNone = -100;

  template <typename Visit>
  void forSides(Visit visit) const {
    std::size_t at = 0;
    for (const int neighbor : m_neighbors) {
      const auto count = static_cast<std::size_t>(m_faces[at++]);
      for (std::size_t k = 0; k < count; ++k) visit(neighbor, m_faces[at + k], m_faces[at + (k + 1) % count]);
      at += count;
    }
  }
  /// The other face along a side of a face.
  std::int32_t otherAt(std::int32_t face, int from, int to) const {
    std::int32_t found = kNone;
    for (const std::int32_t a : m_meeting[static_cast<std::size_t>(from)])
      for (const std::int32_t b : m_meeting[static_cast<std::size_t>(to)])
        if (a == b && a != face) found = a;
    return found;
  }
  std::array<std::int32_t, 4> endAt(int place) const {
    const auto& meeting = m_meeting[static_cast<std::size_t>(place)];
    std::array<std::int32_t, 4> end{m_seed, meeting[0], meeting[1], meeting[2]};
    std::sort(end.begin(), end.end());
    return end;
  }

  std::int32_t m_seed;
  std::vector<int> m_neighbors;  // by face
  std::vector<int> m_faces;      // how many corners, then these; counter-clockwise from outside
  std::vector<DVec3> m_places;
  std::vector<std::vector<std::int32_t>> m_meeting;  // by place: the faces' neighbors
};

}  // namespace

CellFrame cellFrameOf(const std::vector<DVec3>& seeds, const DVec3& least, const DVec3& most) {
  constexpr double kPerBlock = 5;  // what voro++ is fastest with
  const DVec3 extent = most - least;
  const double side = std::cbrt(extent.x * extent.y * extent.z * kPerBlock / static_cast<double>(seeds.size() + 1));
  const auto blocks = [&](double length) { return std::clamp(static_cast<int>(length / side), 1, 500); };
  voro::container box(least.x, most.x, least.y, most.y, least.z, most.z, blocks(extent.x), blocks(extent.y),
                      blocks(extent.z), false, false, false, 8);
  for (std::size_t i = 0; i < seeds.size(); ++i) box.put(static_cast<int>(i), seeds[i].x, seeds[i].y, seeds[i].z);
  CellFrame out;
  out.neighbors.resize(seeds.size());
  std::vector<Seen> seen;
  std::size_t found = 0;
  voro::c_loop_all loop(box);
  voro::voronoicell_neighbor made;
  if (loop.start()) do {
      endIfStopped();
      if (!box.compute_cell(made, loop)) continue;
      ++found;
      const int seed = loop.pid();
      const Cell cell(made, seed, seeds[static_cast<std::size_t>(seed)]);
      for (const int n : cell.neighbors())
        if (n >= 0) out.neighbors[static_cast<std::size_t>(seed)].push_back(n);
      out.isSound = cell.addCorners(seeds, seen) && out.isSound;
    } while (loop.inc());
  out.isSound = out.isSound && found == seeds.size();
  for (auto& list : out.neighbors) std::sort(list.begin(), list.end());
  for (std::size_t i = 0; i < seeds.size(); ++i)
    for (const std::int32_t n : out.neighbors[i]) {
      const auto& back = out.neighbors[static_cast<std::size_t>(n)];
      if (!std::binary_search(back.begin(), back.end(), static_cast<std::int32_t>(i))) out.isSound = false;
    }
  // All three cells see the same corner.
  std::sort(seen.begin(), seen.end(), [](const Seen& a, const Seen& b) { return a.seeds < b.seeds; });
  for (std::size_t i = 0; i < seen.size(); i += 3) {
    if (i + 2 >= seen.size() || !(seen[i] == seen[i + 1]) || !(seen[i] == seen[i + 2])) {
      out.isSound = false;
      break;
    }
    out.corners.push_back({seen[i].seeds, seen[i].ends});
  }
  return out;
}

}  // namespace arvesk
