#include "core/deliver/take_over.h"

#include "core/nodes/scatter/placed_by_hand.h"
#include "core/props/coloring.h"
#include "core/spatial/clearance.h"

#include <algorithm>
#include <unordered_map>
#include <unordered_set>

namespace arvesk {
namespace {

constexpr const char* kKind = "placed-by-hand";

/// As the hand keeps it: on the place of the ground that is nearest to it, lifted off that.
HandPoint asOfHand(const Points& points, std::size_t i, HandPoints& among, const Surface* ground,
                   const SurfaceIndex* index) {
  constexpr float kNear = 50;  // m
  HandPoint out;
  out.key = points.id[i];
  out.isTaken = true;
  out.size = points.size[i];
  out.place = points.position[i];
  out.normal = directionOr(points.groundNormal[i], kUp);
  if (ground && index)
    if (const SurfaceHit hit = index->nearest(points.position[i], kNear); hit.isHit()) {
      GroundPlace place = groundPlaceOf(*ground, hit);
      if (glm::dot(place.normal, out.normal) < 0) place.normal = -place.normal;
      const float lift = glm::dot(points.position[i] - place.position, place.normal);
      place.position = points.position[i] -
                       place.normal * lift;  // to stand where it stands, to a tenth of a millimeter
      standOn(among, out, place, *ground);
      out.lift = lift;
    }
  out.setTurn(points.orientation[i], out.normal);
  if (const std::string& uid = propUidOf(points, i); !uid.empty()) out.prop = among.numberOf(uid);
  if (const auto* tint = columnOf<Column<Vec3>>(points.attributes, kTint)) out.tint = (*tint)[i];
  if (const auto* color = columnOf<Column<Vec3>>(points.attributes, kOwnColor)) {
    const auto* share = columnOf<Column<float>>(points.attributes, kOwnColorShare);
    out.color = (*color)[i];
    out.colorShare = share ? (*share)[i] : 1;
  }
  return out;
}

/// Does one of the others stand in the room of those that are the hand's?
bool isCrowded(const Points& points, const std::function<bool(std::size_t)>& isOfHand) {
  Array<PointGrid::Entry> entries;
  for (std::size_t i = 0; i < points.count; ++i)
    if (isOfHand(i))
      entries.push_back({points.position[i], points.effectiveFootprint(i), static_cast<std::uint32_t>(i)});
  KeptPoints room({});
  room.add(entries);
  for (std::size_t i = 0; i < points.count; ++i)
    if (!isOfHand(i) && room.hits(points.position[i], points.effectiveFootprint(i))) return true;
  return false;
}

/// Ids of what a node of the hand keeps, and whether a rule made it once.
std::unordered_map<std::uint64_t, bool> madeBy(const Plan& plan, const Node& node) {
  std::unordered_map<std::uint64_t, bool> out;
  if (node.kind != kKind) return out;
  const EvalContext ctx = contextOf(plan, node);
  nodes::placedByHandParams(node).points.list.forEach(
      [&](const HandPoint& p) { out[p.isTaken ? p.key : ctx.idOf(p.key)] = p.isTaken; });
  return out;
}

}  // namespace

std::vector<TakenOver> takenOver(const Plan& plan, const Evaluation& evaluation, const ShownPoints& shown,
                                 const Task& task) {
  std::vector<TakenOver> out;
  for (const ShownSource& s : sourcesOf(plan, evaluation, shown)) {
    TakenOver taken;
    taken.from = s.link;
    const std::unordered_map<std::uint64_t, bool> own = madeBy(plan, *s.node);
    if (s.node->kind == kKind) taken.hand = s.node->uid;
    taken.ground = groundAbove(plan, s.link.node).second;
    SurfacePtr ground;
    if (!taken.ground.isEmpty()) ground = evaluation.firstOf<SurfacePtr>(taken.ground.node);
    std::shared_ptr<const SurfaceIndex> index;
    if (ground)
      if (const auto made = SurfaceIndex::of(*ground)) index = *made;
    std::vector<HandPoint> list;
    for (std::size_t i = 0; i < s.points->count; ++i) {
      if (i % 4096 == 0 && task.isCancelled()) return {};
      if (s.isMeant(s.points->id[i]) && !own.contains(s.points->id[i]))
        list.push_back(asOfHand(*s.points, i, taken.points, ground.get(), index.get()));
    }
    taken.points.list.append(list);
    taken.isCrowded = isCrowded(
        *s.points, [&](std::size_t i) { return s.isMeant(s.points->id[i]) || own.contains(s.points->id[i]); });
    if (!list.empty()) out.push_back(std::move(taken));
  }
  return out;
}

std::map<std::string, std::vector<std::uint64_t>> keptByHand(const Plan& plan, const Evaluation& evaluation,
                                                             const ShownPoints& shown) {
  std::map<std::string, std::vector<std::uint64_t>> out;
  for (const ShownSource& s : sourcesOf(plan, evaluation, shown))
    for (const auto& [id, isTaken] : madeBy(plan, *s.node))
      if (isTaken && s.isMeant(id)) out[s.node->uid].push_back(id);
  return out;
}

std::vector<std::string> keepTaken(Plan& plan, const std::vector<TakenOver>& taken,
                                   const std::function<Node(Plan&, const Node& before)>& newNode) {
  std::vector<std::string> out;
  for (const TakenOver& t : taken) {
    std::string uid = t.hand;
    if (uid.empty()) {
      const Node* before = plan.find(t.from.node);
      if (!before) continue;
      const Node source = *before;  // the plan may move its nodes about
      Node node = newNode(plan, source);
      uid = node.uid;
      if (t.isCrowded) node.params["rules"] = std::string("stay");
      insertBehind(plan, t.from, std::move(node), findNodeKind(kKind)->groundFrom, t.ground);
    }
    Node* hand = plan.find(uid);
    HandPoints points = nodes::placedByHandParams(*hand).points;
    std::vector<HandPoint> list = t.points.list.all();
    for (HandPoint& p : list) {  // their numbers are of lists of their own
      if (p.prop > 0) p.prop = points.numberOf(t.points.props[p.prop - 1]);
      if (p.ground > 0) p.ground = points.numberOf(t.points.grounds[p.ground - 1]);
    }
    points.list.append(list);
    hand->params["points"] = std::move(points);
    out.push_back(uid);
  }
  return out;
}

std::size_t giveBack(Node& hand, const Points& fromRules, const std::vector<std::uint64_t>& keys) {
  using Fate = SharedList<HandPoint>::Fate;
  std::unordered_set<std::uint64_t> rules;
  for (std::size_t i = 0; i < fromRules.count; ++i) rules.insert(fromRules.id[i]);
  const std::unordered_set<std::uint64_t> wanted(keys.begin(), keys.end());
  HandPoints points = nodes::placedByHandParams(hand).points;
  std::size_t stay = 0;
  points.list.edit([&](HandPoint& p) {
    if (!p.isTaken || !wanted.contains(p.key)) return Fate::Stays;
    if (rules.contains(p.key)) return Fate::Goes;
    ++stay;
    return Fate::Stays;
  });
  hand.params["points"] = std::move(points);
  return stay;
}

}  // namespace arvesk
