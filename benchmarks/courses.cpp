// Rows, splitting and unlike neighbors, a million each, beside plain loops that do as much as nobody could leave out.
#include "benchmarks/bench.h"
#include "core/geometry/face_cells.h"
#include "core/geometry/file_parts.h"
#include "core/geometry/shapes.h"
#include "core/geometry/welding.h"
#include "core/spatial/unlike.h"

#include <queue>

namespace arvesk::bench {
namespace {

/// A plane of 100 × 100 m cut into 2 · 40² triangles, all one flat part.
const Surface& roof() {
  static const Surface s = [] {
    Surface made;
    constexpr std::uint32_t kSide = 40;
    for (std::uint32_t z = 0; z <= kSide; ++z)
      for (std::uint32_t x = 0; x <= kSide; ++x)
        made.positions.edit().push_back({2.5F * static_cast<float>(x), 0, 2.5F * static_cast<float>(z)});
    for (std::uint32_t z = 0; z < kSide; ++z)
      for (std::uint32_t x = 0; x < kSide; ++x) {
        const std::uint32_t a = z * (kSide + 1) + x;
        made.triangles.edit().push_back({a, a + kSide + 1, a + 1});
        made.triangles.edit().push_back({a + 1, a + kSide + 1, a + kSide + 2});
      }
    return made;
  }();
  return s;
}

/// Cells without asking whether they lie inside: a million places written in two loops.
void cellsByPlainLoop() {
  Array<FaceCell> out;
  for (int row = 0; row < 1000; ++row)
    for (int column = 0; column < 1000; ++column) {
      FaceCell c;
      c.row = row;
      c.column = column;
      c.place = {0.1F * static_cast<float>(column), 0, 0.1F * static_cast<float>(row)};
      out.push_back(c);
    }
  benchmark::DoNotOptimize(out.data());
}

void cells() {
  std::vector<std::uint32_t> all(roof().faceCount());
  for (std::uint32_t i = 0; i < all.size(); ++i) all[i] = i;
  CellRule rule;
  rule.row = rule.pitch = 0.1F;
  const Array<FaceCell> out = cellsOver(roof(), all, {1, 0, 0}, {0, 0, 1}, rule);
  benchmark::DoNotOptimize(out.data());
}

/// A million triangles in 1,250 balls.
const Surface& balls() {
  static const Surface s = [] {
    const Surface one = makeBall(0.4F, 20);
    Surface made;
    for (std::uint32_t k = 0; made.triangles.size() < 1'000'000; ++k) {
      const auto base = static_cast<std::uint32_t>(made.positions.size());
      const Vec3 at(static_cast<float>(k % 40), 0, static_cast<float>(k / 40));
      for (const Vec3& p : one.positions) made.positions.edit().push_back(p + at);
      for (const UVec3& t : one.triangles) made.triangles.edit().push_back(t + base);
    }
    return made;
  }();
  return s;
}

/// From each triangle that nobody has yet on, over the places that it shares: a list of triangles per place, a queue.
void piecesByPlainLoop() {
  const Surface s = balls();
  const auto welded = weldedOf(s);
  std::vector<std::vector<std::uint32_t>> at(welded->vertex.size());
  for (std::uint32_t t = 0; t < s.faceCount(); ++t)
    for (int k = 0; k < 3; ++k) at[welded->place[s.triangles[t][k]]].push_back(t);
  std::vector<std::uint32_t> piece(s.faceCount(), 0xffffffffU);
  std::uint32_t count = 0;
  for (std::uint32_t first = 0; first < s.faceCount(); ++first) {
    if (piece[first] != 0xffffffffU) continue;
    std::queue<std::uint32_t> open;
    open.push(first);
    piece[first] = count;
    while (!open.empty()) {
      const std::uint32_t t = open.front();
      open.pop();
      for (int k = 0; k < 3; ++k)
        for (const std::uint32_t other : at[welded->place[s.triangles[t][k]]])
          if (piece[other] == 0xffffffffU) {
            piece[other] = count;
            open.push(other);
          }
    }
    ++count;
  }
  benchmark::DoNotOptimize(count);
}

void pieces() {
  const Surface s = balls();  // a copy knows nothing of what was found before
  benchmark::DoNotOptimize(loosePiecesOf(s)->count());
}

/// A million points, about eight others within the distance of each.
const Points& crowd() {
  static const Points p = [] {
    Points made;
    made.count = 1'000'000;
    Array<Vec3> position(made.count);
    Array<std::uint64_t> id(made.count);
    for (std::size_t i = 0; i < made.count; ++i) {
      id[i] = hashOf(7ULL, i);
      position[i] = {1000 * unitFloat(id[i]), 0, 1000 * unitFloat(mix64(id[i]))};
    }
    made.position = std::move(position);
    made.id = std::move(id);
    return made;
  }();
  return p;
}
constexpr float kNear = 1.6F;

std::int32_t farthest(std::size_t, const std::vector<float>& nearest) {
  return static_cast<std::int32_t>(std::max_element(nearest.begin(), nearest.end()) - nearest.begin());
}

/// One after the other, by a list of points per cell.
void unlikeByPlainLoop() {
  const Points& p = crowd();
  const Draw order(1, 2, 3, "order");
  std::vector<std::pair<std::uint64_t, std::uint32_t>> turn(p.count);
  for (std::uint32_t i = 0; i < p.count; ++i) turn[i] = {order.bits(p.id[i]), i};
  std::sort(turn.begin(), turn.end());
  constexpr int kSide = 625;
  std::vector<std::vector<std::uint32_t>> cell(kSide * kSide);
  const auto at = [](float v) { return std::clamp(static_cast<int>(v / kNear), 0, kSide - 1); };
  std::vector<std::int32_t> kind(p.count);
  std::vector<float> nearest(8);
  for (const auto& [rank, i] : turn) {
    std::fill(nearest.begin(), nearest.end(), std::numeric_limits<float>::infinity());
    const Vec3 own = p.position[i];
    for (int z = std::max(0, at(own.z) - 1); z <= std::min(kSide - 1, at(own.z) + 1); ++z)
      for (int x = std::max(0, at(own.x) - 1); x <= std::min(kSide - 1, at(own.x) + 1); ++x)
        for (const std::uint32_t k : cell[static_cast<std::size_t>(z * kSide + x)])
          if (const float d = glm::distance(own, p.position[k]); d <= kNear)
            nearest[static_cast<std::size_t>(kind[k])] = std::min(nearest[static_cast<std::size_t>(kind[k])], d);
    kind[i] = farthest(i, nearest);
    cell[static_cast<std::size_t>(at(own.z) * kSide + at(own.x))].push_back(i);
  }
  benchmark::DoNotOptimize(kind.data());
}

void unlike() {
  const UnlikeNeighbors found = chooseUnlike({}, crowd(), Draw(1, 2, 3, "order"), kNear, 8, &farthest);
  benchmark::DoNotOptimize(found.kind.data());
}

}  // namespace

void addCourses() {
  add({"courses 1 M", "two loops that ask nothing of the part", false, 20, cells, cellsByPlainLoop});
  add({"loose pieces of 1 M triangles", "plain loop: triangles per place, a queue", true, 1, pieces,
       piecesByPlainLoop});
  add({"unlike neighbors 1 M", "plain loop, one after the other", true, 1, unlike, unlikeByPlainLoop});
}

}  // namespace arvesk::bench
