// Merge: several sets of points as one.
#include "core/nodes/deliver/merge.h"

#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <cstring>

namespace arvesk::nodes {
namespace {

template <typename T>
Column<T> joined(const std::vector<const Points*>& parts, std::size_t total, Column<T> Points::*member) {
  const Column<T>& first = parts.front()->*member;
  if (parts.size() == 1 || std::all_of(parts.begin(), parts.end(), [&](const Points* part) {
        const Column<T>& c = part->*member;
        return c.isConstant() && first.isConstant() && std::memcmp(&c.constant(), &first.constant(), sizeof(T)) == 0;
      }))
    return first;  // shared, or the same for all
  Array<T> out(total);
  std::size_t at = 0;
  for (const Points* part : parts)
    for (std::size_t i = 0; i < part->count; ++i) out[at++] = (part->*member)[i];
  return Column<T>(std::move(out));
}

/// A point keeps its level when its id changes.
Column<float> joinedLevels(const std::vector<const Points*>& parts, std::size_t total) {
  if (std::all_of(parts.begin(), parts.end(), [&](const Points* p) {
        return p->draftLevel.isConstant() && p->draftLevel.constant() == parts.front()->draftLevel[0] &&
               p->draftLevel.constant() != kDraftByRank;
      }))
    return parts.front()->draftLevel;
  Array<float> out(total);
  std::size_t at = 0;
  for (const Points* part : parts)
    for (std::size_t i = 0; i < part->count; ++i) out[at++] = part->levelOf(i);
  return Column<float>(std::move(out));
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
  std::size_t total = 0;
  for (const Inputs::Link& link : links) {
    const auto* points = std::get_if<PointsPtr>(&link.value);
    if (!points || !*points) continue;  // an empty place
    parts.push_back(points->get());
    slots.push_back(link.slotUid);
    total += parts.back()->count;
  }
  if (parts.empty()) return std::make_shared<const Points>();
  if (auto ok = guardPoints(ctx, static_cast<double>(total), "Merge fewer points"); !ok) return Failure(ok.error());
  Points out;
  out.count = total;
  out.position = joined(parts, total, &Points::position);
  out.orientation = joined(parts, total, &Points::orientation);
  out.size = joined(parts, total, &Points::size);
  out.footprint = joined(parts, total, &Points::footprint);
  out.groundNormal = joined(parts, total, &Points::groundNormal);
  out.groundFace = joined(parts, total, &Points::groundFace);
  out.groundUv = joined(parts, total, &Points::groundUv);
  out.movedBy = joined(parts, total, &Points::movedBy);
  out.draftLevel = joinedLevels(parts, total);
  std::vector<std::vector<std::int32_t>> maps;
  out.kit = parts.size() == 1 ? parts.front()->kit : unite(parts, maps);
  Array<std::uint64_t> ids(total);
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  std::size_t start = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const Points& part = *parts[k];
    attributes.push_back({&part.attributes, part.count});
    // Every input by its place, the first one too: what one of them does changes no id of another.
    parallelPieces(ctx.task, part.count, 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) ids[start + i] = ctx.idOf(slots[k], part.id[i]);
    });
    start += part.count;
  }
  if (ctx.task.isCancelled()) return Failure(cancelled());
  out.id = std::move(ids);
  if (parts.size() == 1) {
    out.prop = parts.front()->prop;
    out.attributes = parts.front()->attributes;
    return std::make_shared<const Points>(std::move(out));
  }
  Array<std::int32_t> props(total);
  std::size_t at = 0;
  for (std::size_t k = 0; k < parts.size(); ++k)
    for (std::size_t i = 0; i < parts[k]->count; ++i, ++at) {
      const std::int32_t prop = parts[k]->prop[i];
      props[at] = prop == kNoProp ? kNoProp : maps[k][static_cast<std::size_t>(prop)];
    }
  out.prop = std::move(props);
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
