#include "core/deliver/why_here.h"

#include "core/plan/dials.h"
#include "core/props/quantities.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

/// The plan as it was evaluated: with what follows dials at its value.
Plan followed(const Plan& plan, Quality quality) {
  Plan now = plan;
  followDials(now, quality);
  return now;
}

/// Why the node judged each of `points` as it did, by its own account.
std::vector<std::string> explained(const Plan& plan, const Evaluation& evaluation, const Node& node,
                                   const NodeKind& kind, const Points& points, const Task& task) {
  EvalContext ctx = contextOf(plan, node);
  ctx.task = {task.stop, {}};
  std::optional<Histogram> histogram;
  std::size_t candidates = 0;
  ctx.candidates = &candidates;
  ctx.histogram = &histogram;
  return kind.explain(ctx, inputsOf(plan, evaluation, node), node.params, points);
}

/// What a kind says of a place by itself.
std::string saidOf(const Plan& plan, const Evaluation& evaluation, const Node& node, const NodeKind& kind,
                   const Vec3& place, float radius, const Task& task) {
  EvalContext ctx = contextOf(plan, node);
  ctx.task = {task.stop, {}};
  return kind.explainPlace(ctx, inputsOf(plan, evaluation, node), node.params, place, radius);
}

/// Those of `points` that lie within the radius of the spot, as a small set of their own.
Points nearOf(const Points& points, const Vec3& spot, float radius) {
  Array<std::uint32_t> indices;
  for (std::size_t i = 0; i < points.count; ++i) {
    const Vec3 d = points.position[i] - spot;
    if (glm::dot(d, d) <= radius * radius) indices.push_back(static_cast<std::uint32_t>(i));
  }
  return gathered(points, indices);
}

std::string placedAs(const Points& points, std::size_t i) {
  if (points.prop[i] == kNoProp || !points.kit) return "placed, without a prop";
  return "placed as " + points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->name;
}

WhySource sourceAt(const Node& node, const Inputs& in, const Vec3& spot, float radius) {
  const SurfacePtr surface = in.surface("surface");
  const auto index = surface ? SurfaceIndex::of(*surface) : Result<std::shared_ptr<const SurfaceIndex>>(nullptr);
  if (!surface || !index || !*index) return {};
  const SurfaceHit hit = (*index)->nearest(spot, std::max(radius, 0.01F));
  if (!hit.isHit()) return {};
  const MaskPtr where = in.mask("where");
  if (!where) return {node.uid, "scatters here, everywhere alike"};
  const GroundPlace ground = groundPlaceOf(*surface, hit);
  Points place;
  place.count = 1;
  place.position = Column<Vec3>(ground.position);
  place.groundNormal = Column<Vec3>(ground.normal);
  place.groundFace = Column<std::uint32_t>(ground.face);
  place.groundUv = Column<Vec2>(ground.uv);
  float value = 0;
  where->values(place, 0, 1, &value);
  value = std::clamp(value, 0.0F, 1.0F);
  return {node.uid, value <= 0 ? std::string("\"where\" is 0 here: no candidate stays")
                               : fmt::format("\"where\" is {:.2g} here: {:.{}f} of 100 candidates stay", value,
                                             100 * value, value < 0.1F ? 1 : 0)};
}

struct Story {
  const Plan& plan;
  const Evaluation& evaluation;
  const Task& task;
  std::vector<WhyStep> steps;

  static std::optional<std::size_t> indexOf(const Points& points, std::uint64_t id) {
    for (std::size_t i = 0; i < points.count; ++i)
      if (points.id[i] == id) return i;
    return std::nullopt;
  }

  /// The same point before it was keyed anew by the place that it came in by.
  static std::optional<std::size_t> mergedFrom(const Points& points, const EvalContext& ctx, std::uint64_t slot,
                                               std::uint64_t id) {
    for (std::size_t i = 0; i < points.count; ++i)
      if (ctx.idOf(slot, points.id[i]) == id) return i;
    return std::nullopt;
  }

  static std::string changes(const Points& before, std::size_t i, const Points& after, std::size_t k) {
    std::vector<std::string> parts;
    if (const float d = glm::distance(before.position[i], after.position[k]); d > 1e-5F)
      parts.push_back(fmt::format("moved it {:.3g} m", d));
    const float turn = 2 * std::acos(
                               std::clamp(std::abs(glm::dot(before.orientation[i], after.orientation[k])), 0.0F, 1.0F));
    if (turn > 1e-3F) parts.push_back(fmt::format("turned it {:.1f}°", degrees(turn)));
    if (const Vec3 factor = after.size[k] / before.size[i]; glm::length(factor - Vec3(1)) > 1e-4F)
      parts.push_back(std::abs(factor.x - factor.y) < 1e-4F && std::abs(factor.y - factor.z) < 1e-4F
                          ? fmt::format("size × {:.3g}", factor.y)
                          : fmt::format("size × {:.3g}, {:.3g}, {:.3g}", factor.x, factor.y, factor.z));
    const auto nameOf = [](const Points& p, std::size_t at) {
      return p.prop[at] == kNoProp || !p.kit ? std::string()
                                             : p.kit->entries[static_cast<std::size_t>(p.prop[at])].prop->name;
    };
    if (const std::string prop = nameOf(after, k); prop != nameOf(before, i))
      parts.push_back(prop.empty() ? "gave it no prop" : "gave it the prop " + prop);
    for (const auto& [name, column] : after.attributes) {
      float a = 0;
      float b = 0;
      const bool isNumber = std::holds_alternative<Column<float>>(column);
      const bool had = before.attributes.contains(name);
      if (isNumber && readNumbers(after, name, k, k + 1, &a) && (!readNumbers(before, name, i, i + 1, &b) || a != b))
        parts.push_back(fmt::format("{} {:.4g}", name, a));
      else if (!isNumber && !had)
        parts.push_back("wrote " + name);
    }
    std::string all;
    for (const std::string& part : parts) all += (all.empty() ? "" : ", ") + part;
    return all;
  }

  struct Source {
    std::string node;
    std::size_t output;
    PointsPtr points;
    std::uint64_t slot;
  };
  /// What stands at the node's main input, if that takes points.
  std::vector<Source> mainPoints(const Node& node, const NodeKind& kind) const {
    std::vector<Source> out;
    if (kind.inputs.empty() || kind.inputs.front().type != ValueType::Points) return out;
    const auto links = node.inputs.find(kind.inputs.front().id);
    if (links == node.inputs.end()) return out;
    for (const Link& link : links->second) {
      const Node* source = plan.find(link.node);
      const NodeKind* sourceKind = source ? kindOf(*source) : nullptr;
      const auto values = evaluation.values.find(link.node);
      const int from = sourceKind ? sourceKind->outputIndex(link.output) : -1;
      if (from < 0 || values == evaluation.values.end()) continue;
      const auto* points = std::get_if<PointsPtr>(&values->second[static_cast<std::size_t>(from)]);
      if (points && *points) out.push_back({link.node, static_cast<std::size_t>(from), *points, hashText(link.slot)});
    }
    return out;
  }

  void walk(const std::string& uid, std::size_t output, std::size_t k, int depth) {
    const Node* node = plan.find(uid);
    const NodeKind* kind = node ? kindOf(*node) : nullptr;
    const auto values = evaluation.values.find(uid);
    if (!kind || values == evaluation.values.end() || output >= values->second.size() || depth > 1000 ||
        task.isCancelled())
      return;
    const auto* own = std::get_if<PointsPtr>(&values->second[output]);
    if (!own || !*own || k >= (*own)->count) return;
    const Points& after = **own;
    WhyStep step{uid, {}};
    bool isMadeHere = true;
    for (const auto& [from, fromOutput, points, slot] : mainPoints(*node, *kind)) {
      auto i = indexOf(*points, after.id[k]);
      if (!i && kind->family == Family::Deliver) i = mergedFrom(*points, contextOf(plan, *node), slot, after.id[k]);
      // A member of a clump, or what grows on a placement: its parent's way comes first.
      const bool canHaveParents = kind->family == Family::Scatter || kind->family == Family::Dress;
      const auto* parents = canHaveParents && !i ? columnOf<Column<std::uint64_t>>(after.attributes, "parent")
                                                 : nullptr;
      const auto parent = parents ? indexOf(*points, (*parents)[k]) : std::nullopt;
      if (!i && !parent) continue;
      isMadeHere = false;
      walk(from, fromOutput, i ? *i : *parent, depth + 1);
      if (parent) {
        float distance = 0;
        step.what = readNumbers(after, "parent-distance", k, k + 1, &distance)
                        ? fmt::format("made it, {:.3g} m from this parent", distance)
                        : "made it for this parent";
        break;
      }
      step.what = node->isSkipped ? "skipped" : changes(*points, *i, after, k);
      if (kind->explain && !node->isSkipped) {
        const std::vector<std::string> why = explained(plan, evaluation, *node, *kind,
                                                       gathered(*points, {static_cast<std::uint32_t>(*i)}), task);
        if (!why.empty())
          step.what = (output == 0 ? "kept it: " : "left it out: ") + why.front() +
                      (step.what.empty() ? "" : "; " + step.what);
      }
      if (step.what.empty()) step.what = "passed it on";
      break;
    }
    if (isMadeHere) {
      step.what = "made it";
      if (const MaskPtr where = inputsOf(plan, evaluation, *node).mask("where");
          where && kind->family == Family::Scatter) {
        float value = 0;
        where->values(gathered(after, {static_cast<std::uint32_t>(k)}), 0, 1, &value);
        step.what += fmt::format(", \"where\" is {:.3g} there", value);
      }
    }
    steps.push_back(std::move(step));
  }
};

}  // namespace

WhyHere whyHere(const Plan& plan, const Evaluation& evaluation, Quality quality, const Vec3& spot, float radius,
                std::size_t most, const Task& task) {
  const Plan now = followed(plan, quality);
  WhyHere out;
  struct Found {
    WhyPoint point;
    const Node* node;
    const NodeKind* kind;
    Points self;
  };
  std::vector<Found> found;
  for (const Node& node : now.nodes) {
    if (task.isCancelled()) return {};
    const NodeKind* kind = kindOf(node);
    const auto values = evaluation.values.find(node.uid);
    if (!kind || node.isSkipped || values == evaluation.values.end()) continue;
    if (kind->family == Family::Scatter && kind->findInput("surface"))
      if (WhySource source = sourceAt(node, inputsOf(now, evaluation, node), spot, radius); !source.node.empty())
        out.sources.push_back(std::move(source));
    if (kind->explainPlace)
      if (std::string what = saidOf(now, evaluation, node, *kind, spot, radius, task); !what.empty())
        out.sources.push_back({node.uid, std::move(what)});
    const int left = kind->leftOutIndex();
    const bool isFilter = left > 0 && kind->explain;
    if (!isFilter && !kind->isLayer) continue;
    const auto* points = std::get_if<PointsPtr>(&values->second[isFilter ? static_cast<std::size_t>(left) : 0]);
    if (!points || !*points) continue;
    const Points near = nearOf(**points, spot, radius);
    for (std::size_t i = 0; i < near.count; ++i) {
      WhyPoint p{near.id[i], near.position[i], glm::distance(near.position[i], spot), !isFilter, node.uid, {}};
      if (!isFilter) p.what = placedAs(near, i);
      found.push_back({std::move(p), &node, kind, gathered(near, {static_cast<std::uint32_t>(i)})});
    }
  }
  out.pointCount = found.size();
  std::stable_sort(found.begin(), found.end(), [](const Found& a, const Found& b) {
    return a.point.distance != b.point.distance ? a.point.distance < b.point.distance : a.point.id < b.point.id;
  });
  if (found.size() > most) found.resize(most);
  // Ask each node once for all its points: some explanations look at the whole set.
  for (const Node& node : now.nodes) {
    std::vector<Found*> asked;
    for (Found& f : found)
      if (f.node == &node && !f.point.isPlaced) asked.push_back(&f);
    if (asked.empty()) continue;
    if (task.isCancelled()) return {};
    const auto& values = evaluation.values.at(node.uid);
    const Points& all = *std::get<PointsPtr>(values[static_cast<std::size_t>(asked.front()->kind->leftOutIndex())]);
    std::map<std::uint64_t, std::size_t> order;
    for (std::size_t i = 0; i < asked.size(); ++i) order[asked[i]->point.id] = i;
    Array<std::uint32_t> indices;
    std::vector<std::size_t> askedOf;
    for (std::size_t i = 0; i < all.count && indices.size() < asked.size(); ++i)
      if (const auto it = order.find(all.id[i]); it != order.end()) {
        indices.push_back(static_cast<std::uint32_t>(i));
        askedOf.push_back(it->second);
      }
    const std::vector<std::string> why = explained(now, evaluation, node, *asked.front()->kind, gathered(all, indices),
                                                   task);
    for (std::size_t i = 0; i < why.size() && i < askedOf.size(); ++i) asked[askedOf[i]]->point.what = why[i];
  }
  for (Found& f : found) out.points.push_back(std::move(f.point));
  return out;
}

std::vector<WhyStep> storyOf(const Plan& plan, const Evaluation& evaluation, Quality quality, const std::string& node,
                             std::uint64_t id, const Task& task) {
  const Plan now = followed(plan, quality);
  const PointsPtr points = evaluation.firstOf<PointsPtr>(node);
  if (!points) return {};
  const auto k = Story::indexOf(*points, id);
  if (!k) return {};
  Story story{now, evaluation, task, {}};
  story.walk(node, 0, *k, 0);
  return std::move(story.steps);
}

}  // namespace arvesk
