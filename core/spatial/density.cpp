#include "core/spatial/density.h"

#include "core/spatial/surface_index.h"

#include <algorithm>

namespace arvesk {
namespace {

/// Around what is above 0 in a brick, in lattice numbers.
Box3 heldBy(const float* values, const IVec3& brick) {
  Box3 out;
  const Vec3 first = static_cast<float>(Density::kEdge) * Vec3(brick);
  for (int z = 0; z < Density::kSide; ++z)
    for (int y = 0; y < Density::kSide; ++y)
      for (int x = 0; x < Density::kSide; ++x)
        if (*values++ > 0) out.add(first + Vec3(IVec3(x, y, z)));
  if (out.isEmpty()) return out;
  // Up to the neighbors, where it has faded; those of other bricks are theirs.
  return {glm::max(out.min - 1.0F, first), glm::min(out.max + 1.0F, first + static_cast<float>(Density::kEdge))};
}

}  // namespace

Result<DensityPtr> Density::of(const Lattice& lattice, std::vector<IVec3> places, Array<float> values, Look look) {
  ARVESK_ASSERT(values.size() == places.size() * kPerBrick, "each brick has its numbers");
  std::shared_ptr<Density> out(new Density);
  out->m_look = look;
  out->m_places = std::move(places);
  out->m_values = std::make_shared<const Array<float>>(std::move(values));
  return made(std::move(out), lattice);
}

Result<DensityPtr> Density::placed(const Lattice& lattice, Look look) const {
  std::shared_ptr<Density> out(new Density);
  out->m_look = look;
  out->m_places = m_places;
  out->m_values = m_values;
  return made(std::move(out), lattice);
}

Result<DensityPtr> Density::made(std::shared_ptr<Density> out, const Lattice& lattice) {
  const double size = std::abs(glm::determinant(lattice.axes));
  const glm::dmat3 back = glm::inverse(lattice.axes);
  bool isSound = size > 0 && std::isfinite(size) && isFinite(Vec3(lattice.origin));
  for (int k = 0; k < 3; ++k) isSound = isSound && isFinite(Vec3(lattice.axes[k])) && isFinite(Vec3(back[k]));
  if (!isSound) return fail(ProblemCode::FileUnreadable, "its lattice is flat, or no place", "Write it again");
  out->m_lattice = lattice;
  out->m_toLattice = Mat3(back);
  out->m_origin = Vec3(lattice.origin);
  if (!out->makeTable())
    return fail(ProblemCode::TooMany, "what it holds lies too far apart for its voxel size", "Raise the voxel size");
  out->makeBounds();
  return std::shared_ptr<const Density>(std::move(out));
}

Result<DensityPtr> Density::filled(const Lattice& lattice, const std::vector<IVec3>& places, const Filler& fill,
                                   Look look, const Task& task) {
  // By runs, so that nothing is held for bricks that stay empty but one run.
  constexpr std::size_t kRun = 64;
  struct Part {
    std::vector<IVec3> places;
    Array<float> values;
  };
  std::vector<Part> parts((places.size() + kRun - 1) / kRun);
  parallelPieces(task, places.size(), kRun, [&](std::size_t begin, std::size_t end) {
    Part& part = parts[begin / kRun];
    std::array<float, kPerBrick> brick;
    for (std::size_t i = begin; i < end && !task.isCancelled(); ++i) {
      if (!fill(kEdge * places[i], brick.data())) continue;
      part.places.push_back(places[i]);
      part.values.insert(part.values.end(), brick.begin(), brick.end());
    }
  });
  if (task.isCancelled()) return Failure(cancelled());
  std::size_t count = 0;
  for (const Part& part : parts) count += part.places.size();
  std::vector<IVec3> held;
  Array<float> values;
  held.reserve(count);
  values.reserve(count * kPerBrick);
  for (Part& part : parts) {
    endIfStopped();
    held.insert(held.end(), part.places.begin(), part.places.end());
    values.insert(values.end(), part.values.begin(), part.values.end());
    part = {};
  }
  return of(lattice, std::move(held), std::move(values), look);
}

bool Density::makeTable() {
  m_rooms = IVec3(0);
  if (m_places.empty()) return true;
  IVec3 low(std::numeric_limits<int>::max());
  IVec3 high(std::numeric_limits<int>::lowest());
  for (const IVec3& p : m_places) {
    if (glm::any(glm::greaterThan(glm::abs(p), IVec3(100'000'000)))) return false;
    low = glm::min(low, p >> 4);
    high = glm::max(high, p >> 4);
  }
  m_firstRoom = low;
  m_rooms = high - low + 1;
  const double rooms = static_cast<double>(m_rooms.x) * m_rooms.y * m_rooms.z;
  if (rooms > static_cast<double>(kMostRooms)) return false;
  m_roomOf.assign(static_cast<std::size_t>(rooms), -1);
  std::int32_t count = 0;
  constexpr std::size_t kPerRoom = std::size_t{kRoom} * kRoom * kRoom;
  for (std::size_t i = 0; i < m_places.size(); ++i) {
    const IVec3 r = (m_places[i] >> 4) - m_firstRoom;
    std::int32_t& room =
        m_roomOf[(static_cast<std::size_t>(r.z) * static_cast<std::size_t>(m_rooms.y) + static_cast<std::size_t>(r.y)) *
                     static_cast<std::size_t>(m_rooms.x) +
                 static_cast<std::size_t>(r.x)];
    if (room < 0) {
      room = count++;
      m_brickOf.insert(m_brickOf.end(), kPerRoom, -1);
    }
    const IVec3 b = m_places[i] & (kRoom - 1);
    m_brickOf[static_cast<std::size_t>(room) * kPerRoom + static_cast<std::size_t>((b.z * kRoom + b.y) * kRoom + b.x)] =
        static_cast<std::int32_t>(i);
  }
  return true;
}

void Density::makeBounds() {
  m_mostOf.resize(m_places.size());
  m_leastOf.resize(m_places.size());
  for (std::size_t i = 0; i < m_places.size(); ++i) {
    if ((i & 63U) == 0) endIfStopped();
    const float* values = m_values->data() + i * kPerBrick;
    const auto [least, most] = std::minmax_element(values, values + kPerBrick);
    m_leastOf[i] = *least;
    m_mostOf[i] = *most;
    m_most = std::max(m_most, *most);
    const Box3 held = heldBy(values, m_places[i]);
    if (held.isEmpty()) continue;
    m_own.add(held);
  }
  if (m_own.isEmpty()) return;
  for (int i = 0; i < 8; ++i)
    m_bounds.add(worldAt(
        {i & 1 ? m_own.max.x : m_own.min.x, i & 2 ? m_own.max.y : m_own.min.y, i & 4 ? m_own.max.z : m_own.min.z}));
  m_bounds = withRounding(m_bounds);
}

Vec3 Density::worldAt(const Vec3& lattice) const { return Vec3(m_lattice.origin + m_lattice.axes * DVec3(lattice)); }

float Density::voxelSize() const {
  return static_cast<float>(
      std::max({glm::length(m_lattice.axes[0]), glm::length(m_lattice.axes[1]), glm::length(m_lattice.axes[2])}));
}

float Density::at(const Vec3& place) const {
  if (!m_bounds.holds(place)) return 0;
  const Vec3 own = m_toLattice * (place - m_origin);
  const IVec3 brick = IVec3(glm::floor(own / static_cast<float>(kEdge)));
  const std::int32_t i = brickAt(brick);
  if (i < 0) return 0;
  return between(m_values->data() + static_cast<std::size_t>(i) * kPerBrick,
                 own - static_cast<float>(kEdge) * Vec3(brick));
}

float Density::along(const Vec3& origin, const Vec3& direction, float from, float to, float enough) const {
  float sum = 0;
  walk(origin, direction, from, to, [&](const float* values, const Vec3& local, const Vec3& step, float a, float b) {
    const float length = b - a;
    const auto count = static_cast<int>(std::ceil(length * glm::length(step)));
    if (count < 1) return true;
    const float each = length / static_cast<float>(count);
    float part = 0;
    for (int k = 0; k < count; ++k) part += between(values, local + (a + (static_cast<float>(k) + 0.5F) * each) * step);
    sum += part * each;
    return sum < enough;
  });
  return sum;
}

Side Density::sideOf(const Box3& box) const {
  if (!m_bounds.overlaps(box)) return Side::Outside;
  Box3 own;
  for (int i = 0; i < 8; ++i)
    own.add(
        m_toLattice *
        (Vec3(i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z) - m_origin));
  own = {own.min - 1e-3F, own.max + 1e-3F};
  if (!m_own.overlaps(own)) return Side::Outside;
  const IVec3 low = IVec3(glm::floor(glm::max(own.min, m_own.min) / static_cast<float>(kEdge)));
  const IVec3 high = IVec3(glm::floor(glm::min(own.max, m_own.max) / static_cast<float>(kEdge)));
  const bool isPast = glm::any(glm::lessThan(own.min, m_own.min)) || glm::any(glm::greaterThan(own.max, m_own.max));
  constexpr double kMost = 512;
  const DVec3 size(high - low + 1);
  if (size.x * size.y * size.z > kMost) return Side::Mixed;
  float least = isPast ? 0 : std::numeric_limits<float>::infinity();
  float most = 0;
  for (int z = low.z; z <= high.z; ++z)
    for (int y = low.y; y <= high.y; ++y)
      for (int x = low.x; x <= high.x; ++x) {
        const std::int32_t i = brickAt({x, y, z});
        least = std::min(least, i < 0 ? 0 : m_leastOf[static_cast<std::size_t>(i)]);
        most = std::max(most, i < 0 ? 0 : m_mostOf[static_cast<std::size_t>(i)]);
      }
  return most <= m_look.edge ? Side::Outside : least > m_look.edge ? Side::Inside : Side::Mixed;
}

void Density::countBytes(ByteCounter& counter) const {
  counter.add(m_values.get(), m_values->capacity() * sizeof(float));
  counter.add(this, sizeof(*this) + m_places.capacity() * sizeof(IVec3) +
                        (m_mostOf.capacity() + m_leastOf.capacity()) * sizeof(float) +
                        (m_roomOf.capacity() + m_brickOf.capacity()) * sizeof(std::int32_t));
}

}  // namespace arvesk
