// Merge: several sets of points as one.
#include "core/nodes/deliver/merge.h"

#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

template <typename T>
Column<T> joined(const std::vector<const Points*>& parts, std::size_t total, Column<T> Points::*member) {
  Array<T> out(total);
  std::size_t at = 0;
  for (const Points* part : parts)
    for (std::size_t i = 0; i < part->count; ++i) out[at++] = (part->*member)[i];
  return Column<T>(std::move(out));
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
  if (links.empty()) return std::make_shared<const Points>();
  std::vector<const Points*> parts;
  std::size_t total = 0;
  for (const Inputs::Link& link : links) {
    parts.push_back(std::get<PointsPtr>(link.value).get());
    total += parts.back()->count;
  }
  if (parts.size() == 1) return std::get<PointsPtr>(links.front().value);
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
  std::vector<std::vector<std::int32_t>> maps;
  out.kit = unite(parts, maps);
  Array<std::uint64_t> ids(total);
  Array<std::int32_t> props(total);
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  std::size_t at = 0;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    attributes.push_back({&parts[k]->attributes, parts[k]->count});
    for (std::size_t i = 0; i < parts[k]->count; ++i, ++at) {
      ids[at] = k == 0 ? parts[k]->id[i] : hashOf(links[k].slotUid, parts[k]->id[i]);
      const std::int32_t prop = parts[k]->prop[i];
      props[at] = prop == kNoProp ? kNoProp : maps[k][static_cast<std::size_t>(prop)];
    }
  }
  out.id = std::move(ids);
  out.prop = std::move(props);
  out.attributes = concatenated(attributes);
  return std::make_shared<const Points>(std::move(out));
}

const NodeKind& merge() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "merge";
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Merge");
    k.help = ARVESK_TEXT("node",
                         "Puts several sets of points together, one after the other; attributes are united. The first "
                         "input keeps its ids, the others are keyed by their own place at this node.");
    k.glyph = "merge";
    k.synonyms = {"join", "combine", "add", "union"};
    k.inputs = {{"points", ValueType::Points, ARVESK_TEXT("node", "Points"),
                 ARVESK_TEXT("node", "Sets of points, in order."), false, true}};
    k.outputs = {pointsOutput()};
    k.evaluate = &evaluate;
    k.sentence = [](const ParamMap&) { return std::string("Merge"); };
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
