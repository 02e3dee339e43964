#include "core/spatial/settling.h"

#include "core/spatial/column_grid.h"
#include "core/spatial/flat_overlap.h"
#include "core/spatial/heap.h"

#include <algorithm>
#include <deque>
#include <memory>
#include <numeric>
#include <optional>

namespace arvesk {
namespace {

/// As seen from above, turning left there; the height is y. `twice`: its area, above 0 where it looks up.
FlatTriangle fromAbove(const PlacedTriangle& t, double lift, double& twice) {
  FlatTriangle out;
  for (std::size_t k = 0; k < 3; ++k) out[k] = {t.corner[k].x, -t.corner[k].z, t.corner[k].y + lift};
  twice = (out[1].x - out[0].x) * (out[2].y - out[0].y) - (out[1].y - out[0].y) * (out[2].x - out[0].x);
  if (twice < 0) std::swap(out[1], out[2]);
  return out;
}

double heightAt(const FlatTriangle& t, double twice, double x, double y) {
  const double u = ((x - t[0].x) * (t[2].y - t[0].y) - (y - t[0].y) * (t[2].x - t[0].x)) / twice;
  const double v = ((t[1].x - t[0].x) * (y - t[0].y) - (t[1].y - t[0].y) * (x - t[0].x)) / twice;
  return t[0].height + u * (t[1].height - t[0].height) + v * (t[2].height - t[0].height);
}

/// How steep it is: m up per m across.
double steepness(const FlatTriangle& t, double twice) {
  const double up1 = t[1].height - t[0].height;
  const double up2 = t[2].height - t[0].height;
  const double x = up1 * (t[2].y - t[0].y) - up2 * (t[1].y - t[0].y);
  const double y = up2 * (t[1].x - t[0].x) - up1 * (t[2].x - t[0].x);
  return std::sqrt(x * x + y * y) / twice;
}

/// Faces as steep as this are walls: what goes up and down beside them goes half a millimeter in per meter at most.
constexpr double kUpright = 2000;

/// What lies on a side that two triangles share is held by one of them.
bool holds(const FlatTriangle& t, double x, double y) {
  for (std::size_t k = 0; k < 3; ++k) {
    const FlatPoint& a = t[k];
    const FlatPoint& b = t[(k + 1) % 3];
    const double left = (b.x - a.x) * (y - a.y) - (b.y - a.y) * (x - a.x);
    if (left < 0 || (left == 0 && (b.y < a.y || (b.y == a.y && b.x > a.x)))) return false;
  }
  return true;
}

/// How one body can go up and down past another: all in m that it is lifted.
struct Passing {
  double low = std::numeric_limits<double>::max();         // from here up they meet,
  double high = std::numeric_limits<double>::lowest();     // to here
  double landing = std::numeric_limits<double>::lowest();  // where it first meets what lies under it, going down
  double landed = std::numeric_limits<double>::lowest();   // and the other one what of this lies under it
  bool meet() const { return low < high; }
};

/// Do columns of `mesh` at a place say that it is inside?
bool isInside(const PlacedMesh& mesh, double lift, const DVec3& at) {
  std::size_t above = 0;
  mesh.over({at, at}, [&](const PlacedTriangle& t) {
    double twice = 0;
    const FlatTriangle flat = fromAbove(t, lift, twice);
    if (twice == 0 || !holds(flat, at.x, -at.z)) return;
    above += heightAt(flat, std::abs(twice), at.x, -at.z) > at.y ? 1 : 0;
  });
  return above % 2 == 1;
}

/// `mesh` lifted by `lift`, past `other` lifted by `otherLift`. `tolerance`: m across; on steep faces it is more up and
/// down.
enum class Asks { Bounds, Landings };
Passing passing(const PlacedMesh& mesh, double lift, const PlacedMesh& other, double otherLift, double tolerance,
                Asks asks, bool isGround = false) {
  Passing out;
  for (std::size_t i = 0; i < mesh.count(); ++i) {
    const PlacedTriangle t = mesh.triangle(i);
    if (!t.box.meetsFromAbove(other.box())) continue;
    double twice = 0;
    const FlatTriangle flat = fromAbove(t, lift, twice);
    const double steep = steepness(flat, std::abs(twice));
    if (!(steep < kUpright)) continue;
    other.over(t.box, [&](const PlacedTriangle& s) {
      // Most pairs say nothing new: that is seen by their boxes.
      const double lowest = s.box.min.y + otherLift - t.box.max.y - lift;
      const double highest = s.box.max.y + otherLift - t.box.min.y - lift;
      const bool mayLand = asks == Asks::Landings && lowest <= tolerance && highest > out.landing;
      const bool mayBeLanded = asks == Asks::Landings && highest >= -tolerance && -lowest > out.landed;
      if (lowest >= out.low && highest <= out.high && !mayLand && !mayBeLanded) return;
      double area = 0;
      const FlatTriangle its = fromAbove(s, otherLift, area);
      const double itsSteep = steepness(its, std::abs(area));
      if (!(itsSteep < kUpright) || (isGround && (area < 0 || s.box.min.y > mesh.box().max.y + lift)))
        return;  // of ground what looks up, but for roofs
      const FlatOverlap overlap(flat, its);
      if (overlap.count() < 3 || overlap.area() < 1e-9 * std::min(std::abs(twice), std::abs(area))) return;
      double least = std::numeric_limits<double>::max();
      double most = std::numeric_limits<double>::lowest();
      for (std::size_t c = 0; c < overlap.count(); ++c) {
        const FlatPoint& p = overlap.at(c);
        const double up = heightAt(its, std::abs(area), p.x, p.y) - p.height;
        least = std::min(least, up);
        most = std::max(most, up);
      }
      const double slack = tolerance * (1 + steep + itsSteep);
      if (std::abs(least) <= slack) least = 0;
      if (std::abs(most) <= slack) most = 0;
      out.low = std::min(out.low, least);
      out.high = std::max(out.high, most);
      if (twice < 0 && area > 0 && most <= 0) out.landing = std::max(out.landing, most);
      if (twice > 0 && area < 0 && least >= 0) out.landed = std::max(out.landed, -least);
    });
  }
  return out;
}

/// Does a side of one go through a face of the other, by more than the tolerance? (Möller and Trumbore, "Fast, minimum
/// storage ray/triangle intersection", 1997.)
bool anyCrossing(const PlacedMesh& a, double liftA, const PlacedMesh& b, double liftB, double tolerance) {
  const DVec3 up(0, liftA - liftB, 0);
  DBox3 room = b.box().grown(tolerance);
  room.min -= up;
  room.max -= up;
  for (std::size_t i = 0; i < a.count(); ++i) {
    const PlacedTriangle t = a.triangle(i);
    if (!t.box.meets(room)) continue;
    for (std::size_t k = 0; k < 3; ++k) {
      const DVec3 from = t.corner[k] + up;
      const DVec3 to = t.corner[(k + 1) % 3] + up;
      DBox3 box;
      box.add(from);
      box.add(to);
      bool isThrough = false;
      b.over(box, [&](const PlacedTriangle& s) {
        if (isThrough || !box.meets(s.box)) return;
        const DVec3 e1 = s.corner[1] - s.corner[0];
        const DVec3 e2 = s.corner[2] - s.corner[0];
        const DVec3 normal = glm::cross(e1, e2);
        const double length = glm::length(normal);
        if (!(length > 0)) return;
        const double above = glm::dot(from - s.corner[0], normal) / length;
        const double below = glm::dot(to - s.corner[0], normal) / length;
        if (std::abs(above) <= tolerance || std::abs(below) <= tolerance || (above > 0) == (below > 0)) return;
        const DVec3 at = from + above / (above - below) * (to - from) - s.corner[0];
        const double u = glm::dot(glm::cross(at, e2), normal) / (length * length);
        const double v = glm::dot(glm::cross(e1, at), normal) / (length * length);
        const double margin = tolerance / std::sqrt(length);
        isThrough = u > margin && v > margin && u + v < 1 - margin;
      });
      if (isThrough) return true;
    }
  }
  return false;
}

/// Is some of one within the other one? Asked a little under the skin of either: touching does not count.
bool overlap(const PlacedMesh& a, double liftA, const PlacedMesh& b, double liftB, double tolerance) {
  if (anyCrossing(a, liftA, b, liftB, 10 * tolerance) || anyCrossing(b, liftB, a, liftA, 10 * tolerance)) return true;
  const auto anyInside = [](const PlacedMesh& of, double lift, const PlacedMesh& in, double inLift) {
    constexpr std::size_t kMost = 256;
    const double under = 1e-3 * std::min(of.box().diagonal(), in.box().diagonal());
    const std::size_t step = of.count() / kMost + 1;
    for (std::size_t k = 0; k < of.count(); k += step) {
      const PlacedTriangle t = of.triangle(k);
      const DVec3 area = t.area();
      const double length = glm::length(area);
      if (!(length > 0)) continue;
      const DVec3 at = (t.corner[0] + t.corner[1] + t.corner[2]) / 3.0 - under / length * area;
      if (isInside(in, inLift, at + DVec3(0, lift, 0))) return true;
    }
    return false;
  };
  return anyInside(a, liftA, b, liftB) || anyInside(b, liftB, a, liftA);
}

class Settling {
 public:
  Settling(const Task& task, const std::vector<PlacedMesh>& loose, const std::vector<PlacedMesh>& standing,
           const Surface* ground, double floor)
      : m_task(task), m_loose(loose), m_standing(standing), m_grid(boxesOf(loose)) {
    m_floor = floor;
    m_hasGround = ground != nullptr;
    for (std::uint32_t i = 0; i < standing.size(); ++i) m_grid.add(i, standing[i].box());
    if (ground) takeGround(*ground);
  }

  /// All at once, from where nothing is within anything: what lies over another thing somewhere goes down no farther
  /// than that one does and the room between them. The lowest way to have it so, as longest paths from what stands
  /// (Cormen and others, "Introduction to algorithms", difference constraints).
  Settled fall() {
    const auto count = static_cast<std::uint32_t>(m_loose.size());
    struct Limit {
      std::uint32_t over;
      double room;  // m, not above 0: how far nearer it may come
    };
    std::vector<std::vector<Limit>> limits(count);  // by what lies under
    std::vector<double> lift(count, std::numeric_limits<double>::lowest());
    std::vector<double> rest(count, std::numeric_limits<double>::lowest());  // where the ground stops each
    ColumnGrid grid(boxesOf(m_loose));
    for (std::uint32_t i = 0; i < count; ++i) grid.add(i, m_loose[i].box());
    std::vector<std::vector<std::pair<std::uint32_t, Limit>>> found(count);
    parallelPieces(m_task, count, 8, [&](std::size_t begin, std::size_t end) {
      for (std::size_t a = begin; a < end; ++a) {
        const PlacedMesh& mesh = m_loose[a];
        if (mesh.isEmpty()) continue;
        const auto own = static_cast<std::uint32_t>(a);
        for (const std::uint32_t b : grid.meeting(mesh.box())) {
          if (b <= a) continue;
          const auto [onto, under] = roomBetween(mesh, m_loose[b]);
          if (onto) found[a].push_back({b, {own, *onto}});
          if (under) found[a].push_back({own, {b, *under}});
        }
        lift[a] = rest[a] = std::min(0.0, restOf(own));
        for (const std::uint32_t k : m_grid.meeting(mesh.box()))
          if (const auto [onto, under] = roomBetween(mesh, m_standing[k]); onto) lift[a] = std::max(lift[a], *onto);
      }
    });
    for (const auto& of : found)
      for (const auto& [under, limit] : of) limits[under].push_back(limit);
    const std::vector<std::uint32_t> lowestFirst = order();
    std::deque<std::uint32_t> open(lowestFirst.begin(), lowestFirst.end());
    std::vector<std::uint8_t> isOpen(count, 1);
    while (!open.empty() && !m_task.isCancelled()) {
      endIfStopped();
      const std::uint32_t now = open.front();
      open.pop_front();
      isOpen[now] = 0;
      if (lift[now] == std::numeric_limits<double>::lowest()) continue;
      for (const Limit& limit : limits[now]) {
        // Roundings in a ring of things would add up for ever.
        if (!(lift[now] + limit.room > lift[limit.over] + 1e-9)) continue;
        lift[limit.over] = lift[now] + limit.room;
        if (!isOpen[limit.over]) open.push_back(limit.over);
        isOpen[limit.over] = 1;
      }
    }
    Settled out;
    for (std::uint32_t i = 0; i < count; ++i) {
      const bool isOver = lift[i] == std::numeric_limits<double>::lowest();
      out.how.push_back(isOver ? Settled::kOnNothing : lift[i] > rest[i] ? Settled::kOnOthers : Settled::kOnGround);
      out.move.push_back({0, isOver ? 0 : lift[i], 0});
    }
    return out;
  }

  /// One after the other, from wherever they are.
  Settled run() {
    Settled out;
    out.move.resize(m_loose.size());
    out.how.assign(m_loose.size(), Settled::kOnNothing);
    double wide = 0;
    for (const PlacedMesh& m : m_loose) wide += m.box().isEmpty() ? 0 : m.box().max.x - m.box().min.x;
    Heap heap(std::max(0.3 * wide / static_cast<double>(m_loose.size() + 1), 0.01),
              [this](double x, double z) { return groundAt(x, z); });
    for (const PlacedMesh& m : m_standing) heap.add(m, 0);
    std::size_t done = 0;
    for (const std::uint32_t i : order()) {
      if (m_task.isCancelled()) break;  // of what that gives nothing is used
      endIfStopped();
      m_task.report(static_cast<float>(done++) / static_cast<float>(m_loose.size()));
      const PlacedMesh& own = m_loose[i];
      if (own.isEmpty()) continue;
      const DVec3 middle = own.box().middle();
      const double radius = 0.25 * (own.box().max.x - own.box().min.x + own.box().max.z - own.box().min.z);
      DVec3 way = heap.rolled(middle, radius, own.box().max.y) - middle;
      way.y = 0;
      auto mesh = std::make_unique<PlacedMesh>(own);
      mesh->move(way);
      const auto lift = landed(*mesh);
      out.how[i] = !lift ? Settled::kOnNothing : lift->isOnGround ? Settled::kOnGround : Settled::kOnOthers;
      out.move[i] = way + DVec3(0, lift ? lift->lift : 0, 0);
      if (lift) {
        heap.add(*mesh, lift->lift);
        mesh->move(DVec3(0, lift->lift, 0));
      }
      m_grid.add(static_cast<std::uint32_t>(m_standing.size() + m_settled.size()), mesh->box());
      m_settled.push_back(std::move(mesh));
    }
    return out;
  }

 private:
  static std::vector<DBox3> boxesOf(const std::vector<PlacedMesh>& meshes) {
    std::vector<DBox3> out;
    for (const PlacedMesh& m : meshes) out.push_back(m.box());
    return out;
  }

  /// What of it lies under or over the loose things, and as far as they may roll.
  void takeGround(const Surface& ground) {
    DBox3 room;
    for (const PlacedMesh& m : m_loose) room.add(m.box());
    room = room.grown(0.5 * (room.max.y - room.min.y) +
                      0.25 * std::max(room.max.x - room.min.x, room.max.z - room.min.z));
    Array<DVec3> places;
    Array<UVec3> triangles;
    for (std::size_t f = 0; f < ground.triangles.size(); ++f) {
      endIfStoppedAt(f);
      PlacedTriangle t;
      for (int c = 0; c < 3; ++c) {
        t.corner[static_cast<std::size_t>(c)] = DVec3(ground.positions[ground.triangles[f][c]]);
        t.box.add(t.corner[static_cast<std::size_t>(c)]);
      }
      if (!t.box.meetsFromAbove(room) || !(t.area().y > 0)) continue;
      const auto first = static_cast<std::uint32_t>(places.size());
      for (const DVec3& c : t.corner) places.push_back(c);
      triangles.push_back({first, first + 1, first + 2});
    }
    m_ground = PlacedMesh(std::move(places), std::move(triangles));
  }

  double toleranceOf(const PlacedMesh& m) const { return 1e-6 + 1e-6 * m.box().diagonal(); }

  /// The lower ones first, then the earlier.
  std::vector<std::uint32_t> order() const {
    std::vector<std::uint32_t> out(m_loose.size());
    std::iota(out.begin(), out.end(), 0U);
    std::stable_sort(out.begin(), out.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return m_loose[a].box().min.y < m_loose[b].box().min.y; });
    return out;
  }

  const PlacedMesh& meshOf(std::uint32_t k) const {
    return k < m_standing.size() ? m_standing[k] : *m_settled[k - m_standing.size()];
  }

  std::optional<double> groundAt(double x, double z) const {
    if (!m_hasGround) return m_floor;
    std::optional<double> out;
    m_ground.over({{x, 0, z}, {x, 0, z}}, [&](const PlacedTriangle& t) {
      double twice = 0;
      const FlatTriangle flat = fromAbove(t, 0, twice);
      if (twice == 0 || !holds(flat, x, -z)) return;
      const double height = heightAt(flat, std::abs(twice), x, -z);
      out = std::max(out.value_or(height), height);
    });
    return out;
  }

  /// How far it must be lifted so that its middle is not under the ground, m.
  double outOfGround(const PlacedMesh& mesh) const {
    const DVec3 at = mesh.box().middle();
    bool isOver = false;
    double over = std::numeric_limits<double>::max();
    m_ground.over({at, at}, [&](const PlacedTriangle& t) {
      double twice = 0;
      const FlatTriangle flat = fromAbove(t, 0, twice);
      if (twice == 0 || !holds(flat, at.x, -at.z)) return;
      const double height = heightAt(flat, std::abs(twice), at.x, -at.z);
      isOver |= height <= at.y;
      if (height > at.y) over = std::min(over, height - at.y);
    });
    return isOver || over == std::numeric_limits<double>::max() ? 0 : over;
  }

  /// How far nearer the first may come to the second from above, m, not above 0, and the second to the first; none
  /// where the one is nowhere over the other.
  std::pair<std::optional<double>, std::optional<double>> roomBetween(const PlacedMesh& a, const PlacedMesh& b) const {
    const double slack = std::min(toleranceOf(a), toleranceOf(b));
    const Passing p = passing(a, 0, b, 0, slack, Asks::Landings);
    std::pair<std::optional<double>, std::optional<double>> out;
    if (p.low > p.high) return out;
    // What is in one another already stays so: they go together.
    if (p.low < -slack && p.high > slack && overlap(a, 0, b, 0, slack)) return {0.0, 0.0};
    if (p.landing > std::numeric_limits<double>::lowest()) out.first = std::min(0.0, p.landing);
    if (p.landed > std::numeric_limits<double>::lowest()) out.second = std::min(0.0, p.landed);
    return out;
  }

  /// Where the ground stops it, m from where it is; lowest() where there is none.
  double restOf(std::uint32_t i) const {
    const PlacedMesh& mesh = m_loose[i];
    if (!m_hasGround) return m_floor - mesh.box().min.y;
    const Passing p = passing(mesh, 0, m_ground, 0, toleranceOf(mesh), Asks::Bounds, true);
    return p.low > p.high ? std::numeric_limits<double>::lowest() : p.high;
  }

  /// How far it goes up or down to lie on what is there; none where nothing is under it.
  struct Landing {
    double lift = 0;  // m
    bool isOnGround = false;
  };
  std::optional<Landing> landed(const PlacedMesh& mesh) const {
    const double tolerance = toleranceOf(mesh);
    double start = 0;
    double least = std::numeric_limits<double>::lowest();  // not below this, from the start
    std::vector<std::pair<double, double>> taken;          // where it would be within another one, from the start
    std::vector<double> stops;                             // of those that it hooks into: goes down so far
    std::vector<std::pair<double, double>> hooked;         // and where it would be within them
    if (m_hasGround) {
      start = outOfGround(mesh);
      if (const Passing p = passing(mesh, start, m_ground, 0, tolerance, Asks::Bounds, true); p.meet()) least = p.high;
    } else {
      least = m_floor - mesh.box().min.y;
    }
    std::vector<std::uint32_t> others = m_grid.meeting(mesh.box());
    std::sort(others.begin(), others.end(), [&](std::uint32_t a, std::uint32_t b) {
      const double topA = meshOf(a).box().max.y;
      const double topB = meshOf(b).box().max.y;
      return topA != topB ? topA > topB : a < b;
    });
    double rests = least;  // at least as high as this, for what was seen
    for (const std::uint32_t k : others) {
      const PlacedMesh& other = meshOf(k);
      // It lies lower than what holds it up already.
      if (other.box().max.y - mesh.box().min.y - start <= rests) break;
      const double slack = std::min(tolerance, toleranceOf(other));
      const Passing p = passing(mesh, start, other, 0, slack, Asks::Bounds);
      if (p.low > p.high) continue;
      const std::pair<double, double> within{p.low, p.high};
      const bool isApart = p.high <= slack || p.low >= -slack;
      if (isApart || overlap(mesh, start, other, 0, slack)) {
        taken.push_back(within);
        if (p.high <= slack) rests = std::max(rests, p.high);
      } else {  // they hook into each other
        hooked.push_back(within);
        const double landing = passing(mesh, start, other, 0, slack, Asks::Landings).landing;
        if (landing > std::numeric_limits<double>::lowest()) stops.push_back(landing);
      }
    }
    // Up, out of all that it is within.
    double lift = std::max(0.0, least);
    const bool isWithin = std::any_of(taken.begin(), taken.end(),
                                      [&](const auto& t) { return t.first < -tolerance && t.second > tolerance; });
    if (lift > tolerance || isWithin) taken.insert(taken.end(), hooked.begin(), hooked.end());
    for (bool isMoved = true; isMoved;) {
      isMoved = false;
      for (const auto& [low, high] : taken)
        if (lift > low + tolerance && lift < high - tolerance) {
          lift = high;
          isMoved = true;
        }
    }
    if (lift > std::max(0.0, tolerance)) return Landing{start + lift, lift <= least};
    // Down, onto the first.
    double onto = least;
    for (const auto& [low, high] : taken)
      if (high <= lift + tolerance) onto = std::max(onto, high);
    for (const double stop : stops) onto = std::max(onto, stop);
    if (onto == std::numeric_limits<double>::lowest()) return std::nullopt;
    return Landing{start + std::min(onto, lift), std::min(onto, lift) <= least};
  }

  const Task& m_task;
  const std::vector<PlacedMesh>& m_loose;
  const std::vector<PlacedMesh>& m_standing;
  ColumnGrid m_grid;  // of what lies, standing first
  PlacedMesh m_ground;
  std::vector<std::unique_ptr<const PlacedMesh>> m_settled;  // where they lie; in the order in which they came
  double m_floor = 0;
  bool m_hasGround = false;
};

}  // namespace

Settled settle(const Task& task, const std::vector<PlacedMesh>& loose, const std::vector<PlacedMesh>& standing,
               const Surface* ground, double floor) {
  return Settling(task, loose, standing, ground, floor).run();
}

Settled letFall(const Task& task, const std::vector<PlacedMesh>& loose, const std::vector<PlacedMesh>& standing,
                const Surface* ground, double floor) {
  return Settling(task, loose, standing, ground, floor).fall();
}

}  // namespace arvesk
