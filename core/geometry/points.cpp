#include "core/geometry/points.h"

#include "core/base/task.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <functional>

namespace arvesk {
namespace {

template <typename T>
bool sameBits(const T& a, const T& b) {
  return std::memcmp(&a, &b, sizeof(T)) == 0;
}

template <typename T>
std::optional<std::string> differ(const char* name, const Column<T>& a, const Column<T>& b, std::size_t count) {
  for (std::size_t i = 0; i < count; ++i)
    if (!sameBits(a[i], b[i])) return fmt::format("{} of point {} differs", name, i);
  return {};
}

}  // namespace

void Points::countBytes(ByteCounter& counter) const {
  position.countBytes(counter);
  orientation.countBytes(counter);
  size.countBytes(counter);
  footprint.countBytes(counter);
  groundNormal.countBytes(counter);
  groundFace.countBytes(counter);
  groundUv.countBytes(counter);
  movedBy.countBytes(counter);
  id.countBytes(counter);
  prop.countBytes(counter);
  draftLevel.countBytes(counter);
  isKept.countBytes(counter);
  arvesk::countBytes(attributes, counter);
}

Points gathered(const Points& p, const Array<std::uint32_t>& indices) {
  Points out;
  out.count = indices.size();
  out.kit = p.kit;
  out.most = p.most;
  const auto taken = [&](auto Points::*column) -> std::function<void()> {
    return [&, column] { out.*column = (p.*column).gathered(indices); };
  };
  const std::array columns{taken(&Points::position),
                           taken(&Points::orientation),
                           taken(&Points::size),
                           taken(&Points::footprint),
                           taken(&Points::groundNormal),
                           taken(&Points::groundFace),
                           taken(&Points::groundUv),
                           taken(&Points::movedBy),
                           taken(&Points::id),
                           taken(&Points::draftLevel),
                           taken(&Points::isKept),
                           taken(&Points::prop),
                           std::function<void()>([&] { out.attributes = gathered(p.attributes, indices); })};
  constexpr std::size_t kWorthThreads = 32768;
  if (indices.size() < kWorthThreads)
    for (const auto& take : columns) take();
  else
    parallelPieces({}, columns.size(), 1, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) columns[i]();
    });
  return out;
}

std::pair<PointsPtr, PointsPtr> split(const Points& points, const Array<std::uint8_t>& keeps) {
  ARVESK_ASSERT(keeps.size() == points.count, "one decision per point");
  const auto keptCount = static_cast<std::size_t>(
      std::count_if(keeps.begin(), keeps.end(), [](std::uint8_t k) { return k != 0; }));
  if (keptCount == points.count)
    return {std::make_shared<const Points>(points), std::make_shared<const Points>(gathered(points, {}))};
  Array<std::uint32_t> kept;
  Array<std::uint32_t> left;
  kept.reserve(keptCount);
  left.reserve(points.count - keptCount);
  for (std::size_t i = 0; i < points.count; ++i) (keeps[i] ? kept : left).push_back(static_cast<std::uint32_t>(i));
  return {std::make_shared<const Points>(gathered(points, kept)),
          std::make_shared<const Points>(gathered(points, left))};
}

std::size_t Points::movedCount() const {
  std::size_t moved = 0;
  if (!movedBy.isConstant())
    for (std::size_t i = 0; i < count; ++i) moved += isMoved(i);
  return moved;
}

Most mostOf(const Points& points) {
  Most out{0, 0};
  const std::size_t distinct = points.footprint.isConstant() && points.size.isConstant()
                                   ? std::min<std::size_t>(1, points.count)
                                   : points.count;
  for (std::size_t i = 0; i < distinct; ++i) {
    const Vec3 size = glm::abs(points.size[i]);
    out = out.with({points.footprint[i], std::max({size.x, size.y, size.z})});
  }
  return out;
}

PointsPtr withMost(PointsPtr points, const Most& most) {
  if (!points || points->most == most) return points;
  auto out = std::make_shared<Points>(*points);
  out->most = most;
  return out;
}

PointsPtr withMoves(const Points& before, PointsPtr after) {
  if (after->count != before.count || after->groundFace.isConstant() ||
      after->groundFace.identity() != before.groundFace.identity() ||
      after->position.identity() == before.position.identity())
    return after;
  constexpr float kLeast = 1e-4F;  // less is rounding
  Array<Vec3> moved;               // made for the first that moved: most nodes move none
  if (!before.movedBy.isConstant()) moved = before.movedBy.copied(before.count);
  for (std::size_t i = 0; i < before.count; ++i) {
    if (after->groundFace[i] == kNoFace) continue;
    const Vec3 way = after->position[i] - before.position[i];
    const Vec3 normal = before.groundNormal[i];
    const Vec3 along = way - normal * glm::dot(way, normal);
    const Vec3 level(way.x, 0, way.z);
    const Vec3 step = glm::dot(along, along) < glm::dot(level, level) ? along : level;
    if (glm::dot(step, step) < kLeast * kLeast) continue;
    if (moved.empty()) moved = before.movedBy.copied(before.count);
    moved[i] += step;
  }
  if (moved.empty()) return after;
  auto out = std::make_shared<Points>(*after);
  out->movedBy = std::move(moved);
  return out;
}

std::optional<std::string> findFault(const Points& p) {
  const auto fits = [&](const auto& column) { return column.isConstant() || column.values().size() == p.count; };
  if (!fits(p.position) || !fits(p.orientation) || !fits(p.size) || !fits(p.footprint) || !fits(p.groundNormal) ||
      !fits(p.groundFace) || !fits(p.groundUv) || !fits(p.movedBy) || !fits(p.id) || !fits(p.prop) ||
      !fits(p.draftLevel) || !fits(p.isKept))
    return "an array does not have one value per point";
  Array<std::uint64_t> ids = p.id.copied(p.count);
  std::sort(ids.begin(), ids.end());
  if (const auto twice = std::adjacent_find(ids.begin(), ids.end()); twice != ids.end())
    return fmt::format("id {} is used twice", *twice);
  for (std::size_t i = 0; i < p.count; ++i)
    if (!isFinite(p.position[i])) return fmt::format("position of point {} is not finite", i);
  return {};
}

std::optional<std::string> findDifference(const Points& a, const Points& b) {
  if (a.count != b.count) return fmt::format("{} points against {}", a.count, b.count);
  if (auto d = differ("id", a.id, b.id, a.count)) return d;
  if (auto d = differ("position", a.position, b.position, a.count)) return d;
  if (auto d = differ("orientation", a.orientation, b.orientation, a.count)) return d;
  if (auto d = differ("size", a.size, b.size, a.count)) return d;
  if (auto d = differ("footprint", a.footprint, b.footprint, a.count)) return d;
  if (auto d = differ("ground normal", a.groundNormal, b.groundNormal, a.count)) return d;
  if (auto d = differ("ground face", a.groundFace, b.groundFace, a.count)) return d;
  if (auto d = differ("ground uv", a.groundUv, b.groundUv, a.count)) return d;
  if (auto d = differ("moved", a.movedBy, b.movedBy, a.count)) return d;
  if (auto d = differ("draft level", a.draftLevel, b.draftLevel, a.count)) return d;
  if (auto d = differ("kept", a.isKept, b.isKept, a.count)) return d;
  if (auto d = differ("prop", a.prop, b.prop, a.count)) return d;
  if ((a.kit == nullptr) != (b.kit == nullptr)) return "only one has a kit";
  for (const auto& attribute : a.attributes) {
    const std::string& name = attribute.first;
    const AttributeColumn& column = attribute.second;
    const auto other = b.attributes.find(name);
    if (other == b.attributes.end()) return fmt::format("only one carries {}", name);
    if (other->second.index() != column.index()) return fmt::format("{} is of another type", name);
    if (auto d = std::visit(
            [&](const auto& mine) -> std::optional<std::string> {
              using C = std::decay_t<decltype(mine)>;
              const C& yours = std::get<C>(other->second);
              if constexpr (std::is_same_v<C, TextColumn>) {
                for (std::size_t i = 0; i < a.count; ++i)
                  if (mine.at(i) != yours.at(i)) return fmt::format("{} of point {} differs", name, i);
                return {};
              } else {
                return differ(name.c_str(), mine, yours, a.count);
              }
            },
            column))
      return d;
  }
  for (const auto& [name, column] : b.attributes)
    if (!a.attributes.contains(name)) return fmt::format("only one carries {}", name);
  return {};
}

}  // namespace arvesk
