#include "core/geometry/joined.h"

#include "core/geometry/prop.h"

#include <algorithm>
#include <cstring>

namespace arvesk {
namespace {

/// valueOf(which part, which of its points), for all points of all parts.
template <typename T, typename ValueOf>
Array<T> oneByOne(const Task& task, const std::vector<const Points*>& parts, std::size_t total, ValueOf valueOf) {
  Array<T> out(total);
  std::size_t start = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    parallelPieces(task, parts[k]->count, 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) out[start + i] = valueOf(k, i);
    });
    start += parts[k]->count;
  }
  return out;
}

template <typename T>
Column<T> joined(const Task& task, const std::vector<const Points*>& parts, std::size_t total,
                 Column<T> Points::*member) {
  const Column<T>& first = parts.front()->*member;
  if (parts.size() == 1 || std::all_of(parts.begin(), parts.end(), [&](const Points* part) {
        const Column<T>& c = part->*member;
        return c.isConstant() && first.isConstant() && std::memcmp(&c.constant(), &first.constant(), sizeof(T)) == 0;
      }))
    return first;  // shared, or the same for all
  return Column<T>(
      oneByOne<T>(task, parts, total, [&](std::size_t k, std::size_t i) { return (parts[k]->*member)[i]; }));
}

/// A point keeps its level when its id changes.
Column<float> joinedLevels(const Task& task, const std::vector<const Points*>& parts, std::size_t total) {
  if (std::all_of(parts.begin(), parts.end(), [&](const Points* p) {
        return p->draftLevel.isConstant() && p->draftLevel.constant() == parts.front()->draftLevel[0] &&
               p->draftLevel.constant() != kDraftByRank;
      }))
    return parts.front()->draftLevel;
  return Column<float>(
      oneByOne<float>(task, parts, total, [&](std::size_t k, std::size_t i) { return parts[k]->levelOf(i); }));
}

/// The united kit, and for each part where its props went.
KitPtr unite(const std::vector<const Points*>& parts, std::vector<std::vector<std::int32_t>>& maps) {
  auto kit = std::make_shared<Kit>();
  std::map<const Prop*, std::int32_t> places;
  for (const Points* part : parts) {
    std::vector<std::int32_t>& map = maps.emplace_back();
    if (!part->kit) continue;
    for (const KitEntry& e : part->kit->entries) {
      const auto [it, isNew] = places.emplace(e.prop.get(), static_cast<std::int32_t>(kit->entries.size()));
      if (isNew) kit->entries.push_back(e);
      map.push_back(it->second);
    }
  }
  return kit->entries.empty() ? nullptr : kit;
}

}  // namespace

PointsPtr oneAfterTheOther(const Task& task, const std::vector<const Points*>& parts,
                           const std::function<std::uint64_t(std::size_t part, std::size_t i)>& idOf) {
  std::size_t total = 0;
  for (const Points* part : parts) total += part->count;
  if (parts.empty()) return std::make_shared<const Points>();
  Points out;
  out.count = total;
  out.position = joined(task, parts, total, &Points::position);
  out.orientation = joined(task, parts, total, &Points::orientation);
  out.size = joined(task, parts, total, &Points::size);
  out.footprint = joined(task, parts, total, &Points::footprint);
  out.groundNormal = joined(task, parts, total, &Points::groundNormal);
  out.groundFace = joined(task, parts, total, &Points::groundFace);
  out.groundUv = joined(task, parts, total, &Points::groundUv);
  out.movedBy = joined(task, parts, total, &Points::movedBy);
  out.isKept = joined(task, parts, total, &Points::isKept);
  out.draftLevel = joinedLevels(task, parts, total);
  std::vector<std::vector<std::int32_t>> maps;
  const bool isOneKit = std::all_of(parts.begin(), parts.end(),
                                    [&](const Points* p) { return p->kit == parts.front()->kit; });
  out.kit = isOneKit ? parts.front()->kit : unite(parts, maps);
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  for (const Points* part : parts) attributes.push_back({&part->attributes, part->count});
  Array<std::uint64_t> ids = oneByOne<std::uint64_t>(task, parts, total, idOf);
  if (task.isCancelled()) return nullptr;
  out.id = std::move(ids);
  if (parts.size() == 1) {
    out.prop = parts.front()->prop;
    out.attributes = parts.front()->attributes;
    return std::make_shared<const Points>(std::move(out));
  }
  if (isOneKit)
    out.prop = joined(task, parts, total, &Points::prop);
  else
    out.prop = oneByOne<std::int32_t>(task, parts, total, [&](std::size_t k, std::size_t i) {
      const std::int32_t prop = parts[k]->prop[i];
      return prop == kNoProp ? kNoProp : maps[k][static_cast<std::size_t>(prop)];
    });
  out.attributes = concatenated(attributes);
  return std::make_shared<const Points>(std::move(out));
}

void keepWhatIsKept(const Task& task, PointsPtr& staying, PointsPtr& leftOut) {
  const Column<std::uint8_t>& kept = leftOut->isKept;
  if (kept.isConstant() && kept.constant() == 0) return;
  Array<std::uint8_t> isKept(leftOut->count);
  bool isAny = false;
  for (std::size_t i = 0; i < leftOut->count; ++i) isAny |= (isKept[i] = kept[i]) != 0;
  if (!isAny) return;
  const auto [back, gone] = split(*leftOut, isKept);
  const std::vector<const Points*> parts{staying.get(), back.get()};
  if (const PointsPtr all = oneAfterTheOther(task, parts,
                                             [&](std::size_t k, std::size_t i) { return parts[k]->id[i]; })) {
    staying = all;
    leftOut = gone;
  }
}

}  // namespace arvesk
