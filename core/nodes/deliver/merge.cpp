// Merge: several sets of points as one.
#include "core/nodes/deliver/merge.h"

#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <cstring>

namespace arvesk::nodes {
namespace {

/// valueOf(which part, which of its points), for all points of all parts.
template <typename T, typename ValueOf>
Array<T> oneByOne(const EvalContext& ctx, const std::vector<const Points*>& parts, std::size_t total, ValueOf valueOf) {
  Array<T> out(total);
  std::size_t start = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    parallelPieces(ctx.task, parts[k]->count, 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) out[start + i] = valueOf(k, i);
    });
    start += parts[k]->count;
  }
  return out;
}

template <typename T>
Column<T> joined(const EvalContext& ctx, const std::vector<const Points*>& parts, std::size_t total,
                 Column<T> Points::*member) {
  const Column<T>& first = parts.front()->*member;
  if (parts.size() == 1 || std::all_of(parts.begin(), parts.end(), [&](const Points* part) {
        const Column<T>& c = part->*member;
        return c.isConstant() && first.isConstant() && std::memcmp(&c.constant(), &first.constant(), sizeof(T)) == 0;
      }))
    return first;  // shared, or the same for all
  return Column<T>(
      oneByOne<T>(ctx, parts, total, [&](std::size_t k, std::size_t i) { return (parts[k]->*member)[i]; }));
}

/// A point keeps its level when its id changes.
Column<float> joinedLevels(const EvalContext& ctx, const std::vector<const Points*>& parts, std::size_t total) {
  if (std::all_of(parts.begin(), parts.end(), [&](const Points* p) {
        return p->draftLevel.isConstant() && p->draftLevel.constant() == parts.front()->draftLevel[0] &&
               p->draftLevel.constant() != kDraftByRank;
      }))
    return parts.front()->draftLevel;
  return Column<float>(
      oneByOne<float>(ctx, parts, total, [&](std::size_t k, std::size_t i) { return parts[k]->levelOf(i); }));
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

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const ParamMap&) {
  auto points = merged(ctx, in.many("points"));
  if (!points) return Failure(points.error());
  return Outputs{std::move(*points)};
}

}  // namespace

Result<PointsPtr> merged(const EvalContext& ctx, const std::vector<Inputs::Link>& links) {
  std::vector<const Points*> parts;
  std::vector<std::uint64_t> slots;
  for (const Inputs::Link& link : links) {
    const auto* points = std::get_if<PointsPtr>(&link.value);
    if (!points || !*points) continue;  // an empty place
    parts.push_back(points->get());
    slots.push_back(link.slotUid);
  }
  // Every input by its place, the first one too: what one of them does changes no id of another.
  return oneAfterTheOther(ctx, parts,
                          [&](std::size_t k, std::size_t i) { return ctx.idOf(slots[k], parts[k]->id[i]); });
}

Result<PointsPtr> oneAfterTheOther(const EvalContext& ctx, const std::vector<const Points*>& parts,
                                   const std::function<std::uint64_t(std::size_t part, std::size_t i)>& idOf) {
  std::size_t total = 0;
  for (const Points* part : parts) total += part->count;
  if (parts.empty()) return std::make_shared<const Points>();
  if (auto ok = guardPoints(ctx, static_cast<double>(total), "Merge fewer points"); !ok) return Failure(ok.error());
  Points out;
  out.count = total;
  out.position = joined(ctx, parts, total, &Points::position);
  out.orientation = joined(ctx, parts, total, &Points::orientation);
  out.size = joined(ctx, parts, total, &Points::size);
  out.footprint = joined(ctx, parts, total, &Points::footprint);
  out.groundNormal = joined(ctx, parts, total, &Points::groundNormal);
  out.groundFace = joined(ctx, parts, total, &Points::groundFace);
  out.groundUv = joined(ctx, parts, total, &Points::groundUv);
  out.movedBy = joined(ctx, parts, total, &Points::movedBy);
  out.draftLevel = joinedLevels(ctx, parts, total);
  std::vector<std::vector<std::int32_t>> maps;
  out.kit = parts.size() == 1 ? parts.front()->kit : unite(parts, maps);
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  for (const Points* part : parts) attributes.push_back({&part->attributes, part->count});
  Array<std::uint64_t> ids = oneByOne<std::uint64_t>(ctx, parts, total, idOf);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  out.id = std::move(ids);
  if (parts.size() == 1) {
    out.prop = parts.front()->prop;
    out.attributes = parts.front()->attributes;
    return std::make_shared<const Points>(std::move(out));
  }
  out.prop = oneByOne<std::int32_t>(ctx, parts, total, [&](std::size_t k, std::size_t i) {
    const std::int32_t prop = parts[k]->prop[i];
    return prop == kNoProp ? kNoProp : maps[k][static_cast<std::size_t>(prop)];
  });
  out.attributes = concatenated(attributes);
  return std::make_shared<const Points>(std::move(out));
}

const NodeKind& merge() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "merge";
    k.example.spacing = 2.2;
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Merge");
    k.help = ARVESK_TEXT("node",
                         "Puts several sets of points together, one after the other; attributes are united. Ids go by "
                         "each input's own place at this node, so that skipping or unlinking one changes nothing of "
                         "the others.");
    k.glyph = "merge";
    k.synonyms = {"join", "combine", "add", "union"};
    k.inputs = {{"points",
                 ValueType::Points,
                 ARVESK_TEXT("node", "Points"),
                 ARVESK_TEXT("node", "Sets of points, in order."),
                 false,
                 true,
                 {},
                 true}};
    k.outputs = {pointsOutput()};
    k.evaluate = &evaluate;
    k.sentence = [](const ParamMap&) { return std::string("Merge"); };
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
