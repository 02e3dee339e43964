#include "core/spatial/prop_room.h"

#include "core/base/task.h"
#include "core/geometry/file_parts.h"

#include <algorithm>
#include <numeric>

namespace arvesk {
namespace {

constexpr std::size_t kMostPieces = 32;  // a power of two, so that halving it ends at one
constexpr std::size_t kDirections = 128;

/// Directions spread evenly over the sphere by the golden angle (Gonzalez, "Measurement of areas on a sphere using
/// Fibonacci and latitude-longitude lattices", 2010), and those of the axes.
std::vector<Vec3> spreadDirections() {
  std::vector<Vec3> out{{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}};
  const float golden = kPi * (3 - std::sqrt(5.0F));
  for (std::size_t k = 0; k < kDirections; ++k) {
    const float y = 1 - (2 * static_cast<float>(k) + 1) / static_cast<float>(kDirections);
    const float around = golden * static_cast<float>(k);
    const float r = std::sqrt(1 - y * y);
    out.push_back({r * std::cos(around), y, r * std::sin(around)});
  }
  return out;
}

/// The corners that count for the hull; all of them where they are few.
std::vector<Vec3> outermost(std::vector<Vec3> corners) {
  const auto isBefore = [](const Vec3& a, const Vec3& b) {
    return a.x != b.x ? a.x < b.x : a.y != b.y ? a.y < b.y : a.z < b.z;
  };
  std::sort(corners.begin(), corners.end(), isBefore);
  corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
  if (corners.size() <= kDirections) return corners;
  std::vector<std::uint8_t> counts(corners.size(), 0);
  for (const Vec3& d : spreadDirections()) {
    endIfStopped();
    std::size_t best = 0;
    float most = std::numeric_limits<float>::lowest();
    for (std::size_t i = 0; i < corners.size(); ++i)
      if (const float along = glm::dot(corners[i], d); along > most) {
        most = along;
        best = i;
      }
    counts[best] = 1;
  }
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < corners.size(); ++i)
    if (counts[i]) out.push_back(corners[i]);
  return out;
}

HullPiece hullOf(std::vector<Vec3> corners) {
  HullPiece out;
  out.corners = outermost(std::move(corners));
  Box3 box;
  for (const Vec3& c : out.corners) box.add(c);
  out.middle = 0.5F * (box.min + box.max);
  const Vec3 half = 0.5F * box.extent();
  out.thinnest = std::min({half.x, half.y, half.z});
  for (const Vec3& c : out.corners) out.radius = std::max(out.radius, glm::distance(c, out.middle));
  return out;
}

/// What of a triangle lies at or below `upTo`: its corners there, and where its sides cross.
void addBelow(std::vector<Vec3>& to, const std::array<Vec3, 3>& t, float upTo) {
  for (std::size_t k = 0; k < 3; ++k) {
    const Vec3& a = t[k];
    const Vec3& b = t[(k + 1) % 3];
    if (a.y <= upTo) to.push_back(a);
    if ((a.y <= upTo) == (b.y <= upTo)) continue;
    const float along = (upTo - a.y) / (b.y - a.y);
    to.push_back({a.x + along * (b.x - a.x), upTo, a.z + along * (b.z - a.z)});
  }
}

/// Halves what lies together until there are few enough, and makes a hull of each.
void divide(std::vector<std::vector<Vec3>>& pieces, const std::vector<Vec3>& middles, std::vector<std::uint32_t> which,
            std::size_t most, std::vector<HullPiece>& out) {
  if (which.empty()) return;
  if (which.size() == 1 || most == 1) {
    std::vector<Vec3> corners;
    for (const std::uint32_t k : which) corners.insert(corners.end(), pieces[k].begin(), pieces[k].end());
    out.push_back(hullOf(std::move(corners)));
    return;
  }
  Box3 box;
  for (const std::uint32_t k : which) box.add(middles[k]);
  const Vec3 extent = box.extent();
  const int axis = extent.x >= extent.y && extent.x >= extent.z ? 0 : extent.y >= extent.z ? 1 : 2;
  std::sort(which.begin(), which.end(), [&](std::uint32_t a, std::uint32_t b) {
    return middles[a][axis] != middles[b][axis] ? middles[a][axis] < middles[b][axis] : a < b;
  });
  const auto half = which.begin() + static_cast<std::ptrdiff_t>(which.size() / 2);
  divide(pieces, middles, {which.begin(), half}, most / 2, out);
  divide(pieces, middles, {half, which.end()}, most / 2, out);
}

std::vector<HullPiece> piecesOf(const Surface& s, float upTo) {
  const auto loose = loosePiecesOf(s);
  std::vector<std::vector<Vec3>> pieces;
  std::vector<Vec3> middles;
  for (std::size_t p = 0; p < loose->count(); ++p) {
    endIfStoppedAt(p);
    std::vector<Vec3> corners;
    for (const std::uint32_t t : loose->of(p)) {
      const UVec3& v = s.triangles[t];
      addBelow(corners, {s.positions[v.x], s.positions[v.y], s.positions[v.z]}, upTo);
    }
    if (corners.empty()) continue;
    Box3 box;
    for (const Vec3& c : corners) box.add(c);
    middles.push_back(0.5F * (box.min + box.max));
    pieces.push_back(std::move(corners));
  }
  std::vector<std::uint32_t> all(pieces.size());
  std::iota(all.begin(), all.end(), 0U);
  std::vector<HullPiece> out;
  divide(pieces, middles, std::move(all), kMostPieces, out);
  return out;
}

}  // namespace

void PropRoom::countBytes(ByteCounter& counter) const {
  std::size_t bytes = sizeof(PropRoom) + pieces.capacity() * sizeof(HullPiece);
  for (const HullPiece& piece : pieces) bytes += piece.corners.capacity() * sizeof(Vec3);
  counter.add(this, bytes);
}

std::shared_ptr<const PropRoom> roomOf(const Prop& prop, Footprint which, bool withPieces) {
  const Surface& s = *prop.surface;
  const std::uint64_t key = (which == Footprint::Base ? 1U : 0U) + (withPieces ? 2U : 0U);
  return s.derived.get<PropRoom>(key, [&] {
    auto out = std::make_shared<PropRoom>();
    const Box3 all = s.bounds();
    const float upTo = which == Footprint::Base ? all.min.y + 0.1F * all.extent().y : all.max.y;
    Box3 box;
    float squared = 0;
    for (const Vec3& p : s.positions)
      if (p.y <= upTo) {
        box.add(p);
        squared = std::max(squared, p.x * p.x + p.z * p.z);
      }
    if (s.positions.empty()) return out;
    out->middle = 0.5F * (box.min + box.max);
    out->half = 0.5F * box.extent();
    out->footprint = std::sqrt(squared);
    if (withPieces) out->pieces = piecesOf(s, upTo);
    return out;
  });
}

}  // namespace arvesk
